"""Hourly and dawn values stay what making them anew would give, whatever happens to the readings."""

from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from embalse.config import Settings
from embalse.services.advice.block_page import block_content
from embalse.services.intake import telemetry
from embalse.services.intake.undo import undo_import
from embalse.services.readings import rollups
from embalse.services.setup import fault_review
from embalse.store import farm as farm_store
from embalse.store import gateways as gateway_store
from embalse.store import hours
from embalse.store.database import database, transaction
from embalse.store.models import FaultFound, ImportJob, Sensor
from tests.conftest import CLOCK, put
from tests.services.readings.test_faults import bring, stick

HOUR = 3600


def stored_rollups() -> tuple[list[Any], list[Any]]:
    return (
        database.execute_sql("SELECT sensor_id, day, hex(raw) FROM hours ORDER BY 1, 2").fetchall(),
        database.execute_sql("SELECT * FROM dawn ORDER BY 1, 2").fetchall(),
    )


def made_anew() -> tuple[list[Any], list[Any]]:
    kept = stored_rollups()
    with transaction():
        ids = [s.id for s in Sensor.select()]
        hours.forget(ids)
        rollups.rebuild_dawns("Europe/Madrid")
    anew = stored_rollups()
    assert kept == anew
    return anew


class Sent(NamedTuple):
    channel: str
    at: int
    value: float


def send(values: list[tuple[int, float]], channel: str = "one-30") -> None:
    gateway = next(g for g in gateway_store.gateways() if g.key == "probe")
    telemetry.accept(gateway, [Sent(channel, at, value) for at, value in values])


def test_after_an_import_late_data_a_verdict_a_calibration_and_an_undo(farm: Settings, tmp_path: Path) -> None:
    telemetry.register("probe", "", [])
    bring(tmp_path / "a.csv", stick)
    assert stored_rollups() == made_anew()
    send([(CLOCK - HOUR * 24 * 25 + 600 * n, 0.25 + 0.001 * (n % 7)) for n in range(40)])
    assert stored_rollups() == made_anew()
    stuck = FaultFound.get(fault="stuck")
    fault_review.decide("fault", stuck.id, "overruled", "it rained", "tester")
    assert stored_rollups() == made_anew()
    sensor = {"depth_cm": 30, "calibrations": [{"valid_from": "2026-07-01", "slope": 1.0, "intercept": -0.3}]}
    block = {
        "key": "one",
        "soil": "loam",
        "area_ha": 10,
        "crop": "tomato",
        "stations": [{"key": "a", "sensors": [sensor]}],
    }
    put({"embalse": 1, "blocks": [block]})  # takes all readings of July out of range
    assert FaultFound.select().where(FaultFound.fault == "range").exists()
    assert stored_rollups() == made_anew()
    undo_import(ImportJob.get(file_name="a.csv").id)
    assert stored_rollups() == made_anew()
    assert len(stored_rollups()[0]) == 1


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_after_batches_in_any_order(farm: Settings, data: st.DataObject) -> None:
    database.execute_sql("DELETE FROM reading")
    database.execute_sql("DELETE FROM fault")
    database.execute_sql("DELETE FROM dawn")
    database.execute_sql("DELETE FROM hours")
    database.execute_sql("DELETE FROM gateway")
    telemetry.register("probe", "", [])
    for _ in range(data.draw(st.integers(1, 4))):
        start = CLOCK - HOUR * data.draw(st.integers(30, 24 * 12))
        step = data.draw(st.sampled_from([600, 1800, 3600]))
        values = data.draw(st.lists(st.floats(0.1, 0.4), min_size=1, max_size=60))
        send([(start + step * n, round(v, 3)) for n, v in enumerate(values) if start + step * n <= CLOCK])
        assert stored_rollups() == made_anew()


def test_a_batch_days_later_that_turns_a_verdict_remakes_its_hour(farm: Settings) -> None:
    telemetry.register("probe", "", [])
    start = CLOCK - HOUR * 221
    send([(start + 600 * n, v) for n, v in enumerate([0.375, 0.25, 0.375, 0.3125, 0.25, 0.25])])
    send([(CLOCK - HOUR * 149, 0.25)])
    assert stored_rollups() == made_anew()


def test_an_hour_is_the_median_of_its_believed_readings(farm: Settings) -> None:
    telemetry.register("probe", "", [])
    day = CLOCK // 86400 * 86400 - 5 * 86400
    send([(day + 900 * n, 0.2 + 0.001 * (n % 4)) for n in range(96)])
    sensor = Sensor.get(key="30").id
    ts, raw = rollups.hourly(sensor, day, day + 86399)
    assert ts.tolist() == [day + HOUR * h for h in range(24)]
    assert raw == pytest.approx(np.full(24, 0.2015))
    cut_ts, cut_raw = rollups.hourly(sensor, day, day + 2 * HOUR + 900)  # two readings of the third hour
    assert cut_ts.tolist() == [day, day + HOUR, day + 2 * HOUR] and cut_raw[-1] == pytest.approx(0.2005)
    assert len(rollups.hourly(sensor, day - 9 * 86400, day - 8 * 86400)[0]) == 0


def test_a_farm_from_before_is_filled_once(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv")
    before = stored_rollups()
    with transaction():
        hours.forget([s.id for s in farm_store.sensors()])
    assert rollups.fill_hours("Europe/Madrid") and stored_rollups() == before
    assert not rollups.fill_hours("Europe/Madrid")


def test_the_block_page_is_drawn_from_hourly_values(farm: Settings, tmp_path: Path) -> None:
    bring(tmp_path / "a.csv", stick)
    page = block_content("one", days=5)
    trace = page.stations[0].traces[1]
    assert len(page.times) == 24 * 5 + 1 and page.times[-1] == CLOCK
    assert sum(v is None for v in trace.theta) == 60 == len(trace.flagged)
    database.execute_sql("DELETE FROM reading WHERE ts < ?", (CLOCK - 86400,))  # it does not read them
    assert block_content("one", days=5).stations[0].traces[0].theta == page.stations[0].traces[0].theta
