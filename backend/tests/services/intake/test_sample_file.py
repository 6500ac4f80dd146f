"""The sample file: read in like any other, it gives advice, says what it is, and is taken out without a trace."""

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.core.simulate.sample import sample_weeks
from embalse.core.soil.horizon_marks import Horizon, horizon_marks
from embalse.core.soil.soil import FineEarth
from embalse.ingest.layout import inspect_file
from embalse.services.advice.advise import round_content
from embalse.services.document.export import farm_document as exported
from embalse.services.intake.import_plan import plan_by_names
from embalse.services.intake.imports import run_import
from embalse.services.intake.sample_file import MARK, sample_file
from embalse.services.intake.undo import undo_import
from embalse.store import farm as farm_store
from embalse.store.errors import Conflict, NotFound
from embalse.store.models import Reading
from tests.conftest import PLAIN_FARM, put
from tests.web import client_of

LOAM = Horizon(0, 120, FineEarth(0.4, 0.2, 2.5))


def read_in(tmp_path: Path, text: str, name: str = "sample-one.csv") -> Any:
    path = tmp_path / name
    path.write_text(text)
    plan = plan_by_names(inspect_file(path, "wide"), farm_store.sensors(), "Europe/Madrid")
    assert plan is not None
    return run_import(path, name, plan)


def test_read_in_it_gives_advice_and_taken_out_it_leaves_nothing(farm: Settings, tmp_path: Path) -> None:
    before = exported()
    pages = client_of(farm)
    assert pages.get("/api/farm").json["samples"] == []
    report = read_in(tmp_path, pages.get("/api/blocks/one/sample.csv").text)
    assert report.status == "done" and report.readings_new == 3 * 21 * 24 and report.refused == 0
    [block] = round_content().blocks
    assert block.group in ("act", "coming", "leave") and block.refill is not None
    assert pages.get("/api/farm").json["samples"] == [{"id": report.job_id, "file_name": "sample-one.csv"}]
    undo_import(report.job_id)
    assert pages.get("/api/farm").json["samples"] == []
    assert Reading.select().count() == 0 and exported() == before


def test_a_file_of_readings_is_no_sample_whatever_its_name(farm: Settings, tmp_path: Path) -> None:
    text = sample_file("one").removeprefix(f"{MARK}\n")
    assert read_in(tmp_path, text, "sample.csv").status == "done"
    assert client_of(farm).get("/api/farm").json["samples"] == []


@pytest.mark.parametrize(("unit", "low", "high"), [("%", 5, 50), ("kPa", 0, 199), ("m3/m3", 0.05, 0.5)])
def test_each_sensor_in_its_own_unit(farm: Settings, unit: str, low: float, high: float) -> None:
    sensors = [{"depth_cm": 20, "channel": "u-20", "raw_unit": unit}]
    put(
        {
            "embalse": 1,
            "blocks": [{**PLAIN_FARM["blocks"][0], "key": "two", "stations": [{"key": "a", "sensors": sensors}]}],
        }
    )
    mark, head, *rows = sample_file("two").splitlines()
    assert (mark, head) == (MARK, "time,u-20")
    values = [float(row.split(",")[1]) for row in rows]
    assert low <= min(values) < max(values) <= high
    assert rows[-1].startswith("2026-07-14 06:00,")


def test_where_there_can_be_none_it_says_why(farm: Settings) -> None:
    counts = {"key": "a", "sensors": [{"depth_cm": 20, "channel": "c", "raw_unit": "count"}]}
    base = PLAIN_FARM["blocks"][0]
    put(
        {
            "embalse": 1,
            "blocks": [{**base, "key": "two", "stations": [counts]}, {**base, "key": "bare", "stations": []}],
        }
    )
    with pytest.raises(Conflict, match="before they are calibrated"):
        sample_file("two")
    with pytest.raises(Conflict, match="no sensors yet"):
        sample_file("bare")
    with pytest.raises(NotFound):
        sample_file("none")


def test_the_weeks_are_a_soil_that_is_watered_and_dries() -> None:
    theta = sample_weeks([LOAM], 60.0, (10.0, 30.0, 80.0))
    marks = horizon_marks(LOAM)
    assert theta.shape == (504, 3) and (theta == sample_weeks([LOAM], 60.0, (10.0, 30.0, 80.0))).all()
    assert marks.theta_wilting < theta.min() and theta.max() < marks.theta_saturation
    upper, deep = theta[:, 0], theta[:, 2]
    assert upper.max() - upper.min() > 3 * (deep.max() - deep.min())
    assert (upper[24:] - upper[:-24]).max() > 0.05  # it was watered
    assert upper[-24:].mean() < upper[-72:-48].mean()  # and dries down at the end


@pytest.mark.parametrize("bottom_cm", [20, 60, 120])
def test_a_soil_described_no_deeper_than_its_roots_has_weeks_too(bottom_cm: float) -> None:
    theta = sample_weeks([replace(LOAM, bottom_cm=bottom_cm)], 60.0, (10.0, 30.0, 50.0))
    assert theta == pytest.approx(sample_weeks([LOAM], 60.0, (10.0, 30.0, 50.0)))


def test_a_block_without_a_soil_has_none() -> None:
    with pytest.raises(CoreError):
        sample_weeks([], 60.0, (10.0,))
