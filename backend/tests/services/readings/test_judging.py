"""New readings are looked at apart from taking them in: nothing is advised from them before, nothing is forgotten."""

import time
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

import pytest

from embalse.config import Settings
from embalse.services.advice import kept_round
from embalse.services.advice.advise import round_content
from embalse.services.advice.keeper import Keeper
from embalse.services.intake import telemetry
from embalse.services.readings import faults, judging, judging_in_parts
from embalse.store import gateways as gateway_store
from embalse.store import readings as readings_store
from embalse.store import unjudged
from embalse.store.database import database, transaction
from embalse.store.models import Block, Dawn, FaultFound, Sensor
from embalse.store.unjudged import UnjudgedRow
from tests.conftest import CLOCK

HOUR = 3600


class Sent(NamedTuple):
    channel: str
    at: int
    value: float


def readings(depth: int, hours: int = 24 * 12, until: int = CLOCK) -> list[Sent]:
    values = [round(0.2 + 0.0002 * n + 0.0003 * (n % 5), 5) for n in range(hours)]
    return [Sent(f"one-{depth}", until - HOUR * n, value) for n, value in enumerate(values)]


def send(batch: list[Sent]) -> telemetry.IngestReport:
    gateway = next(g for g in gateway_store.gateways() if g.key == "probe")
    return telemetry.accept(gateway, batch)


@pytest.fixture
def kept_up(farm: Settings) -> Iterator[None]:
    """A farm whose readings a keeper will look at: here, when the test says so."""
    telemetry.register("probe", "", [])
    judging.kept_up_by("test")
    yield
    judging.no_longer_kept_up_by("test")
    judging.waiting.clear()


def spiked() -> None:
    for depth in (10, 30, 50):
        batch = readings(depth)
        if depth == 30:
            batch[60] = batch[60]._replace(value=0.5)
        assert send(batch).new == len(batch)


def test_what_was_not_looked_at_is_stored_and_not_advised_from(kept_up: None) -> None:
    spiked()
    assert judging.waiting.is_set()
    assert {r.start_at for r in unjudged.unjudged()} == {CLOCK - HOUR * (24 * 12 - 1)}
    assert readings_store.latest(None, CLOCK) == {} and not Dawn.select().count()
    assert round_content().blocks[0].depletion_mm is None
    assert judging.judge_waiting() == 3
    assert unjudged.unjudged() == [] and Dawn.select().count() == 3 * 12
    assert round_content().blocks[0].depletion_mm is not None
    assert [f.fault for f in FaultFound.select()] == ["spike"]
    assert judging.judge_waiting() == 0


