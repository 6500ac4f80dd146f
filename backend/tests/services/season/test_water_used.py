"""The report of water used: meters, blocks, and sums that can be checked by hand."""

import csv
import io
import json
from datetime import date
from typing import Any

import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.core.errors import CoreError
from embalse.services.season.water_used import water_used, water_used_csv
from tests.conftest import put

YEAR = (date(2026, 1, 1), date(2026, 12, 31))


@pytest.fixture
def watered(farm: Settings, plain: dict[str, Any]) -> Settings:
    """The small farm with a metered supply and two sets: 5 ha, 20 and 30 mm."""
    block = {**plain["blocks"][0], "area_ha": 5, "supply": "well"}
    put({"embalse": 1, "supplies": [{"key": "well", "name": "Well", "flow_m3_h": 100}], "blocks": [block],
         "sets": [{"block": "one", "start": "2026-06-10T20:00", "hours": 10, "gross_mm": 20},
                  {"block": "one", "start": "2026-07-10T20:00", "hours": 15, "gross_mm": 30}]})  # fmt: skip
    return farm


def read(on: str, m3: float, **more: Any) -> None:
    put({"embalse": 1, "meter_readings": [{"key": f"m-{on[:10]}", "supply": "well", "at": on, "meter_m3": m3, **more}]})


def test_millimetres_and_hectares_are_cubic_metres(watered: Settings) -> None:
    told = water_used(None, *YEAR)
    assert told.volume_m3 == pytest.approx(50 * 5 * 10) and told.last_day == "2026-07-14"
    [block] = told.blocks
    assert (block.sets, block.measured_sets, block.depth_mm) == (2, 0, 50) and block.crops == ["tomato"]
    assert told.supplies[0].volume_m3 == told.volume_m3
    assert water_used(None, date(2026, 7, 1)).volume_m3 == pytest.approx(30 * 5 * 10)
    assert water_used(None, date(2026, 6, 10), date(2026, 6, 10)).volume_m3 == pytest.approx(20 * 5 * 10)


def test_the_meter_is_held_against_what_is_on_record_between_its_readings(watered: Settings) -> None:
    assert "no meter was read twice" in water_used(None, *YEAR).supplies[0].words[0]
    read("2026-06-01T08:00", 12000)
    read("2026-07-14T05:00", 14600)
    [supply] = water_used(None, *YEAR).supplies
    assert supply.meter is not None and supply.meter.agrees and supply.meter.counted_m3 == 2600
    assert supply.meter.on_record_m3 == 2500 and "agree" in supply.words[0]
    read("2026-07-14T05:00", 15200)
    [supply] = water_used(None, *YEAR).supplies
    assert supply.meter is not None and not supply.meter.agrees
    assert "700 m³ less on record than the meter counted" in supply.words[0]
    read("2026-07-01T08:00", 12900)
    [supply] = water_used(None, date(2026, 7, 1)).supplies
    assert supply.meter is not None and supply.meter.on_record_m3 == 1500 and supply.meter.counted_m3 == 2300


def test_a_meter_that_turned_over_is_told(watered: Settings) -> None:
    read("2026-06-01T08:00", 99000)
    read("2026-06-20T08:00", 500)
    read("2026-07-14T05:00", 2000)
    [supply] = water_used(None, *YEAR).supplies
    assert supply.meter is not None and supply.meter.counted_m3 == 1500 and "the meter fell on" in supply.words[0]
    read("2026-06-20T08:00", 500, new_meter=True)
    assert "fell" not in " ".join(water_used(None, *YEAR).supplies[0].words)


def test_a_past_report_stays(watered: Settings) -> None:
    read("2026-06-01T08:00", 12000)
    before = water_used("2026-07-12T06:00", *YEAR).model_dump()
    put({"embalse": 1, "sets": [{"block": "one", "start": "2026-07-13T20:00", "hours": 5, "gross_mm": 10}]})
    read("2026-07-14T05:00", 14600)
    assert water_used("2026-07-12T06:00", *YEAR).model_dump() == before
    assert before["last_day"] == "2026-07-12"


def test_days_the_wrong_way_round_are_refused(watered: Settings) -> None:
    with pytest.raises(CoreError, match="before the first"):
        water_used(None, date(2026, 7, 2), date(2026, 7, 1))
    with pytest.raises(CoreError, match="ten years"):
        water_used(None, date(2010, 7, 2), date(2026, 7, 1))


def test_the_demonstrations_metered_sets_are_among_all(demo: Settings) -> None:
    told = water_used(None, *YEAR)
    assert sum(b.volume_m3 for b in told.blocks) == pytest.approx(told.volume_m3)
    well = next(s for s in told.supplies if s.key == "pozo")
    assert well.meter is not None and well.meter.agrees
    assert well.meter.counted_m3 == pytest.approx(1.02 * well.meter.on_record_m3, rel=1e-3)
    assert all(b.measured_m3 <= b.volume_m3 and b.measured_sets <= b.sets for b in told.blocks)
    rows = list(csv.DictReader(io.StringIO(water_used_csv(None, *YEAR))))
    assert [r["block"] for r in rows] == [b.key for b in told.blocks]
    assert float(rows[0]["volume [m3]"]) == pytest.approx(told.blocks[0].volume_m3, abs=0.06)


def test_the_command_line_says_the_same(watered: Settings) -> None:
    runner = CliRunner(env={"EMBALSE_DATA": watered.data})
    told = json.loads(runner.invoke(main, ["water-used", "--json"]).output)
    assert told["volume_m3"] == 2500
    text = runner.invoke(main, ["water-used", "--first", "2026-07-01"]).output
    assert "Well: 1500 m³ on record" in text and "times the area of the block" in text
    assert runner.invoke(main, ["water-used", "--csv"]).output.startswith("block,name,supply")
