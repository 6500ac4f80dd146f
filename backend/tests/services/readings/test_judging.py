"""New readings are looked at apart from taking them in: nothing is advised from them before, nothing is forgotten."""

import time
from collections.abc import Iterator
from typing import Any, NamedTuple

import pytest

from embalse.config import Settings
from embalse.services.advice import kept_round
from embalse.services.advice.advise import round_content
from embalse.services.advice.keeper import Keeper
from embalse.services.intake import telemetry
from embalse.services.readings import faults, judging
from embalse.store import gateways as gateway_store
from embalse.store import readings as readings_store
from embalse.store import unjudged
from embalse.store.database import database, transaction
from embalse.store.models import Dawn, FaultFound, Sensor
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
    [(at, _)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK - 6 * HOUR
    judging.judge_waiting()
    [(at, _)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK


def test_a_late_reading_that_waits_does_not_hide_the_newest(kept_up: None) -> None:
    send(readings(10, 24))
    judging.judge_waiting()
    send([Sent("one-10", CLOCK - 40 * HOUR, 0.21)])
    [(at, _)] = readings_store.latest(None, CLOCK).values()
    assert at == CLOCK


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
