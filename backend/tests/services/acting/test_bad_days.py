"""Bad days of a night: the wrong address, two at once, a log that began anew, a line without water, long names."""

from collections.abc import Callable
from datetime import timedelta
from socketserver import BaseRequestHandler, TCPServer
from threading import Thread
from typing import Any

import pytest

from embalse.core.acting.set_state import DELAY_MIN
from embalse.services.acting import stepping
from embalse.services.acting.controller import Controller, ControllerAway, ControllerRefuses
from embalse.services.acting.evidence import evidence_of
from embalse.services.acting.stepping import step, stop_all
from embalse.services.planning.approving import ChangeIn, change
from embalse.services.planning.arming import arm
from embalse.services.planning.planned import evidence_key, new_key
from embalse.standins.valve_process import ask_valves
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from tests.services.acting.conftest import EVENING, Night
from tests.services.acting.test_night import logged, openings


def put_controller(key: str, url: str, supply: str = "rio", valves: tuple[str, ...] = ("P1",)) -> None:
    with transaction():
        store.put_controller(
            key, {"name": key, "supply": supply, "url": url, "token": "secret", "valves": list(valves)}
        )


def controller(key: str) -> store.ControllerRow:
    return next(c for c in store.controllers() if c.key == key)


@pytest.mark.parametrize("path", ["/wrong", "/v1"])
def test_a_wrong_address_is_told_and_the_other_controllers_go_on(night: Night, path: str) -> None:
    put_controller("another", night.url + path)
    key = night.approve("N1", 0.0, 2.0)
    night.arm()
    night.go(0.5)
    assert night.set(key).state == "running"
    odd = controller("another")
    assert odd.trouble == "it answers 404" and odd.tries >= 1


def test_a_token_that_is_not_accepted_is_told_as_such(night: Night) -> None:
    with pytest.raises(ControllerAway, match="its token is not accepted"):
        Controller(night.url, "wrong").state()


def test_only_a_command_can_be_refused(night: Night) -> None:
    with pytest.raises(ControllerRefuses, match="there is no valve 'X9'"):
        Controller(night.url, night.token).command("a|0|open", "X9", "open", 60)
    with pytest.raises(ControllerAway, match="it answers 404"):
        Controller(night.url + "/nothing", night.token).state()


@pytest.mark.parametrize(
    ("answer", "told"),
    [
        (b"+++ WELCOME TO THE PUMP +++\r\n", "not reached"),
        (b'HTTP/1.0 200 OK\r\nContent-Length: 500\r\n\r\n{"at"', "not understood"),
        (b"", "not reached"),
    ],
    ids=["another protocol", "breaks off", "hangs up"],
)
def test_a_box_that_speaks_something_else_is_told_as_away(answer: bytes, told: str) -> None:
    class Odd(BaseRequestHandler):
        def handle(self) -> None:
            self.request.recv(2000)
            self.request.sendall(answer)

    with TCPServer(("127.0.0.1", 0), Odd) as server:
        Thread(target=server.serve_forever, daemon=True).start()
        with pytest.raises(ControllerAway, match=told):
            Controller(f"http://127.0.0.1:{server.server_address[1]}", "t").state()
        server.shutdown()


def test_trouble_with_one_controller_puts_off_that_one_only(night: Night, monkeypatch: pytest.MonkeyPatch) -> None:
    put_controller("another", night.url)
    key = night.approve("N1", 0.0, 2.0)
    night.arm()
    usual = stepping._look_after

    def odd(row: store.ControllerRow, now: int, zone: str) -> None:
        if row.key == "another":
            raise KeyError("valves")
        usual(row, now, zone)

    monkeypatch.setattr(stepping, "_look_after", odd)
    night.go(0.5)
    assert night.set(key).state == "running" and "looking after it failed" in controller("another").trouble


Meanwhile = Callable[[Night, str], None]


@pytest.mark.parametrize(
    "meanwhile",
    [
        lambda _, key: change(key, ChangeIn(withdraw=True, note="rain")),
        lambda _, key: change(key, ChangeIn(start=EVENING + timedelta(hours=3))),
        lambda *_: arm("pozo", False, True),
    ],
    ids=["withdrawn", "moved", "disarmed"],
)
def test_what_is_changed_while_it_is_looked_at_is_not_opened(
    night: Night, monkeypatch: pytest.MonkeyPatch, meanwhile: Meanwhile
) -> None:
    """Somebody changes the set between the moment it was read and the moment its command would be sent."""
    key = night.approve("N1", 0.0, 2.0)
    night.arm()
    usual = stepping._tell

    def slow(row: Any, device: Any, one: Any, what: tuple[str, int, int]) -> bool:
        if what[0] == "open" and not done:
            done.append(True)
            meanwhile(night, key)
        return usual(row, device, one, what)

    done: list[bool] = []
    monkeypatch.setattr(stepping, "_tell", slow)
    night.go(0.1)
    assert done and openings(night) == {} and store.commands_of(key) == []


