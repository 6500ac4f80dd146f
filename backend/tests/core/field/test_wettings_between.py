"""Wettings that came between two readings: rounds by hand, and loggers that were silent."""

import numpy as np
import pytest

from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.field.wetting_events import wettings
from embalse.core.field.wettings_between import runs_of
from tests.core.build import codes
from tests.core.field.test_wetting_events import DEPTHS, HOUR, LIMITS, profile, steps

DAY_S = 24 * HOUR


def rounds(*rows: tuple[float, ...], every_h: float = 24.0, use_mm: bool = False) -> ProfileHours:
    """Readings by hand at a fixed hour, one tuple of water contents a round."""
    at = (np.arange(len(rows)) * every_h * HOUR).astype(np.int64)
    return ProfileHours(at, np.array(rows).T, DEPTHS, LIMITS, 60.0)


DRY = (0.20, 0.20, 0.20, 0.20)
WET = (0.26, 0.24, 0.20, 0.20)
DEEPER = (0.25, 0.25, 0.23, 0.20)


def found(*rows: tuple[float, ...], waters: tuple[Water, ...] = (), every_h: float = 24.0) -> list[Wetting]:
    return wettings(rounds(*rows, every_h=every_h), waters)


def test_a_set_between_two_rounds_explains_the_rise_it_made() -> None:
    given = Water("set", DAY_S + 14 * HOUR, DAY_S + 20 * HOUR, 80.0)
    [one] = found(DRY, DRY, WET, WET, waters=(given,))
    assert one.from_what == (given,) and one.explained and one.start_at == given.start_at
    assert one.between == (DAY_S, 2 * DAY_S) and one.end_at == 2 * DAY_S
    assert one.gain_mm == pytest.approx(0.06 * 200 + 0.04 * 200) and one.reach_cm == 30
    assert one.below_mm is None and one.front_cm_h is None


def test_what_goes_on_to_the_next_round_is_one_wetting() -> None:
    given = Water("set", DAY_S + 14 * HOUR, DAY_S + 20 * HOUR, 80.0)
    [one] = found(DRY, DRY, WET, DEEPER, DEEPER, waters=(given,))
    assert one.reach_cm == 50 and one.from_what == (given,)
    assert [a.depth_cm for a in one.arrivals] == [10, 30, 50] and one.end_at == 3 * DAY_S
    assert one.gain_mm == pytest.approx(0.06 * 200 + 0.05 * 200 + 0.03 * 200)


@pytest.mark.parametrize(("every_h", "wettings_"), [(60.0, 1), (61.0, 2)])
def test_it_goes_on_for_as_long_as_a_front_is_followed(every_h: float, wettings_: int) -> None:
    given = Water("set", HOUR, 6 * HOUR, 80.0)
    assert len(found(DRY, WET, DEEPER, waters=(given,), every_h=every_h)) == wettings_


def test_new_water_begins_a_new_one() -> None:
    first, second = Water("set", HOUR, 6 * HOUR, 80.0), Water("rain", DAY_S + HOUR, DAY_S + 3 * HOUR, 20.0)
    one, two = found(DRY, WET, DEEPER, waters=(first, second))
    assert one.from_what == (first,) and two.from_what == (second,)


def test_without_water_logged_it_is_named_as_unexplained_between_the_readings() -> None:
    [one] = found(DRY, WET)
    assert not one.explained and codes(one.suspect) == ["suspect.between"] and one.start_at == 0


@pytest.mark.parametrize(("rise", "seen"), [(0.0059, 0), (0.0061, 1)])
def test_the_least_rise_between_readings(rise: float, seen: int) -> None:
    assert len(found(DRY, (0.20 + rise, 0.20, 0.20, 0.20))) == seen


@pytest.mark.parametrize(("gap_h", "runs"), [(12, 1), (13, 2)])
def test_half_a_day_without_a_reading_makes_a_gap(gap_h: int, runs: int) -> None:
    at = np.array([0, HOUR, HOUR + gap_h * HOUR], dtype=np.int64)
    assert len(runs_of(at)) == runs
    assert runs_of(np.empty(0, dtype=np.int64)) == [slice(0, 0)]


def test_a_logger_that_was_silent_during_a_set_tells_it_between_its_hours() -> None:
    whole = profile(steps(8, {60: (0.06, 0.03, 0.0, 0.0)}))
    given = Water("set", 60 * HOUR, 64 * HOUR, 20.0)
    kept = (whole.at < 50 * HOUR) | (whole.at > 80 * HOUR)
    silent = ProfileHours(whole.at[kept], whole.theta[:, kept], DEPTHS, LIMITS, 60.0)
    [one] = wettings(silent, [given])
    assert one.between == (49 * HOUR, 81 * HOUR) and one.from_what == (given,)
    assert one.gain_mm == pytest.approx(0.06 * 200 + 0.03 * 200)


def test_what_the_hours_before_a_gap_already_showed_is_not_told_twice() -> None:
    whole = profile(steps(8, {60: (0.06, 0.03, 0.0, 0.0)}))
    given = Water("set", 60 * HOUR, 64 * HOUR, 20.0)
    kept = (whole.at < 62 * HOUR) | (whole.at > 90 * HOUR)
    [one] = wettings(ProfileHours(whole.at[kept], whole.theta[:, kept], DEPTHS, LIMITS, 60.0), [given])
    assert one.between is None and one.from_what == (given,)
