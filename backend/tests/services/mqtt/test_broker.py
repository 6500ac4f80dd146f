"""Through a real broker: nothing lost or doubled when it, or we, go away; what is refused is named; valves too."""

import json
import sqlite3
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from bench.broker import Broker, Device, heard_by, until
from embalse.config import Settings
from embalse.services import helpers
from embalse.services.acting.broker_controller import BrokerController
from embalse.services.acting.controller import ControllerAway, ControllerRefuses
from embalse.services.acting.entering import ControllerIn, answers, enter
from embalse.services.intake import telemetry
from embalse.services.mqtt import intake
from embalse.services.mqtt.intake import BrokerIntake, store_messages
from embalse.standins.valve_broker import ValveBroker
from embalse.store.database import database
from embalse.store.models import ImportJob, ImportRefusal, Reading
from tests.conftest import CLOCK, put
from tests.services.acting.conftest import Night, night

HOUR = 3600
__all__ = ["night"]


@pytest.fixture
def broker(tmp_path: Path) -> Iterator[Broker]:
    with Broker(tmp_path / "broker") as running:
        yield running


@pytest.fixture
def there(farm: Settings, broker: Broker) -> Settings:
    telemetry.register("hill", "hill", ["one/a"])
    return replace(farm, mqtt_host="127.0.0.1", mqtt_port=broker.port)


def batch(first: int, count: int) -> str:
    readings = [{"channel": "one-10", "at": CLOCK - HOUR * n, "value": 0.25} for n in range(first, first + count)]
    return json.dumps({"readings": readings})


def stored() -> int:
    return Reading.select().count()


def test_readings_arrive_and_are_answered(there: Settings, broker: Broker) -> None:
    listener, heard = heard_by(broker.port, "embalse/hill/answers")
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    device = Device(broker.port)
    device.send("embalse/hill/readings", batch(0, 10))
    device.send("embalse/hill/readings", batch(0, 10))
    device.send("embalse/hill/readings", json.dumps({"readings": [
        {"channel": "nobody", "at": CLOCK, "value": 1}], "battery_v": 3.4}))  # fmt: skip
    assert until(lambda: stored() == 10) and until(lambda: sum(json.loads(p)["refused"] for _, p in heard) == 1)
    totals = [json.loads(p) for _, p in heard]
    assert sum(t["new"] for t in totals) == 10 and sum(t["known"] for t in totals) == 10
    assert telemetry.gateways()[0].battery_v == 3.4
    assert ImportRefusal.select().where(ImportRefusal.column_name == "nobody").count() == 1
    device.stop(), running.stop(), listener.loop_stop()


def test_what_came_while_we_were_away_comes_afterwards(there: Settings, broker: Broker) -> None:
    first = BrokerIntake(there)
    first.start()
    assert first.listening.wait(20)
    device = Device(broker.port)
    device.send("embalse/hill/readings", batch(0, 5))
    assert until(lambda: stored() == 5)
    first.stop()
    for n in range(1, 20):
        device.send("embalse/hill/readings", batch(5 * n, 5))
    assert device.all_sent()
    broker.stop()
    broker.start()
    second = BrokerIntake(there)
    second.start()
    assert until(lambda: stored() == 100), "the broker kept what nobody took"
    device.stop(), second.stop()


def test_a_broker_that_restarts_loses_and_doubles_nothing(there: Settings, broker: Broker) -> None:
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    device = Device(broker.port)
    for n in range(30):
        device.send("embalse/hill/readings", batch(10 * n, 10))
        if n % 10 == 9:
            broker.stop()
            assert until(lambda: any(t.what == intake.HELPER for t in helpers.troubles())), "it is told on the pages"
            broker.start()
    assert device.all_sent() and until(lambda: stored() == 300)
    assert until(lambda: not any(t.what == intake.HELPER for t in helpers.troubles()))
    device.stop(), running.stop()


