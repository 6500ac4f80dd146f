"""The days ahead: weather with its gaps, crop use, the fan and the refill date."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.crop.crop_library import covers_unknown_ground
from embalse.core.crop.crop_use_factor import LOWEST_OPEN_RATIO, PRIOR_ERROR, crop_use
from embalse.core.crop.depletion_forecast import (
    Course,
    Start,
    at_time_of_day,
    course,
    days_until,
    middle_path_mm,
    stressed_fan_mm,
    width_causes,
)
from embalse.core.crop.dry_down import DawnStorage
from embalse.core.crop.stages import CropCalendar, degree_days, stage_lengths_from_heat
from embalse.core.errors import CoreError
from embalse.core.weather.weather_outlook import (
    AHEAD_DAYS,
    Forecast,
    Outlook,
    PastDay,
    check_forecast,
    filled_days,
    outlook,
)
from tests.core.build import codes, values_of

CALENDAR = CropCalendar(0, (10, 10, 200, 10), (0.4, 1.0, 0.5), "test")
TODAY = 60
PAST = {d: PastDay(6.0, "given") for d in range(TODAY - 30, TODAY)}


def sky(eto: float = 6.0, rain: float = 0.0, members: int = 3, spread: float = 0.0) -> Outlook:
    levels = eto + spread * np.linspace(-1, 1, members)
    forecast = Forecast(0.0, TODAY, np.repeat(levels[:, None], 10, axis=1), np.full((members, 10), rain), "made up")
    found = outlook(PAST, forecast, TODAY)
    assert found is not None
    return found


def dawns(loss: float = 6.0, days: int = 10) -> DawnStorage:
    numbers = list(range(TODAY - days, TODAY + 1))
    return DawnStorage(numbers, [200 - loss * n for n in range(len(numbers))], frozenset(), 400.0)


def way(weather: Outlook | None = None, loss: float = 6.0) -> Course:
    used = crop_use(dawns(loss), dict.fromkeys(range(TODAY - 20, TODAY), 6.0))
    found = course(weather or sky(), CALENDAR, used, 1.0)
    assert found is not None
    return found


def test_gaps_are_filled_and_say_how() -> None:
    known = {d: (5.0 + d, "given") for d in (1, 2, 5, 6)} | {20: (9.0, "given")}
    found = filled_days(known, 1, 20)
    assert [found[d].filled for d in (2, 3, 4, 5)] == [False, True, True, False]
    assert found[3].eto_mm == pytest.approx(8.0) and codes(found[3].how) == ["eto_how.between"]
    assert values_of(found[12].how, "eto_how.around")["within_days"] == 10 and found[12].filled
    assert 16 not in filled_days({1: (5.0, "")}, 1, 20)


def test_weather_ahead_says_where_it_comes_from() -> None:
    assert sky().forecast_days == 10 and values_of(sky().source.detail, "outlook.forecast")["members"] == 3
    none = outlook(PAST, None, TODAY)
    assert none is not None and none.forecast_days == 0 and codes(none.source.detail) == ["outlook.recent"]
    assert outlook({TODAY - 1: PAST[TODAY - 1]}, None, TODAY) is None
    stale = Forecast(0.0, TODAY - 6, np.full((1, 10), 3.0), np.zeros((1, 10)))
    assert codes(outlook(PAST, stale, TODAY).source.detail) == ["outlook.recent"]  # type: ignore[union-attr]
    tomorrow = outlook(PAST, Forecast(0.0, TODAY + 1, np.full((1, 9), 3.0), np.zeros((1, 9))), TODAY)
    assert tomorrow is not None and codes(tomorrow.source.detail) == ["outlook.recent"]


@pytest.mark.parametrize(
    ("eto", "rain", "field"),
    [([], [], "days"), ([[]], [[]], "eto_mm"), ([[1.0], [1.0, 2.0]], [[0.0], [0.0, 0.0]], "eto_mm"),
     ([[1.0]], [[]], "rain_mm"), ([[25.0]], [[0.0]], "eto_mm"), ([[2.0]], [[-1.0]], "rain_mm")],
)  # fmt: skip
def test_a_forecast_that_cannot_be_is_refused(eto: list[list[float]], rain: list[list[float]], field: str) -> None:
    with pytest.raises(CoreError) as refused:
        check_forecast(eto, rain)
    assert refused.value.field == field


def test_the_factor_is_what_was_used_over_what_was_asked() -> None:
    found = crop_use(dawns(7.5), dict.fromkeys(range(TODAY - 20, TODAY), 6.0))
    # ten steps of 6 mm, sure to 0.4 mm, against a table that is wrong by a quarter
    sure, table = 10 * 36 / 0.16, 1 / 0.25**2
    assert found.observed == pytest.approx(1.25)
    assert found.factor == pytest.approx((1.25 * sure + table) / (sure + table), abs=1e-9)
    assert found.low < found.factor < found.high and found.steps == 10
    few = crop_use(dawns(7.5, days=2), dict.fromkeys(range(TODAY - 20, TODAY), 6.0))
    assert (few.factor, few.error) == (1.0, PRIOR_ERROR) and values_of(few.how, "no_trend.few_days")["wanted"] == 3
    dark = crop_use(dawns(7.5), {TODAY - 1: 6.0})
    assert values_of(dark.how, "factor_why.weather")["known"] == 1
    rising = crop_use(DawnStorage(list(range(9)), [100 + 0.5 * n for n in range(9)]), dict.fromkeys(range(9), 5.0))
    assert codes(rising.how) == ["factor_how.table", "no_trend.not_down"]


def test_one_odd_day_hardly_moves_the_factor() -> None:
    usual = dawns(6.0)
    odd = replace(usual, storage_mm=[s - (4 if n >= 5 else 0) for n, s in enumerate(usual.storage_mm)])
    expected = dict.fromkeys(range(TODAY - 20, TODAY), 6.0)
    assert crop_use(odd, expected).factor == pytest.approx(crop_use(usual, expected).factor, abs=0.06)


def test_the_date_follows_from_use_and_weather() -> None:
    found = days_until(way(), Start(20.0), 50.0)
    assert found.mid == pytest.approx(5.0, abs=0.1) and found.low < found.mid < found.high
    assert days_until(way(sky(8.0)), Start(20.0), 50.0).mid < found.mid
    assert days_until(way(), Start(60.0), 50.0).mid == 0.0
    assert days_until(way(), Start(-20.0), 50.0).mid == pytest.approx(10.0, abs=0.2)  # half of it drains
    assert days_until(way(), Start(0.0), 400.0).mid == pytest.approx(400 / 6, rel=0.1)  # past the forecast


@pytest.mark.parametrize(("depletion", "error", "trigger"), [(20.0, 3.0, 50.0), (-10.0, 2.0, 40.0), (0.0, 4.0, 200.0)])
def test_the_short_way_without_rain_is_the_long_way(depletion: float, error: float, trigger: float) -> None:
    dry = way(sky(spread=1.0))
    drizzle = replace(dry, means=replace(dry.means, dry=False))
    start = Start(depletion, error)
    short, long = days_until(dry, start, trigger), days_until(drizzle, start, trigger)
    assert (short.low, short.mid, short.high) == pytest.approx((long.low, long.mid, long.high), abs=1e-9)


def test_rain_puts_the_date_off_and_fills_no_further_than_full() -> None:
    dry, wet = days_until(way(), Start(20.0), 50.0), days_until(way(sky(rain=3.0)), Start(20.0), 50.0)
    assert wet.mid > dry.mid + 2
    flood = middle_path_mm(way(sky(rain=60.0)), Start(20.0), 5)
    assert flood[0] == pytest.approx(0.0) and min(flood) >= 0.0


def test_rain_below_a_fifth_of_the_demand_is_lost() -> None:
    assert days_until(way(sky(rain=1.0)), Start(20.0), 50.0).mid == days_until(way(), Start(20.0), 50.0).mid


def test_later_in_the_day_less_of_today_is_to_come() -> None:
    morning, noon = way(), at_time_of_day(way(), 7 / 24)
    assert noon.today_share == pytest.approx(0.5) and noon.next_dawn_days == pytest.approx(17 / 24)
    assert days_until(noon, Start(20.0), 50.0).mid < days_until(morning, Start(20.0), 50.0).mid + 0.3
    night = at_time_of_day(way(), -3 / 24)
    assert night.next_dawn_days == pytest.approx(1.125) and night.today_share == 1.0


def test_each_doubt_widens_the_date_by_itself() -> None:
    start = Start(20.0, sensor_error_mm=4.0, spread_error_mm=3.0)
    causes = width_causes(way(sky(spread=1.0)), start, 50.0)
    assert set(causes) == {"weather", "crop use", "calibration", "unlike stations"}
    assert all(width > 0.1 for width in causes.values())
    none = width_causes(way(), Start(20.0), 50.0)
    assert none["weather"] == pytest.approx(0, abs=1e-9) and none["calibration"] == pytest.approx(0, abs=1e-9)
    whole = days_until(way(sky(spread=1.0)), start, 50.0)
    assert whole.high - whole.low > max(causes.values())


@given(st.floats(0, 30), st.floats(0.5, 8), st.floats(0.5, 8))
def test_worse_knowledge_never_narrows_the_band(depletion: float, small: float, more: float) -> None:
    low, high = sorted((small, small + more))
    one, other = (days_until(way(), Start(depletion, e), 60.0) for e in (low, high))
    assert other.high - other.low >= one.high - one.low - 1e-9


@given(st.floats(0, 40), st.floats(1, 30))
def test_a_later_trigger_is_never_reached_sooner(depletion: float, more: float) -> None:
    found = [days_until(way(), Start(depletion, 3.0), trigger) for trigger in (45.0, 45.0 + more)]
    assert found[0].low <= found[1].low and found[0].mid <= found[1].mid and found[0].high <= found[1].high


def test_the_crop_brakes_beyond_its_ready_water() -> None:
    steps = stressed_fan_mm(way(sky(12.0)), Start(30.0, 2.0), (80.0, 40.0), 20)
    middle = [mid for _, mid, _ in steps]
    losses = np.diff(middle)
    assert all(low <= mid <= high for low, mid, high in steps)
    assert losses[0] > losses[4] > losses[10] > 0 and middle[-1] < 80


def test_a_crop_not_planted_has_no_course() -> None:
    used = crop_use(dawns(), dict.fromkeys(range(TODAY - 20, TODAY), 6.0))
    assert course(sky(), replace(CALENDAR, first_day=TODAY + 5), used, 1.0) is None
    assert CALENDAR.last_day == 230 and sky().eto_mm.shape == (3, AHEAD_DAYS)


def test_heat_makes_the_calendar() -> None:
    assert degree_days(20, 4, 10) == 5.0
    with pytest.raises(CoreError, match="above the base"):
        degree_days(20, 10, 30, 30)
    warm = stage_lengths_from_heat([10.0] * 25, [100, 100, 200, 100])
    assert warm == pytest.approx([10, 10, 20, 10])
    assert stage_lengths_from_heat([0.0] * 20, [100, 100, 100, 100]) is None
    cold = stage_lengths_from_heat([5.0] * 25, [100, 100, 200, 100])
    assert cold is not None and sum(cold) == pytest.approx(100)


@pytest.mark.parametrize(("per_day", "plausible"), [(3.1, True), (2.9, False), (10.1, True), (10.3, False)])
def test_a_use_no_crop_has_is_not_believed_and_the_date_goes_by_weather(per_day: float, plausible: bool) -> None:
    found = crop_use(dawns(per_day), dict.fromkeys(range(TODAY - 20, TODAY), 6.0))
    assert found.plausible is plausible and found.observed == pytest.approx(per_day / 6.0, rel=0.02)
    if not plausible:
        assert found.factor == 1.0 and found.how.code == "factor_how.implausible" and found.high - found.low > 0.6


def test_little_use_is_believed_of_a_crop_that_is_short_of_water() -> None:
    expected = dict.fromkeys(range(TODAY - 20, TODAY), 6.0)
    assert not crop_use(dawns(2.0), expected).plausible
    assert crop_use(dawns(2.0), expected, stress_from_mm=-1e9).plausible
    assert not crop_use(dawns(11.0), expected, stress_from_mm=-1e9).plausible


@pytest.mark.parametrize(("per_day", "plausible"), [(1.6, True), (1.4, False)])
def test_of_trees_and_vines_a_quarter_is_believed_since_the_ground_they_shade_is_not_known(
    per_day: float, plausible: bool
) -> None:
    expected = dict.fromkeys(range(TODAY - 20, TODAY), 6.0)
    assert crop_use(dawns(per_day), expected, lowest_ratio=LOWEST_OPEN_RATIO).plausible is plausible


@pytest.mark.parametrize(
    ("crop", "open_"),
    [("grape wine", True), ("Almond", True), ("olive", True), ("citrus", True), ("tomato", False), ("garlic", False)],
)
def test_crops_whose_cover_is_not_in_their_name(crop: str, open_: bool) -> None:
    assert covers_unknown_ground(crop) is open_
