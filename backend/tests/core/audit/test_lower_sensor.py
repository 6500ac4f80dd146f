"""The lower sensors an hour or two after a set: answers on both sides of each limit, in any unit."""

import numpy as np
import pytest

from embalse.core.audit.lower_sensor import LowerAnswer, Pair, lower_advice, lower_answer, lower_delay_h, pair_of
from embalse.core.errors import CoreError

HOUR = 3600
SET = (100 * HOUR, 108 * HOUR)


def pair(lower: float, upper: float = 10.0, after_h: int = 0, **more: float | str) -> Pair:
    """Hourly wetness that dries by a step every 24 hours and rises with a set, the lower ``after_h`` after its end."""
    noise, step = float(more.get("noise", 0.0)), float(more.get("step", 0.01))
    unit, station = str(more.get("unit", "kPa")), str(more.get("station", "a"))
    at = HOUR * np.arange(200, dtype=np.int64)
    rest = np.random.default_rng(3).normal(0, noise, (2, 200)) if noise else np.zeros((2, 200))
    rest = rest - step * (np.arange(200) // 24)
    top = np.where(at >= 102 * HOUR, upper, 0.0) - 40 + rest[0]
    low = np.where(at >= SET[1] + after_h * HOUR, lower, 0.0) - 30 + rest[1]
    return pair_of(station, unit, at, (top, low), 60.0)


def said(*pairs: Pair, delay_h: float = 1.0) -> str:
    return lower_answer(pairs, SET, delay_h).said


@pytest.mark.published(source="common practice, no source: one to two hours after a set, strong is too much")
@pytest.mark.parametrize(("lower", "told"), [(5.0, "strong"), (4.99, "slight")])
def test_half_of_the_upper_answer_is_a_strong_one(lower: float, told: str) -> None:
    assert said(pair(lower)) == told


@pytest.mark.parametrize(("lower", "told"), [(1.7, "slight"), (0.2, "none")])
def test_an_answer_is_beyond_the_sensors_own_noise(lower: float, told: str) -> None:
    # noise 0.4: an error of the difference of 0.4 × √(1/4 + 1/2) = 0.35, three times that 1.04
    assert said(pair(lower, noise=0.4)) == told


def test_one_step_of_a_coarse_sensor_is_no_answer() -> None:
    assert said(pair(1.0, step=1.0)) == "none" and said(pair(2.1, step=1.0)) == "slight"


@pytest.mark.parametrize(("after_h", "delay_h", "told"), [(2, 1.0, "slight"), (3, 1.0, "none"), (3, 2.0, "slight")])
def test_it_is_read_for_an_hour_once_the_delay_is_over(after_h: int, delay_h: float, told: str) -> None:
    assert said(pair(4.0, after_h=after_h), delay_h=delay_h) == told


@pytest.mark.parametrize("sign", [1, -1])
def test_what_the_sensor_does_on_days_without_water_is_taken_off(sign: int) -> None:
    at = HOUR * np.arange(200, dtype=np.int64)
    swing = sign * 3 * np.sin(2 * np.pi * at / (24 * HOUR))
    still = pair(0.0)
    warm = pair_of("a", "kPa", at, (still.upper, still.lower + swing))
    assert lower_answer([warm], SET, 1.0).said == "none"
    # with water on all the days before nothing usual is known, and the swing is taken for an answer
    waters = [(day * 24 * HOUR, day * 24 * HOUR + HOUR) for day in range(8)]
    assert abs(lower_answer([warm], SET, 1.0, waters).change or 0.0) > 2.0


def test_nothing_is_told_where_not_even_the_upper_sensors_answered_or_nobody_read() -> None:
    assert said(pair(4.0, upper=0.0)) == "not told" and said() == "not told"
    unread = pair(4.0)
    unread.lower[105:112] = np.nan
    assert said(unread) == "not told"


def test_readings_that_fall_as_it_gets_wetter_answer_as_well() -> None:
    one = pair(4.0, unit="raw count")
    upside = pair_of("a", "raw count", one.at, (-one.upper, -one.lower))
    assert said(one) == said(upside) == "slight"
    assert lower_answer([upside], SET).change == pytest.approx(4.0, abs=0.02)
    assert said(pair_of("a", "kPa", one.at, (-one.upper, -one.lower))) == "not told"


def test_the_mean_of_all_pairs_counts_and_one_unit_only() -> None:
    both = lower_answer([pair(8.0), pair(2.0, station="b")], SET)
    assert (
        both.change == pytest.approx(5.0, abs=0.02) and both.pairs == 2 and both.before == pytest.approx(-30.0, abs=0.1)
    )
    assert lower_answer([pair(8.0), pair(2.0, station="b"), pair(9.0, unit="m3/m3")], SET).pairs == 2


@pytest.mark.parametrize(("clay", "hours"), [(0.349, 1.0), (0.35, 2.0), (None, 1.0)])
def test_clays_are_read_later(clay: float | None, hours: float) -> None:
    assert lower_delay_h(clay) == hours


def none(before: float, least: float = 1.0) -> LowerAnswer:
    return LowerAnswer("none", 0.0, 9.0, least, before, "kPa", 1)


@pytest.mark.parametrize(
    ("levels", "told"),
    [
        ((-30, -31, -32), "lengthen"),
        ((-30, -30.5, -31), "cannot tell"),  # no drier than one answer's error
        ((-30, -33, -32), "cannot tell"),  # not drier each time
        ((-31, -32), "cannot tell"),  # two sets are not several
    ],
)
def test_none_and_drier_from_set_to_set_asks_for_more(levels: tuple[float, ...], told: str) -> None:
    assert lower_advice([none(level) for level in levels]) == told


def test_an_answer_in_between_ends_the_row() -> None:
    slight = LowerAnswer("slight", 3.0, 9.0, 1.0, -31.0, "kPa", 1)
    assert lower_advice([none(-30), slight, none(-34)]) == "cannot tell"
    assert lower_advice([none(-30), slight]) == "right" and lower_advice([]) == "cannot tell"
    assert lower_advice([LowerAnswer("strong", 8.0, 9.0, 1.0, -30.0)]) == "shorten"


def test_a_delay_below_nothing_is_refused() -> None:
    with pytest.raises(CoreError):
        lower_answer([pair(1.0)], SET, -1.0)


def test_the_least_answer_is_three_errors_of_the_difference() -> None:
    found = lower_answer([pair(5.0, noise=0.4)], SET)
    # four readings before and two after
    assert found.least == pytest.approx(3 * 0.4 * np.sqrt(1 / 4 + 1 / 2), rel=0.25)
