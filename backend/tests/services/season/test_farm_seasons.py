"""All plantings of the farm on one list, and the farm's account."""

import csv
import io
import json
from typing import Any

import pytest
from click.testing import CliRunner

from embalse.app import create_app
from embalse.cli import main
from embalse.config import Settings
from embalse.services.season.account import season_account
from embalse.services.season.farm_seasons import FarmSeasonsContent, farm_seasons, seasons_csv
from tests.conftest import put
from tests.services.setup.test_practice import fill
from tests.web import pages_of

THIRSTY = {"key": "r", "block": "olivar", "crop": "maize grain", "variety": "=late", "valid_from": "2026-06-20"}


@pytest.fixture
def told(demo: Settings) -> FarmSeasonsContent:
    return farm_seasons()


class TestDemo:
    def test_every_block_stands_once_with_the_figures_of_its_own_page(self, told: FarmSeasonsContent) -> None:
        assert len({r.block for r in told.rows}) == len(told.rows) == 9
        own = season_account("norte-1").account
        row = next(r for r in told.rows if r.block == "norte-1")
        assert own is not None and (row.given_mm, row.use_mm) == (own.irrigation.mm, own.use.mm)
        assert [(r.crop, r.variety, r.first_day) for r in told.rows] == sorted(
            (r.crop, r.variety, r.first_day) for r in told.rows
        )

    def test_the_farm_is_the_sum_of_its_blocks(self, told: FarmSeasonsContent) -> None:
        assert told.total is not None
        volumes = [r.volume_m3 for r in told.rows if r.volume_m3 is not None]
        assert told.total.irrigation.m3 == pytest.approx(sum(volumes)) and told.total.blocks == len(volumes)
        left = [(10 * r.area_ha * r.residual_mm) for r in told.rows if r.residual_mm is not None]
        assert told.total.residual.m3 == pytest.approx(sum(left), abs=1e-6)
        unsaid = {r.name for r in told.rows if r.given_mm is None}
        assert set(told.left_out) == unsaid and all(r.why_not for r in told.rows if r.given_mm is None)

    def test_the_table_says_the_same(self, demo: Settings, told: FarmSeasonsContent) -> None:
        table = list(csv.DictReader(io.StringIO(seasons_csv())))
        assert [r["block"] for r in table] == [r.block for r in told.rows]
        assert [r["irrigation [mm]"] for r in table if r["block"] == "norte-1"] == [
            str(round(r.given_mm or 0.0, 2)) for r in told.rows if r.block == "norte-1"
        ]


def test_the_command_line_says_the_same(farm: Settings, plain: dict[str, Any]) -> None:
    fill({"10": 0.25, "30": 0.25, "50": 0.25})
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01"}]})
    told, env = farm_seasons(), {"EMBALSE_DATA": farm.data}
    as_json = json.loads(CliRunner().invoke(main, ["season", "--json"], env=env).output)
    assert as_json["rows"] == json.loads(told.model_dump_json())["rows"] and len(told.rows) == 1
    said = CliRunner().invoke(main, ["season"], env=env).output.splitlines()
    assert said[0].startswith("One, tomato from 2026-05-01: ")
    assert CliRunner().invoke(main, ["season", "--csv"], env=env).output.splitlines()[0].startswith("block,name")


def test_the_page_asks_for_it(demo: Settings) -> None:
    client = pages_of(create_app(demo))
    assert client.get("/api/seasons").json["rows"]  # type: ignore[index]
    table = client.get("/api/seasons/table.csv")
    assert table.mimetype == "text/csv" and "seasons.csv" in table.headers["Content-Disposition"]
    assert client.get("/api/seasons?as_of=never").status_code == 422


def test_a_planting_that_is_over_keeps_its_account(demo: Settings) -> None:
    eve = season_account("olivar", "2026-06-19T23:00")
    put({"embalse": 1, "plantings": [THIRSTY]})
    over = season_account("olivar", None, "")
    assert (over.crop, over.last_day) == ("olive", "2026-06-19") and over.account is not None
    assert eve.account is not None and over.account.irrigation == eve.account.irrigation
    rows = [r for r in farm_seasons().rows if r.block == "olivar"]
    assert [(r.crop, r.stands, r.last_day) for r in rows] == [
        ("maize grain", True, None), ("olive", False, "2026-06-19"),
    ]  # fmt: skip
    table = list(csv.DictReader(io.StringIO(seasons_csv())))
    assert next(r["variety"] for r in table if r["block"] == "olivar") == "'=late"
    total = farm_seasons().total
    assert total is not None and total.irrigation.m3 == pytest.approx(
        sum(r.volume_m3 for r in farm_seasons().rows if r.stands and r.volume_m3 is not None)
    )


def test_a_block_without_readings_says_why_and_stops_nobody(farm: Settings, plain: dict[str, Any]) -> None:
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01"}]})
    found = farm_seasons()
    assert found.total is None and found.left_out == ["One"] and found.rows[0].why_not


def test_a_planting_before_the_first_reading_says_so(farm: Settings, plain: dict[str, Any]) -> None:
    fill({"10": 0.25, "30": 0.25, "50": 0.25})
    put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2025-03-01"}]})
    put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2025-08-01", "block": "one", "ends": True,
                                     "yield_t_ha": 92.0}]})  # fmt: skip
    row = farm_seasons().rows[0]
    assert (row.stands, row.given_mm, row.yield_t_ha, row.last_day) == (False, None, 92.0, "2025-08-01")
    assert "before the first reading" in row.why_not
