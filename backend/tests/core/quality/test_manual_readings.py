"""Rounds by hand: what is asked again, when a round is late, and the order to walk."""

import pytest

from embalse.core.quality.manual_readings import days_overdue, plausible, walking_order, why_ask_again
from embalse.core.sensors.calibration import RawUnit


@pytest.mark.parametrize(
    ("kind", "unit", "low", "high"),
    [
        ("tensiometer", "kPa", 0.0, 85.0),
        ("granular matrix sensor", "kPa", 0.0, 239.0),
        ("some other", "kPa", 0.0, 239.0),
        ("capacitance probe", "%", 3.0, 55.0),
        ("capacitance probe", "m3/m3", 0.03, 0.55),
    ],
)
def test_the_ends_are_plausible_and_what_lies_beyond_is_asked_again(
    kind: str, unit: RawUnit, low: float, high: float
) -> None:
    limits = plausible(kind, unit)
    by = 0.01 * (high - low)
    assert why_ask_again(low, None, limits) == "" and why_ask_again(high, None, limits) == ""
    assert why_ask_again(low - by, None, limits).startswith("outside")
    assert why_ask_again(high + by, None, limits).startswith("outside")


@pytest.mark.parametrize(
    ("kind", "unit", "last", "step"),
    [("tensiometer", "kPa", 10.0, 60.0), ("matrix", "kPa", 10.0, 150.0), ("probe", "%", 20.0, 15.0),
     ("probe", "m3/m3", 0.2, 0.15)],
)  # fmt: skip
def test_a_larger_change_than_usual_is_asked_again(kind: str, unit: RawUnit, last: float, step: float) -> None:
    limits = plausible(kind, unit)
    assert why_ask_again(last + 0.99 * step, last, limits) == ""
    assert why_ask_again(last + 1.01 * step, last, limits).endswith("more than last time")
    assert why_ask_again(last, last + 1.01 * step, limits).endswith("less than last time")


def test_raw_counts_have_no_limits() -> None:
    assert why_ask_again(1e7, 0.0, plausible("capacitance probe", "count")) == ""


@pytest.mark.parametrize(("age", "late"), [(7.0, 0.0), (7.5, 0.0), (7.6, 0.6), (10.0, 3.0)])
def test_a_round_is_late_after_half_a_day(age: float, late: float) -> None:
    assert days_overdue(age, 7.0) == pytest.approx(late)


def test_always_on_to_the_nearest_and_those_without_a_place_last() -> None:
    places = [(0.0, 40.0), (0.03, 40.0), None, (0.01, 40.0), (0.02, 40.0)]
    assert walking_order(places) == [0, 3, 4, 1, 2]
    assert walking_order([None, None]) == [0, 1] and walking_order([]) == []


def test_near_a_pole_a_degree_of_longitude_is_short() -> None:
    assert walking_order([(0.0, 80.0), (0.5, 80.0), (0.0, 80.2)]) == [0, 1, 2]
    assert walking_order([(0.0, 0.0), (0.5, 0.0), (0.0, 0.2)]) == [0, 2, 1]