def test_what_cannot_be_stored_now_is_held_and_not_acknowledged(
    there: Settings, broker: Broker, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls: list[int] = []

    def full_at_first(messages: list[tuple[str, bytes]], prefix: str) -> dict[str, dict[str, int]]:
        calls.append(len(messages))
        if len(calls) < 3:
            raise sqlite3.OperationalError("database or disk is full")
        return store_messages(messages, prefix)

    monkeypatch.setattr(intake, "AGAIN_S", 0.05)
    monkeypatch.setattr(intake, "store_messages", full_at_first)
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    device = Device(broker.port)
    device.send("embalse/hill/readings", batch(0, 7))
    assert until(lambda: stored() == 7) and len(calls) == 3
    device.stop(), running.stop()


def test_one_message_that_breaks_us_does_not_stop_the_others(
    there: Settings, broker: Broker, monkeypatch: pytest.MonkeyPatch
) -> None:
    def breaks(messages: list[tuple[str, bytes]], prefix: str) -> dict[str, dict[str, int]]:
        if any(b"bad" in payload for _, payload in messages):
            raise RuntimeError("on purpose")
        return store_messages(messages, prefix)

    monkeypatch.setattr(intake, "store_messages", breaks)
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    device = Device(broker.port)
    for n in range(6):
        device.send("embalse/hill/readings", "bad" if n == 3 else batch(n, 1))
    assert until(lambda: stored() == 5)
    device.send("embalse/hill/readings", batch(9, 1))
    assert until(lambda: stored() == 6), "the thread goes on"
    device.stop(), running.stop()


def test_what_is_not_understood_is_kept_with_its_reason(there: Settings, broker: Broker) -> None:
    put({"embalse": 1, "payload_maps": [{"key": "m", "gateway": "hill", "topic": "probes/+", "readings": [
        {"channel": "one-{1}", "value": "v", "at": "t"}]}]})  # fmt: skip
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    device = Device(broker.port)
    device.send("embalse/ghost/readings", batch(0, 1))
    device.send("embalse/hill/readings", "no json")
    device.send("probes/10", json.dumps({"v": 0.3, "t": CLOCK}))
    assert until(lambda: stored() == 1 and ImportRefusal.select().count() == 2)
    reasons = {r.reason for r in ImportRefusal.select()}
    assert reasons == {"there is no gateway 'ghost', or it was revoked", "it is not JSON"}
    assert ImportJob.get(ImportJob.file_name.startswith("broker: not understood")).refused == 2
    device.stop(), running.stop()


def test_a_map_entered_later_is_listened_to(there: Settings, broker: Broker, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(intake, "MAPS_EVERY_S", 0.1)
    running = BrokerIntake(there)
    running.start()
    assert running.listening.wait(20)
    put({"embalse": 1, "payload_maps": [{"key": "m", "gateway": "hill", "topic": "probes/+", "readings": [
        {"channel": "one-{1}", "value": "v", "at": "t"}]}]})  # fmt: skip
    device = Device(broker.port)

    def sent() -> bool:
        device.send("probes/10", json.dumps({"v": 0.3, "t": CLOCK}))
        return stored() == 1

    assert until(sent)
    device.stop(), running.stop()


def test_a_broker_that_was_never_there_is_told_on_the_pages(there: Settings, broker: Broker) -> None:
    broker.stop()
    running = BrokerIntake(there)
    running.start()
    assert until(lambda: any(t.what == intake.HELPER for t in helpers.troubles()))
    broker.start()
    assert until(running.listening.is_set)
    assert until(lambda: not any(t.what == intake.HELPER for t in helpers.troubles()))
    running.stop()


def test_a_revoked_gateway_sends_no_more(there: Settings) -> None:
    telemetry.revoke("hill")
    assert store_messages([("embalse/hill/readings", batch(0, 3).encode())], "embalse") == {}
    assert stored() == 0


class TestValves:
    @pytest.fixture
    def valves(self, night: Night, broker: Broker) -> Iterator[str]:
        told = ValveBroker(("127.0.0.1", broker.port), "farm/valves", night.url)
        told.start()
        yield f"mqtt://127.0.0.1:{broker.port}/farm/valves"
        told.stop()

    def test_they_do_through_a_broker_what_they_do_over_http(self, night: Night, valves: str) -> None:
        device = BrokerController(valves, "secret")
        assert until(lambda: self._answers(device))
        assert {v.valve for v in device.state().valves} == {"N1", "N2", "B-west"}
        device.command("c1", "N1", "open", 600)
        device.command("c1", "N1", "open", 600)
        assert [v.valve for v in device.state().valves if v.open] == ["N1"]
        assert [e.what for e in device.log(0)].count("opened") == 1
        with pytest.raises(ControllerRefuses, match="no valve"):
            device.command("c2", "X9", "open", 600)
        device.stop_all("s1")
        assert not any(v.open for v in device.state().valves)
        with pytest.raises(ControllerAway, match="token"):
            BrokerController(valves, "wrong").state()

    def test_a_set_runs_through_the_broker(self, night: Night, valves: str) -> None:
        database.execute_sql("UPDATE controller SET url = ?", (valves,))
        assert until(lambda: self._answers(BrokerController(valves, "secret")))
        key = night.approve("N1", 0.0, 2.0)
        night.arm()
        night.go(2.6, every_min=20)
        assert night.set(key).state == "done"

    def test_where_nobody_answers_it_is_away(
        self, farm: Settings, broker: Broker, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        monkeypatch.setattr("embalse.services.acting.broker_controller.TIMEOUT_S", 0.3)
        with pytest.raises(ControllerAway, match="does not answer"):
            BrokerController(f"mqtt://127.0.0.1:{broker.port}/nobody", "t").state()
        broker.stop()
        with pytest.raises(ControllerAway, match="not reached"):
            BrokerController(f"mqtt://127.0.0.1:{broker.port}/nobody", "t").state()

    def test_an_address_by_broker_is_taken_with_a_topic_only(self, demo: Settings) -> None:
        from embalse.core.errors import CoreError

        body = {"name": "v", "supply": "balsa", "valves": ["A"], "token": "t"}
        with pytest.raises(CoreError, match="address"):
            enter(ControllerIn.model_validate({**body, "key": "v", "url": "mqtt://10.0.0.1"}))
        enter(ControllerIn.model_validate({**body, "key": "v", "url": "mqtt://127.0.0.1:1/valves"}))
        assert "not reached" in answers("v")

    @staticmethod
    def _answers(device: BrokerController) -> bool:
        try:
            return bool(device.state().valves)
        except ControllerAway:
            return False