def test_stop_all_closes_what_was_opened_by_hand_since_the_last_time(night: Night) -> None:
    """Twice at the same instant, as two people on two phones would."""
    night.approve("N1", 0.0, 4.0)
    night.arm()
    night.go(0.5)
    assert stop_all("Inés") == []
    ask_valves(night.url, night.token, "PUT", "/standin/hand", {"valve": "N2", "open": True})
    assert stop_all("Tomás") == []
    assert not any(v.open for v in Controller(night.url, night.token).state().valves)


def test_stop_all_closes_what_was_on_its_way_to_the_valve(night: Night, monkeypatch: pytest.MonkeyPatch) -> None:
    night.arm()
    usual, late = Controller.stop_all, [("N2|0|open", "N2")]

    def first_then_the_late_one(self: Controller, command_id: str) -> None:
        usual(self, command_id)
        if late:
            name, valve = late.pop()
            self.command(name, valve, "open", 3600)

    monkeypatch.setattr(Controller, "stop_all", first_then_the_late_one)
    assert stop_all("Inés") == [] and late == []
    assert not any(v.open for v in Controller(night.url, night.token).state().valves)


def test_a_log_that_begins_anew_loses_nothing(night: Night) -> None:
    """A controller that was replaced counts its lines from 1 again."""
    first = night.approve("N1", 0.0, 1.0)
    night.arm()
    night.go(1.5)
    night.anew()
    second = night.approve("N2", 2.0, 1.0)
    night.go(3.5)
    assert night.set(first).state == "done" and night.set(second).state == "done"
    assert logged(night, "norte-2")[0][0] == pytest.approx(1.0, abs=0.1)
    assert logged(night, "norte-1")[0][0] == pytest.approx(1.0, abs=0.1)


def test_a_flush_by_hand_before_a_set_is_no_part_of_it(night: Night) -> None:
    key = night.approve("N1", 0.5, 2.0)
    night.arm()
    night.go(0.1)
    ask_valves(night.url, night.token, "PUT", "/standin/hand", {"valve": "N1", "open": True})
    night.go(0.3)
    ask_valves(night.url, night.token, "PUT", "/standin/hand", {"valve": "N1", "open": False})
    night.go(3.0)
    [(hours, gross)] = logged(night, "norte-1")
    assert night.set(key).state == "done" and hours == pytest.approx(2.0, abs=0.1)
    assert gross == pytest.approx(250 * 2 / 180, rel=0.03)


def test_a_line_without_water_did_not_run(night: Night) -> None:
    night.faults(flow_factor=0.0)
    key = night.approve("N1", 0.0, 2.0)
    night.arm()
    night.go(3.0)
    assert night.set(key).state == "failed" and "no water came" in night.set(key).part.events[-1].note
    assert logged(night, "norte-1") == []


def test_a_set_whose_last_pulses_were_missed_is_settled_with_those_that_ran(night: Night) -> None:
    key = night.approve("N1", 0.0, 4.0, pulses=4, flowing_min=120.0)
    night.arm()
    night.go(1.8)
    night.faults(line_lost_at=night.at(1.9))
    night.go(4.5)
    night.faults(line_lost_at=None, line_back_at=night.at(5.0))
    night.go(6.0)
    one = night.set(key)
    assert not one.live and openings(night)["N1"] == 2
    assert logged(night, "norte-1")[0][1] == pytest.approx(250 * 1 / 180, rel=0.1)


def test_keys_of_blocks_with_long_names_do_not_run_together() -> None:
    block = "b" * 40
    one, other = (new_key(block, part, EVENING, ()) for part in ("west half", "east half"))
    assert one != other and new_key(block, "west half", EVENING, [one]) == f"{one}-2"
    keys = {evidence_key(k, kind) for k in (one, other, f"{one}-2") for kind in ("controller", "phone")}
    assert len(keys) == 6 and all(len(k) <= 60 for k in keys)


def test_evidence_of_the_longest_key_is_kept(night: Night) -> None:
    key = night.approve("N1", 0.0, 2.0)
    assert evidence_of(key) == []
    night.arm()
    night.go(3.0)
    assert [e.key for e in evidence_of(key)] == [f"{key}:controller"]


@pytest.mark.parametrize(("seconds", "opened"), [(60 * DELAY_MIN - 1, 1), (60 * DELAY_MIN, 2)])
def test_the_second_valve_waits_the_delay_where_no_rule_is_entered(
    night: Night, monkeypatch: pytest.MonkeyPatch, seconds: float, opened: int
) -> None:
    monkeypatch.setattr(stepping, "water_rules_at", lambda *_: {})
    night.approve("N1", 0.0, 2.0)
    night.approve("N2", 0.0, 2.0)
    night.arm()
    for at in (night.at(0.0), night.at(0.0) + round(seconds)):
        with transaction():
            farm_store.hold_clock(at)
        ask_valves(night.url, night.token, "PUT", "/standin/clock", {"at": at})
        step(at)
    assert sum(openings(night).values()) == opened


def test_nothing_is_put_on_record_twice_by_looking_often(night: Night) -> None:
    night.approve("N1", 0.0, 1.0)
    night.arm()
    night.go(1.5)
    changes = len(readings_store.sets("norte-1", night.at(-2), night.at(20)))
    for _ in range(3):
        step(night.at(1.5))
    assert len(readings_store.sets("norte-1", night.at(-2), night.at(20))) == changes == 1
