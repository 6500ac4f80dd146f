"""Advice where a block's own fitted model gives the days ahead, and what is said of the model."""

import math
from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import (
    LONGEST_LOOK_DAYS,
    SOON_DAYS,
    BlockAnalysis,
    StationAnalysis,
    analyse,
)
from embalse.core.advice.soaking import GivenWater
from embalse.core.crop.depletion_forecast import LossPaths
from embalse.core.root_zone.block import SensorReadings
from embalse.core.soil.horizon_marks import TEXTURE_FULL_ERROR, full_error_theta
from embalse.core.soil.retention import equation_curve
from embalse.core.sources import Source, Sourced
from embalse.core.wording import Notice
from tests.core.advice.situations import CALENDAR, SKIES
from tests.core.build import DAY, DEPTHS, block, drying

DRY = GivenWater()


def readings(theta: float = 0.22, use: float = 0.005) -> dict[str, SensorReadings]:
    return {f"a/{d:g}": drying(theta, use) for d in DEPTHS}


def advised(rate: float | None, theta: float = 0.22, spread: float = 0.1, **said: float) -> BlockAnalysis:
    """A block whose model says that so many millimetres go a day; without one by the dry-downs alone."""
    seen: list[int] = []

    def paths_of(stations: object) -> LossPaths | None:
        assert isinstance(stations, list) and all(isinstance(s, StationAnalysis) for s in stations)
        seen.append(len(stations))
        if rate is None:
            return None
        times = np.arange(0, 14.1, 0.125)
        return LossPaths(times, (rate + spread * np.linspace(-1, 1, 9))[:, None] * times, **said)  # type: ignore[arg-type]

    there = replace(block(), calendar=CALENDAR, crop="tomato")
    found = analyse(there, readings(theta), DRY, SKIES["mild"], paths_of)
    assert seen == [1]
    return found


def line(found: BlockAnalysis, key: str) -> float:
    [value] = [one.value for one in found.lines if one.key == key]
    assert value is not None
    return value


def cautions(found: BlockAnalysis) -> set[str]:
    return {one.code for one in found.cautions}


def test_the_date_is_the_models_and_the_working_adds_up() -> None:
    found = advised(6.0)
    assert found.advice.days is not None
    left = line(found, "left_mm")
    assert found.advice.days.mid == pytest.approx(left / 6.0, rel=0.02)
    assert left / line(found, "model_rate_mm_d") == pytest.approx(found.advice.days.mid)


def test_what_the_dry_downs_say_stands_beside_it() -> None:
    beside, alone = advised(6.0), advised(None)
    assert alone.advice.days is not None
    assert line(beside, "dry_down_days") == pytest.approx(alone.advice.days.mid)
    assert not [one for one in alone.lines if one.key in ("model_rate_mm_d", "dry_down_days")]


def test_past_refill_the_rate_is_what_the_week_loses() -> None:
    found = advised(6.0, theta=0.17)
    assert found.advice.days is not None and found.advice.days.mid == 0
    assert line(found, "model_rate_mm_d") == pytest.approx(6.0)


def test_above_full_nothing_is_said_of_half_that_drains() -> None:
    assert not [one for one in advised(6.0, theta=0.32).lines if one.key == "drains_mm"]
    assert [one for one in advised(None, theta=0.32).lines if one.key == "drains_mm"]


def test_a_model_that_lost_its_track_says_so() -> None:
    assert "caution.off_track" in cautions(advised(6.0, miss_mm=3.1))
    assert "caution.off_track" not in cautions(advised(6.0, miss_mm=2.9))


class TestDatesApart:
    def test_a_date_far_from_the_dry_downs_is_told(self) -> None:
        assert "caution.dates_apart" in cautions(advised(1.5))

    def test_one_near_it_is_not(self) -> None:
        alone = advised(None).advice.days
        assert alone is not None
        left = line(advised(6.0), "left_mm")
        assert "caution.dates_apart" not in cautions(advised(left / alone.mid))

    def test_when_both_are_days_away_it_comes_closer_by_itself(self) -> None:
        far = advised(0.6, theta=0.29)
        alone = advised(None, theta=0.29).advice.days
        assert alone is not None and far.advice.days is not None
        assert min(alone.mid, far.advice.days.mid) > SOON_DAYS and "caution.dates_apart" not in cautions(far)


