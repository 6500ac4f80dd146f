"""Water accounts of the demonstration against what its soil truly did, and plantings that follow each other."""

import csv
import json
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from click.testing import CliRunner

from embalse.cli import main
from embalse.config import Settings
from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.block_model.kept_fits import _here, computing
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.schema.refused import DocumentErrors
from embalse.services.season.account import season_account
from embalse.services.season.table import account_rows, farm_plantings
from embalse.store import farm as farm_store
from tests.conftest import put
from tests.services.setup.test_practice import fill


def truth(folder: Path, station: str, first: float) -> tuple[float, float]:
    """What truly drained and ran off at a station from an instant on [mm in its soil]."""
    drained = ran = 0.0
    with (folder / "demo" / "truth.csv").open() as stream:
        for row in csv.DictReader(stream):
            if row["station"] == station and float(row["ts"]) >= first:
                drained += float(row["drained_mm"])
                ran += float(row["runoff_mm"])
    return drained, ran


@pytest.mark.parametrize("block", ["norte-1", "norte-2", "olivar", "mesa"])
def test_where_nothing_runs_off_the_account_closes(demo: Settings, block: str) -> None:
    told = season_account(block).account
    assert told is not None and told.closes
    ins = told.irrigation.mm + told.counted_rain.mm
    outs = told.lost_on_way.mm + told.use.mm + (told.below.mm if told.below else 0.0) + told.store_change.mm
    assert ins - outs == pytest.approx(told.residual.mm, abs=1e-6)


def test_what_went_below_and_what_ran_off_are_found(demo: Settings, demo_data: Path) -> None:
    _here.clear()  # fits of another copy would start this one's from elsewhere
    alone = season_account("norte-2")
    assert any("told by the probes alone" in words for words in alone.not_told)
    with computing():
        leaking = season_account("norte-2")
    assert leaking.account is not None and leaking.account.below is not None
    drained, _ = truth(demo_data, "norte-2/a", 0)
    assert leaking.account.below.mm == pytest.approx(0.4 * drained, abs=2 * leaking.account.below.error_mm)
    assert any("went below the roots" in words for words in leaking.change)
    assert leaking.account.wet_hours is not None and leaking.account.wet_hours_depth_cm == 10
    assert 0 <= leaking.account.wet_hours < leaking.account.wet_hours_read < 24 * leaking.account.days + 48
    sloping = season_account("ladera")
    assert sloping.account is not None and not sloping.account.closes and sloping.account.residual.mm > 100
    assert any("neither used, stored nor seen to pass" in words for words in sloping.change)


def test_a_past_account_stays(demo: Settings) -> None:
    before = season_account("norte-1", "2026-06-20T06:00").model_dump()
    put({"embalse": 1, "sets": [{"block": "norte-1", "start": "2026-06-02T08:00", "hours": 9, "gross_mm": 40}]})
    assert season_account("norte-1", "2026-06-20T06:00").model_dump() == before
    assert season_account("norte-1").account != before["account"]


def test_the_command_line_says_the_same(demo: Settings) -> None:
    run = CliRunner()
    content = season_account("olivar")
    env = {"EMBALSE_DATA": demo.data}
    told = run.invoke(main, ["season", "olivar", "--json"], env=env)
    assert json.loads(told.output)["account"]["irrigation"]["mm"] == pytest.approx(content.account.irrigation.mm)  # type: ignore[union-attr]
    table = run.invoke(main, ["season", "olivar", "--csv"], env=env).output.splitlines()
    assert table[0] == "line,mm,error_mm" and len(table) == len(account_rows(content)) + 1
    assert run.invoke(main, ["season", "olivar"], env=env).output.splitlines()[0].endswith("the roots of Olivar")
    listed = run.invoke(main, ["plantings"], env=env).output.splitlines()
    assert listed[1].startswith("norte-1,,almond") and len(listed) == 10
    assert run.invoke(main, ["season", "olivar", "--planting", "none"], env=env).exit_code != 0