def test_what_was_looked_at_before_is_still_advised_from(kept_up: None) -> None:
    send(readings(10, 48, CLOCK - 6 * HOUR))
    judging.judge_waiting()
    send(readings(10, 3))
    [(at, *_)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK - 6 * HOUR
    judging.judge_waiting()
    [(at, *_)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK


def test_a_late_reading_that_waits_does_not_hide_the_newest(kept_up: None) -> None:
    send(readings(10, 24))
    judging.judge_waiting()
    send([Sent("one-10", CLOCK - 40 * HOUR, 0.21)])
    [(at, *_)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK


def test_the_hours_before_the_newest_are_those_before_what_was_looked_at(kept_up: None) -> None:
    send(readings(10, 48, CLOCK - 6 * HOUR))
    judging.judge_waiting()
    block = Block.get().id
    before = readings_store.before_latest(block, CLOCK)
    send([Sent("one-10", CLOCK - HOUR * n, 0.4) for n in range(5)])
    assert len(before) == 1 and readings_store.before_latest(block, CLOCK) == before
    judging.judge_waiting()
    assert readings_store.before_latest(block, CLOCK) != before


@pytest.mark.parametrize(("now", "hours_before"), [(-7, 7), (-6, 6), (-3, 6), (0, 0), (1, 0)])
def test_the_last_looked_at_as_of_any_moment(kept_up: None, now: int, hours_before: int) -> None:
    send(readings(10, 48, CLOCK - 6 * HOUR))
    send([Sent("one-10", CLOCK, 0.2)])
    judging.judge_waiting()
    send([Sent("one-10", CLOCK - n * HOUR, 0.2) for n in (5, 3)])
    [(at, *_)] = readings_store.latest(None, CLOCK + now * HOUR).values()
    assert at == CLOCK - hours_before * HOUR


def test_it_ends_as_if_looked_at_batch_by_batch(farm: Settings) -> None:
    def all_there_is() -> list[Any]:
        return [
            database.execute_sql(f"SELECT * FROM {table} ORDER BY 1, 2, 3").fetchall() for table in ("dawn", "hours")
        ] + [database.execute_sql("SELECT sensor_id, fault, start_at, end_at FROM fault ORDER BY 1, 3").fetchall()]

    telemetry.register("probe", "", [])
    spiked()
    at_once = all_there_is()
    with transaction():
        for table in ("reading", "dawn", "hours", "fault"):
            database.execute_sql(f"DELETE FROM {table}")
    judging.kept_up_by("test")
    try:
        spiked()
        assert judging.judge_waiting() == 3
    finally:
        judging.no_longer_kept_up_by("test")
    assert all_there_is() == at_once


class TestInParts:
    """Many readings at once are looked at in parts by a process of its own."""

    @pytest.fixture(autouse=True)
    def many(self, kept_up: None, monkeypatch: pytest.MonkeyPatch) -> None:
        monkeypatch.setattr(judging, "MANY", 300)
        monkeypatch.setattr(judging_in_parts, "PART", 70)

    @staticmethod
    def troubled() -> None:
        """Twelve days of three depths: spikes, values that stand still for four days, values outside, a gap."""
        for depth in (10, 30, 50):
            batch = readings(depth)
            for place in (5, 69, 71, 140, 141, 211):
                batch[place] = batch[place]._replace(value=0.49)
            for place in range(100, 196) if depth == 30 else ():
                batch[place] = batch[place]._replace(value=0.233)
            for place in range(20, 26) if depth == 50 else ():
                batch[place] = batch[place]._replace(value=1.4)
            del batch[230:250]
            send(batch)

    @staticmethod
    def all_there_is() -> list[Any]:
        tables = {"dawn": "*", "hours": "*", "fault": "sensor_id, fault, start_at, end_at, readings"}
        order = {"dawn": "1, 2", "hours": "1, 2", "fault": "1, 3, 2"}
        return [
            database.execute_sql(f"SELECT {what} FROM {table} ORDER BY {order[table]}").fetchall()
            for table, what in tables.items()
        ]

    def test_they_end_as_looked_at_together(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.troubled()
        monkeypatch.setattr(judging, "MANY", 10**9)
        judging.judge_waiting()
        together = self.all_there_is()
        assert {row[1] for row in together[2]} >= {"spike", "stuck", "gap"}, together[2]
        with transaction():
            for table in ("reading", "dawn", "hours", "fault"):
                database.execute_sql(f"DELETE FROM {table}")
        self.troubled()
        monkeypatch.setattr(judging, "MANY", 300)
        looked: list[int] = []

        def here(key: str, sensor_ids: Iterable[int]) -> None:
            for sensor_id in sensor_ids:
                while judging_in_parts.look_at_part(key, sensor_id):
                    looked.append(sensor_id)

        monkeypatch.setattr(judging_in_parts, "look_at_most", here)
        assert judging.judge_waiting() == 3
        assert len(looked) == 3 * 3 and unjudged.unjudged() == []
        assert self.all_there_is() == together

    def test_the_process_looks_at_all_but_the_last_part(self, farm: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
        self.troubled()
        waits = unjudged.unjudged()
        monkeypatch.setattr(
            judging_in_parts, "CHILD",
            f"from embalse.services.readings import judging_in_parts as p; p.PART = {judging_in_parts.PART}; p.child()",
        )  # fmt: skip
        judging_in_parts.look_at_most("one", [row.sensor_id for row in waits])
        left = unjudged.unjudged()
        assert [row.end_at for row in left] == [row.end_at for row in waits]
        assert all(row.start_at > before.start_at + 180 * HOUR for row, before in zip(left, waits, strict=True))
        assert judging.judge_waiting() == 3

    def test_what_comes_in_between_two_parts_is_looked_at_too(self) -> None:
        self.troubled()
        [first, *_] = unjudged.unjudged()
        assert judging_in_parts.look_at_part("one", first.sensor_id)
        send([Sent("one-10", first.start_at - 5 * HOUR, 0.2)])
        assert unjudged.unjudged(first.sensor_id)[0].start_at == first.start_at - 5 * HOUR

    def test_a_process_that_is_stopped_keeps_the_block_waiting(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.troubled()
        monkeypatch.setattr(judging_in_parts, "CHILD", "raise SystemExit('no room')")
        assert judging.judge_waiting() == 0 and len(unjudged.unjudged()) == 3
        monkeypatch.undo()
        assert judging.judge_waiting() == 3

    def test_the_keeper_leaves_what_an_import_will_look_at(self) -> None:
        self.troubled()
        waits = [row.sensor_id for row in unjudged.unjudged()]
        with judging.left_to_me(waits[:2]):
            assert judging.judge_waiting() == 1
            assert judging.look_now(waits) and unjudged.unjudged() == []
        send(readings(10, 3, CLOCK + HOUR))
        assert judging.judge_waiting() == 1


def test_a_block_that_cannot_be_looked_at_keeps_waiting(kept_up: None, monkeypatch: pytest.MonkeyPatch) -> None:
    send(readings(10, 5))

    def broken(*_: Any, **__: Any) -> None:
        raise ZeroDivisionError("a rule with a hole")

    whole = faults.check_new
    monkeypatch.setattr(faults, "check_new", broken)
    assert judging.judge_waiting() == 0 and len(unjudged.unjudged()) == 1
    monkeypatch.setattr(faults, "check_new", whole)
    assert judging.judge_waiting() == 1 and unjudged.unjudged() == []


def test_spans_grow_and_go_with_their_sensor(farm: Settings) -> None:
    sensor = Sensor.select().first().id
    with transaction():
        unjudged.add([UnjudgedRow(sensor, 100, 200, False)])
        unjudged.add([UnjudgedRow(sensor, 50, 120, True)])
        unjudged.add([UnjudgedRow(sensor, 90, 300, False)])
    assert unjudged.unjudged(sensor) == [UnjudgedRow(sensor, 50, 300, True)]
    with transaction():
        unjudged.done(sensor)
    assert unjudged.unjudged() == []


def until(true: Any, limit_s: float = 20.0) -> bool:
    end = time.monotonic() + limit_s
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.01)
    return False


def test_the_keeper_begins_with_what_waits_and_goes_on(farm: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    telemetry.register("probe", "", [])
    judging.kept_up_by("cut")
    send(readings(10, 30))
    judging.no_longer_kept_up_by("cut")
    assert len(unjudged.unjudged()) == 1
    works = Keeper(every_s=60.0, gather_s=0.0)
    works.start()
    try:
        assert until(lambda: not unjudged.unjudged())
        whole, failed = judging.judge_waiting, []

        def trouble() -> int:
            failed.append(1)
            raise OSError("the disk is full")

        monkeypatch.setattr(judging, "judge_waiting", trouble)
        send(readings(30, 30))
        assert until(lambda: len(failed) == 1) and len(unjudged.unjudged()) == 1
        monkeypatch.setattr(judging, "judge_waiting", whole)
        judging.waiting.set()
        assert until(lambda: not unjudged.unjudged())
    finally:
        works.stop()
    send(readings(50, 30))
    assert unjudged.unjudged() == [], "without a keeper it is looked at as soon as it is stored"


def test_the_round_is_made_anew_for_those_who_looked_lately(demo: Settings, monkeypatch: pytest.MonkeyPatch) -> None:
    kept_round.forget()
    assert kept_round.renew() == 0
    kept_round.round_json(None, with_working=False)
    made: list[bool] = []

    def counted(moment: str | None, keys: Any, with_working: bool) -> Any:
        made.append(with_working)
        return round_content(moment, keys, with_working)

    monkeypatch.setattr(kept_round, "round_content", counted)
    assert kept_round.renew() == 1 and made == []
    with transaction():
        database.execute_sql("UPDATE rain SET depth_mm = depth_mm + 1")
    assert kept_round.renew() == 1 and made == [False]
    kept_round.round_json(None, with_working=False)
    assert made == [False], "it was ready"
    monkeypatch.setattr(kept_round, "ASKED_FOR_S", -1)
    assert kept_round.renew() == 0


def test_a_round_that_took_long_is_left_for_thrice_as_long(kept_up: None, monkeypatch: pytest.MonkeyPatch) -> None:
    now, made = [100.0], []

    def renew() -> int:
        made.append(now[0])
        now[0] += 2.0
        return 1

    monkeypatch.setattr("embalse.services.advice.keeper.time.monotonic", lambda: now[0])
    monkeypatch.setattr(kept_round, "renew", renew)
    keeper = Keeper(every_s=20.0)
    keeper._renew()
    assert keeper._until_next() == 20.0
    now[0] = 107.9
    keeper._renew()
    assert made == [100.0] and keeper._until_next() == pytest.approx(0.1)
    now[0] = 108.1
    keeper._renew()
    assert made == [100.0, 108.1] and keeper._until_next() == 20.0