@pytest.mark.parametrize(("rate", "ending"), [(6.0, "_seen"), (None, "")])
def test_use_that_cannot_be_is_told_without_claiming_the_date_goes_by_weather(rate: float | None, ending: str) -> None:
    there = replace(block(), calendar=CALENDAR, crop="tomato")
    times = np.arange(0, 14.1, 0.125)
    paths = None if rate is None else LossPaths(times, rate * times * np.ones((9, 1)))
    found = analyse(there, readings(0.22, 0.0004), DRY, SKIES["hot"], lambda _: paths)
    assert f"caution.use_low{ending}" in cautions(found)


class TestFullPointByTexture:
    """Until the field has spoken the full point is shown with how far texture is off as a rule, and the day to read."""

    def found(self, theta: float = 0.22) -> BlockAnalysis:
        horizons = (replace(block().horizons[0], full=None),)
        there = replace(block(), calendar=CALENDAR, crop="tomato", horizons=horizons)
        return analyse(there, readings(theta), DRY, SKIES["mild"])

    def test_the_band_stands_under_the_full_point_and_in_the_depletion(self) -> None:
        lines = {one.key: one for one in self.found().lines}
        full, depletion = lines["full_mm"], lines["depletion_mm"]
        assert full.value is not None and full.low == pytest.approx(full.value - 0.05 * 600)
        assert depletion.low is not None and depletion.high is not None
        assert depletion.high - depletion.low > 2 * 30

    def test_the_day_to_read_is_two_days_after_the_next_set(self) -> None:
        found = self.found()
        [full] = [one for one in found.lines if one.key == "full_mm"]
        assert isinstance(full.formula, Notice) and found.advice.days is not None and found.advice.advised is not None
        waits = found.advice.days.mid + (found.advice.advised.set_time_h or 0) / 24
        assert full.formula["read_day"] == DAY + math.ceil(waits) + 2

    def test_the_date_says_where_it_would_move_to(self) -> None:
        lines = {one.key: one for one in self.found().lines}
        days, off = lines["days_to_refill"], lines["texture_days"]
        assert off.value == days.value and off.low is not None and off.high is not None and off.value is not None
        # the share allowed moves along with full: of 30 mm off, what is left changes by the rest of it
        moves = (1 - lines["allowable_fraction"].value) * 30  # type: ignore[operator]
        left = lines["left_mm"].value
        assert left is not None
        assert off.low == pytest.approx(off.value * max(0.0, left - moves) / left, abs=0.4)
        assert off.high == pytest.approx(off.value * (left + moves) / left, rel=0.2)

    def test_with_an_allowed_depletion_in_mm_it_moves_by_all_of_it(self) -> None:
        horizons = (replace(block().horizons[0], full=None),)
        allowed = Sourced(90.0, Source("entry", "by hand"))
        there = replace(
            block(), calendar=CALENDAR, crop="tomato", horizons=horizons, allowable=None, allowable_mm=allowed
        )
        lines = {one.key: one for one in analyse(there, readings(0.22), DRY, SKIES["mild"]).lines}
        off, left = lines["texture_days"], lines["left_mm"].value
        assert off.high is not None and off.value is not None and left is not None
        assert off.high == pytest.approx(off.value * (left + 30) / left, rel=0.2)

    def test_a_set_too_far_away_names_no_day(self) -> None:
        found = self.found(0.285)
        assert found.advice.days is not None and found.advice.days.mid > LONGEST_LOOK_DAYS
        [full] = [one for one in found.lines if one.key == "full_mm"]
        assert isinstance(full.formula, Notice) and full.formula["read_day"] is None

    def test_what_a_person_or_the_field_set_has_none(self) -> None:
        assert not [one for one in advised(None).lines if one.key == "texture_days"]
        [full] = [one for one in advised(None).lines if one.key == "full_mm"]
        assert full.low is None and full.high is None

    def test_a_curve_has_the_error_of_its_own(self) -> None:
        there = block().horizons[0]
        curve = equation_curve(there.earth)
        assert full_error_theta(there) == 0.0
        assert full_error_theta(replace(there, full=None)) == TEXTURE_FULL_ERROR
        assert full_error_theta(replace(there, full=None, retention=curve)) == curve.theta_error