class TestRotation:
    def planted(self, plain: dict[str, Any]) -> None:
        fill({"10": 0.25, "30": 0.25, "50": 0.25})
        put({"embalse": 1, "blocks": [{**plain["blocks"][0], "planting_date": "2026-05-01"}]})

    def test_a_new_planting_stands_from_its_day_and_past_advice_stays(
        self, farm: Settings, plain: dict[str, Any]
    ) -> None:
        self.planted(plain)
        before = round_content("2026-07-12T06:00").model_dump()
        put({"embalse": 1, "plantings": [{"key": "p", "valid_from": "2026-07-13", "block": "one", "crop": "maize grain",
                                          "root_depth_cm": 40, "allowable_depletion_fraction": 0.5}]})  # fmt: skip
        now = round_content().blocks[0]
        assert now.crop == "maize grain" and now.stage == "initial" and now.root_depth_cm == 40
        assert round_content("2026-07-12T06:00").model_dump() == before
        assert [p[2] for p in farm_plantings()] == ["tomato", "maize grain"]

    def test_after_the_last_harvest_the_ground_is_bare(self, farm: Settings, plain: dict[str, Any]) -> None:
        self.planted(plain)
        put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-07-12", "block": "one", "ends": True,
                                         "yield_t_ha": 92.0}]})  # fmt: skip
        found = round_content().blocks[0]
        assert found.group == "none" and found.crop == "" and "nothing grows here" in found.reason
        assert farm_plantings()[0][5:] == ("2026-07-12", "92")
        put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-07-12", "block": "one", "ends": True,
                                         "yield_t_ha": 92.0, "withdrawn": "2026-07-14T05:00"}]})  # fmt: skip
        assert round_content().blocks[0].crop == "tomato"

    def test_a_cutting_starts_the_calendar_again(self, farm: Settings, plain: dict[str, Any]) -> None:
        self.planted(plain)
        assert round_content().blocks[0].stage == "mid"
        put({"embalse": 1, "harvests": [{"key": "c", "valid_from": "2026-07-10", "block": "one", "kind": "cutting"}]})
        assert round_content().blocks[0].stage == "initial"

    def test_alfalfa_that_is_cut_goes_by_the_cutting(self, farm: Settings, plain: dict[str, Any]) -> None:
        """Cut on 10 July: 0.40 until it sprouts, then up to 1.20; uncut it goes by the season's average, 0.95."""
        self.planted(plain)
        hay = {**plain["blocks"][0], "planting_date": "2026-04-01", "crop": "alfalfa"}
        put({"embalse": 1, "blocks": [hay]})

        def kc(*days: int) -> list[float]:
            calendar = core_blocks(farm_store.farm_rows(), clock.farm_now(clock.the_farm()))[0].calendar
            assert calendar is not None
            day = times.day_number(date(2026, 7, 10))
            return [round(float(v), 2) for v in calendar.kc_on(np.array([day + n for n in days]))]

        assert kc(0) == [0.9]
        put({"embalse": 1, "harvests": [{"key": "c", "valid_from": "2026-07-10", "block": "one", "kind": "cutting"}]})
        assert kc(0, 4, 10, 20, 25, 30) == [0.4, 0.4, 0.8, 1.2, 1.2, 1.15]
        put({"embalse": 1, "blocks": [{**hay, "crop_values": {"kc_mid": 1.0}}]})
        assert kc(20) == [1.0]

    def test_a_harvest_before_anything_was_planted_is_refused(self, farm: Settings, plain: dict[str, Any]) -> None:
        early = {"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-04-30", "block": "one"}]}
        with pytest.raises(DocumentErrors, match="before anything was planted"):
            put(early)
        self.planted(plain)
        with pytest.raises(DocumentErrors, match="before anything was planted"):
            put(early)
        put({"embalse": 1, "harvests": [{"key": "h", "valid_from": "2026-05-01", "block": "one"}]})

    def test_a_planting_to_come_is_known_and_changes_nothing_yet(self, farm: Settings, plain: dict[str, Any]) -> None:
        self.planted(plain)
        before = round_content().model_dump()
        put({"embalse": 1, "plantings": [{"key": "p", "valid_from": "2026-07-15", "block": "one", "crop": "maize"}]})
        assert round_content().model_dump() == before
        assert [p[2] for p in farm_plantings()] == ["tomato", "maize"]
        told = season_account("one")
        assert told.crop == "tomato" and [p.crop for p in told.plantings] == ["tomato", "maize"]

    def test_a_planting_about_nothing_is_refused(self, farm: Settings) -> None:
        with pytest.raises(Exception, match="no block"):
            put({"embalse": 1, "plantings": [{"key": "p", "valid_from": "2026-07-13", "block": "x", "crop": "maize"}]})
        with pytest.raises(Exception, match="no value of a crop"):
            put({"embalse": 1, "plantings": [{"key": "p", "valid_from": "2026-07-13", "block": "one", "crop": "maize",
                                              "crop_values": {"height": 2}}]})  # fmt: skip
