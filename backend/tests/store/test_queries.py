from typing import Any

import numpy as np
import pytest

from embalse.config import Settings
from embalse.services import times
from embalse.services.readings import rollups as readings_service
from embalse.store import farm, imports, readings
from embalse.store.database import database, transaction
from embalse.store.errors import Conflict, NotFound
from embalse.store.models import Reading
from tests.conftest import put

HOUR, DAY = 3600, 86400
NOW = 1_784_001_600  # 06:00 in Madrid on 14 July 2026


@pytest.fixture
def stored(farm_of_two: Settings) -> dict[str, int]:
    """Two blocks with three sensors each; hourly readings of four days whose value is the hour's number."""
    ids = {s.ref: s.id for s in farm.sensors()}
    with transaction():
        job = imports.start_job("x", "0", NOW)
        for number, sensor_id in enumerate(ids.values()):
            rows = [(sensor_id, NOW - HOUR * h, float(100 * number - h), job) for h in range(96)]
            assert readings.insert_new(rows) == 96
    return ids


@pytest.fixture
def farm_of_two(farm: Settings, plain: dict[str, Any]) -> Settings:
    plain["blocks"][0] |= {"key": "two", "name": "Two"}
    for sensor in plain["blocks"][0]["stations"][0]["sensors"]:
        sensor["channel"] = ""
    put(plain)
    return farm


def test_latest_is_the_median_of_the_last_three_hours(stored: dict[str, int]) -> None:
    found = readings.latest(None, NOW)
    assert len(found) == 6
    assert found[stored["one/a/10"]] == (NOW, -1.0, 0.0, -2.0, 0.0)
    assert found[stored["two/a/50"]] == (NOW, 499.0, 500.0, 498.0, 500.0)


def test_latest_of_one_block_and_of_the_past(stored: dict[str, int]) -> None:
    block = farm.farm_rows(["two"]).blocks[0]
    then = NOW - 10 * HOUR - 60
    found = readings.latest(block.id, then)
    assert set(found) == {stored[f"two/a/{d}"] for d in (10, 30, 50)}
    assert found[stored["two/a/10"]][:2] == (NOW - 11 * HOUR, 300.0 - 12)
    assert readings.latest(None, NOW - 400 * HOUR) == {}


def test_readings_between_two_instants_are_in_order(stored: dict[str, int]) -> None:
    ts, raw = readings.between(stored["one/a/10"], NOW - 5 * HOUR, NOW - 2 * HOUR)
    assert ts.tolist() == [NOW - h * HOUR for h in (5, 4, 3, 2)]
    assert raw.tolist() == [-5, -4, -3, -2]
    assert readings.span(stored["one/a/10"]) == (NOW - 95 * HOUR, NOW)
    assert readings.span(999) is None
    assert readings.first_reading() == NOW - 95 * HOUR


def test_dawns_come_by_sensor_and_day(stored: dict[str, int]) -> None:
    zone = "Europe/Madrid"
    for sensor_id in stored.values():
        readings_service.update_rollups(sensor_id, NOW - 95 * HOUR, NOW, zone)
    last = times.local_day(NOW, zone)
    found = readings.dawns(None, last - 1, last)
    assert set(found) == set(stored.values())
    days, values = found[stored["one/a/30"]]
    assert days.tolist() == [last - 1, last]
    assert np.diff(values).tolist() == [24]
    assert readings.dawns(None, 1, 2) == {}
    block = farm.farm_rows(["one"]).blocks[0]
    assert len(readings.dawns(block.id, last - 9, last)) == 3


def test_inserting_again_counts_nothing_and_changes_nothing(stored: dict[str, int]) -> None:
    sensor_id = stored["one/a/10"]
    assert readings.insert_new([(sensor_id, NOW, 777.0, 1), (sensor_id, NOW + 1, 5.0, 1)]) == 1
    kept = readings.stored_values([(sensor_id, NOW, 0.0, 0), (sensor_id, NOW + 2, 0.0, 0)])
    assert kept == {(sensor_id, NOW): (0.0, 1)}


def test_sets_and_rain_by_time(farm_of_two: Settings) -> None:
    sets = [
        {"block": b, "start": f"2026-07-{d:02d}T20:00", "hours": 2, "gross_mm": d}
        for b in ("one", "two")
        for d in (9, 11)
    ]
    put({"embalse": 1, "sets": sets, "rain": [{"day": "2026-07-10", "depth_mm": 3}]})
    start, end = (times.parse_moment(f"2026-07-{d}T00:00", "Europe/Madrid") for d in ("10", "12"))
    assert [(s.block_key, s.gross_mm) for s in readings.sets(None, start, end)] == [("one", 11), ("two", 11)]
    assert [s.gross_mm for s in readings.sets("one", 0, end)] == [9, 11]
    day = times.local_day(start, "Europe/Madrid")
    assert readings.rain(day, day) == [(day, 3.0)]
    assert readings.rain(day + 1, day + 9) == []


def test_rows_of_the_farm_belong_together(farm_of_two: Settings) -> None:
    rows = farm.farm_rows()
    assert [b.key for b in rows.blocks] == ["one", "two"]
    for block in rows.blocks:
        stations = rows.stations[block.id]
        assert [s.ref for t in stations for s in rows.sensors[t.id]] == [f"{block.key}/a/{d}" for d in (10, 30, 50)]
        assert rows.horizons[block.soil_id][0].bottom_cm == 120
        assert block.system_id is not None and rows.systems[block.system_id].key == "drip"
    only = farm.farm_rows(["two"])
    assert [b.key for b in only.blocks] == ["two"] and len(only.stations) == 1
    with pytest.raises(NotFound, match="no block 'three'"):
        farm.farm_rows(["one", "three"])


def test_a_units_change_is_refused_once_there_are_readings(stored: dict[str, int]) -> None:
    with pytest.raises(Conflict):
        imports.set_raw_unit(stored["one/a/10"], "%")


def test_a_block_taken_away_takes_its_stations_along(farm_of_two: Settings) -> None:
    database.execute_sql("DELETE FROM block WHERE key = 'two'")
    assert {s.ref.split("/")[0] for s in farm.sensors()} == {"one"}


def test_readings_hold_their_sensor_in_place(stored: dict[str, int]) -> None:
    count = Reading.select().count()
    database.execute_sql("DELETE FROM sensor WHERE id = ?", (stored["one/a/10"],))
    assert Reading.select().count() == count - 96


def test_unknown_jobs_and_profiles_are_named(farm: Settings) -> None:
    with pytest.raises(NotFound, match="no import 7"):
        imports.job(7)
    with pytest.raises(NotFound, match="no import profile 'x'"):
        imports.profile("x")


def test_many_refusals_are_kept_in_order(farm: Settings) -> None:
    job = imports.start_job("x", "0", 1)
    imports.keep_refusals(job, [(line, "a", "not a number", "x") for line in range(900, 0, -1)])
    kept = imports.refusals(job)
    assert [r["line"] for r in kept] == list(range(1, 901))
    imports.finish_job(job, "refused", 2, {"refused": 900, "message": "no"})
    assert imports.jobs()[0]["refused"] == 900
