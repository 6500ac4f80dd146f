"""Drain-downs: of simulated seasons, and of hand-made series on both sides of every limit."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.field.drain_down import (
    DrainDown,
    FieldFullPoint,
    ProfileSeries,
    full_point_from_drain_down,
    joined,
    pooled,
)
from embalse.core.field.mark_estimates import drain_down_estimate
from embalse.core.simulate.plots import PlotPlan, PlotSeason, plot_season
from embalse.core.wording import Notice

HOUR, DAY = 3600, 86400
DEPTHS = (10.0, 30.0, 50.0, 80.0)
THICKNESS = (20.0, 20.0, 25.0, 35.0)


def profile(season: PlotSeason, sensed: bool = True) -> ProfileSeries:
    values = season.sensed if sensed else season.truth
    return ProfileSeries(season.times, np.array([values[d] for d in DEPTHS]), THICKNESS, tuple(season.sets))


@pytest.fixture(scope="module")
def filled() -> PlotSeason:
    return plot_season(PlotPlan("loam", fill=1.3, deep_every=1, days=70, depths_cm=DEPTHS), 4)


@pytest.fixture(scope="module")
def thirsty() -> PlotSeason:
    return plot_season(PlotPlan("loam", fill=0.6, deep_every=0, days=70, depths_cm=DEPTHS), 4)


def test_the_field_finds_its_full_point_where_wettings_fill_it(filled: PlotSeason) -> None:
    found = full_point_from_drain_down(profile(filled), 1)
    assert found.theta is not None and found.accepted >= 3 and not found.at_least
    assert found.theta == pytest.approx(filled.theta_full[30.0], abs=0.03)
    assert found.quartiles is not None and found.quartiles[0] <= found.theta <= found.quartiles[1]
    quiet = full_point_from_drain_down(profile(filled, sensed=False), 1)
    assert quiet.theta == pytest.approx(found.theta, abs=0.012)


def test_where_no_wetting_goes_deep_it_is_at_least_what_is_said(thirsty: PlotSeason) -> None:
    found = full_point_from_drain_down(profile(thirsty), 1)
    assert found.at_least and found.confidence == "poor" and found.words.code == "drain_down.at_least"
    assert found.theta is not None and found.theta < thirsty.theta_full[30.0]
    deepest = full_point_from_drain_down(profile(thirsty), 3)
    assert deepest.theta is None and deepest.words.code == "drain_down.none"
    assert all(not event.accepted and event.why_not for event in deepest.events)
    assert drain_down_estimate(deepest).confidence == "none"


def test_a_gap_gives_no_event_and_stations_are_pooled(filled: PlotSeason) -> None:
    series = profile(filled)
    blind = replace(series, theta=np.where(np.arange(len(series.local_s)) < 1e9, np.nan, series.theta))
    assert {e.why_not for e in full_point_from_drain_down(blind, 1).events} == {Notice("drain_down.no_readings")}
    one = full_point_from_drain_down(series, 1)
    assert pooled([one, one]).accepted == 2 * one.accepted


# by hand: a two-layer profile wetted from 06:00 to 08:00 on each eighth day, that then stands, or drains evenly
WET_AT = 6 * HOUR
SPAN = 2 * HOUR
DAYS = 34


def made(
    rise: float = 0.05,
    deep_rise: float = 0.05,
    drains: float = 0.0,
    again_h: float | None = None,
    again_theta: float = 0.0061,
) -> ProfileSeries:
    """θ of two layers (20 cm each): up by a rise at each wetting, then down by ``drains`` a day (share), evenly.

    ``again_h`` after each wetting both layers rise by ``again_theta`` for good, when water is given again.
    """
    hours = np.arange(DAYS * 24)
    theta = np.full((2, len(hours)), 0.20)
    given = [(n * 8 * DAY + WET_AT, n * 8 * DAY + WET_AT + SPAN) for n in range(4)]
    for start, end in given:
        since = (hours * HOUR - end) / DAY
        for layer, size in enumerate((rise, deep_rise)):
            level = (0.20 + size) * (1 - drains * np.maximum(since, 0))
            if again_h is not None:
                level = level + np.where(since * 24 >= again_h, again_theta, 0.0)
            theta[layer] = np.where(since >= 0, level, np.where(hours * HOUR >= start - 80 * HOUR, 0.20, theta[layer]))
    waters = given if again_h is None else given + [(e + round(again_h * HOUR),) * 2 for _, e in given]
    return ProfileSeries(hours.astype(np.int64) * HOUR, theta, (20.0, 20.0), tuple(sorted(waters)))


def reasons(series: ProfileSeries, layer: int = 0) -> set[str]:
    return {
        e.why_not.code if isinstance(e.why_not, Notice) else ""
        for e in full_point_from_drain_down(series, layer).events
    }


def test_a_layer_that_stands_is_read_as_it_stands() -> None:
    found = full_point_from_drain_down(made(), 0)
    assert found.accepted == found.deep == 4 and found.theta == pytest.approx(0.25) and not found.overfull
    assert found.quartiles == (pytest.approx(0.25), pytest.approx(0.25)) and found.agree


@pytest.mark.parametrize(("rise", "why"), [(0.0119, "drain_down.not_reached"), (0.0121, "")])
def test_a_layer_must_rise_by_twelve_thousandths(rise: float, why: str) -> None:
    assert reasons(made(rise=rise)) == {why}


@pytest.mark.parametrize(("rise", "why"), [(0.0059, "drain_down.held"), (0.0061, "")])
def test_the_next_sensor_must_rise_by_six_thousandths(rise: float, why: str) -> None:
    assert reasons(made(deep_rise=rise)) == {why}


@pytest.mark.parametrize(("drains", "why"), [(0.0078, "drain_down.held"), (0.0085, "")])
def test_the_deepest_layer_must_lose_four_thousandths_by_then(drains: float, why: str) -> None:
    assert reasons(made(drains=drains), layer=1) == {why}


@pytest.mark.parametrize(("rise", "at_least"), [(0.0079, True), (0.0081, False)])
def test_the_deepest_sensor_tells_whether_a_wetting_went_through(rise: float, at_least: bool) -> None:
    found = full_point_from_drain_down(made(deep_rise=rise), 0)
    assert found.accepted == 4 and found.at_least is at_least


@pytest.mark.parametrize(("drains", "overfull"), [(0.019, 0), (0.022, 4)])
def test_two_percent_a_day_after_two_days_still_drains(drains: float, overfull: int) -> None:
    assert full_point_from_drain_down(made(drains=drains), 1).overfull == overfull


def test_the_drainage_is_told_beside_the_reading() -> None:
    [first, *_] = full_point_from_drain_down(made(drains=0.01), 0).events
    assert all(n.drained_share_d == pytest.approx(0.0102, abs=0.0002) for n in first.nights)
    assert [n.hours for n in first.nights] == [17.0, 41.0, 65.0, 89.0]


def test_it_is_read_after_two_days() -> None:
    [first, *_] = full_point_from_drain_down(made(drains=0.01), 0).events
    assert first.theta == pytest.approx(0.25 * (1 - 0.01 * 46 / 24), abs=1e-6)


@pytest.mark.parametrize("drains", [0.0, 0.02])
@pytest.mark.parametrize("by_day", [0.0, 0.004, 0.01])
def test_what_the_crop_takes_by_day_is_told_apart_from_what_drains(by_day: float, drains: float) -> None:
    series = made(drains=drains)
    hours = np.arange(DAYS * 24)
    taken = np.cumsum(np.where((hours % 24 > 6) & (hours % 24 <= 20), by_day / 14, 0.0))
    for start, end in series.waters:
        since = (hours * HOUR >= end) & (hours * HOUR < start + 5 * DAY)
        series.theta[0] = np.where(since, series.theta[0] - (taken - taken[end // HOUR]), series.theta[0])
    first = full_point_from_drain_down(series, 0).events[0]
    assert first.theta is not None and first.used_theta is not None
    assert first.used_theta == pytest.approx(by_day * 2 * 20 / 24, abs=0.35 * by_day + 2e-4)


@pytest.mark.parametrize(("again_h", "why"), [(44.0, "drain_down.watered"), (46.0, "")])
def test_water_that_shows_in_the_layer_within_two_days_leaves_nothing_to_read(again_h: float, why: str) -> None:
    found = full_point_from_drain_down(made(again_h=again_h), 0).events
    assert {e.why_not.code if isinstance(e.why_not, Notice) else "" for e in found[::2]} == {why}


@pytest.mark.parametrize(("again_theta", "why"), [(0.0059, ""), (0.0061, "drain_down.watered")])
def test_it_shows_from_six_thousandths(again_theta: float, why: str) -> None:
    found = full_point_from_drain_down(made(again_h=20.0, again_theta=again_theta), 0).events
    assert {e.why_not.code if isinstance(e.why_not, Notice) else "" for e in found[::2]} == {why}


@pytest.mark.parametrize(("later_h", "why"), [(59, ""), (61, "drain_down.held")])
def test_the_next_sensor_must_answer_within_sixty_hours(later_h: int, why: str) -> None:
    series = made()
    late = series.theta.copy()
    hours = series.local_s // HOUR
    late[1] = 0.20
    for _, end in series.waters:
        late[1] = np.where((hours >= end // HOUR + later_h) & (hours < end // HOUR + 110), 0.25, late[1])
    assert reasons(replace(series, theta=late)) == {why}


@pytest.mark.parametrize(("late_h", "why"), [(36, ""), (37, "drain_down.not_reached")])
def test_a_layer_must_be_reached_within_a_day_and_a_half(late_h: int, why: str) -> None:
    series = made()
    late = series.theta.copy()
    hours = series.local_s // HOUR
    for _, end in series.waters:
        late[0] = np.where((hours >= end // HOUR) & (hours < end // HOUR + late_h), 0.20, late[0])
    assert reasons(replace(series, theta=late)) == {why}


def test_water_that_does_not_show_in_the_layer_leaves_it_to_be_read() -> None:
    series = made(drains=0.01)
    showers = tuple((end + 20 * HOUR, end + 21 * HOUR) for _, end in series.waters)
    found = full_point_from_drain_down(replace(series, waters=tuple(sorted((*series.waters, *showers)))), 0)
    assert found.accepted == 4


def with_sizes(*sizes: float) -> ProfileSeries:
    """The same plot with a rise of its own, in both layers, at each wetting."""
    series = made()
    theta = np.full_like(series.theta, 0.20)
    hours = series.local_s
    for (start, end), size in zip(series.waters, sizes, strict=True):
        theta = np.where(hours >= end, 0.20 + size, np.where(hours >= start - 80 * HOUR, 0.20, theta))
    return replace(series, theta=theta)


@pytest.mark.parametrize(("small", "accepted"), [(0.0336, 4), (0.0330, 1)])
def test_a_wetting_below_two_thirds_of_the_largest_is_left_out(small: float, accepted: int) -> None:
    found = full_point_from_drain_down(with_sizes(0.05, small, small, small), 0)
    assert found.accepted == accepted
    if accepted == 1:
        assert found.theta == pytest.approx(0.25) and found.words.code == "drain_down.first"
        assert found.events[1].why_not == Notice("drain_down.small", gain_mm=pytest.approx(13.2), largest_mm=20.0)


@pytest.mark.parametrize(("rise", "why"), [(0.0495, "drain_down.dampened"), (0.0505, "")])
def test_a_layer_must_come_half_way_up_its_own_range(rise: float, why: str) -> None:
    series = made(rise=rise)
    once = series.theta.copy()
    once[0, 3 * 24 : 3 * 24 + 2] = 0.30  # it has been this wet
    assert reasons(replace(series, theta=once)) == {why}


def test_one_wetting_is_told_as_one() -> None:
    one = replace(made(), waters=made().waters[:1])
    found = full_point_from_drain_down(one, 0)
    assert (found.confidence, found.words) == ("poor", Notice("drain_down.first", events=1, error_theta=0.015))
    assert found.theta == pytest.approx(0.25) and found.quartiles == (pytest.approx(0.235), pytest.approx(0.265))


def test_two_days_that_are_not_over_are_waited_for() -> None:
    series = made()
    first = series.local_s < series.waters[0][1] + 40 * HOUR
    cut = ProfileSeries(series.local_s[first], series.theta[:, first], series.thickness_cm, series.waters[:1])
    assert reasons(cut) == {"drain_down.not_yet"}


def test_a_night_with_fewer_than_seven_hours_is_left_out() -> None:
    series = replace(made(), waters=made().waters[:1])
    holes = series.theta.copy()
    night = slice(20 + 24, 30 + 24 + 1)  # the second night, eleven readings
    holes[0, night] = np.nan
    holes[0, 20 + 24 : 20 + 24 + 6] = 0.25
    [event] = full_point_from_drain_down(replace(series, theta=holes), 0).events
    assert 41.0 not in [n.hours for n in event.nights]
    holes[0, 20 + 24 + 6] = 0.25
    [event] = full_point_from_drain_down(replace(series, theta=holes), 0).events
    assert 41.0 in [n.hours for n in event.nights]


@pytest.mark.parametrize(("apart_h", "count"), [(11.9, 1), (12.0, 2)])
def test_water_again_within_twelve_hours_is_the_same_wetting(apart_h: float, count: int) -> None:
    first = (0, 2 * HOUR)
    second = (round(2 * HOUR + apart_h * HOUR), round(4 * HOUR + apart_h * HOUR))
    assert len(joined([second, first])) == count
    assert joined([(0, 10 * HOUR), (2 * HOUR, 4 * HOUR)]) == [(0, 10 * HOUR)]


def said(values: list[float], deep: int = 9) -> FieldFullPoint:
    events = tuple(DrainDown(n, (), v, filled=n < deep) for n, v in enumerate(values))
    return pooled([FieldFullPoint(None, None, events, "none", Notice("drain_down.none"))])


@pytest.mark.parametrize(
    ("values", "confidence"),
    [
        ([], "none"),
        ([0.25], "poor"),
        ([0.25, 0.25], "poor"),
        ([0.25, 0.25, 0.25], "fair"),
        ([0.25] * 4, "fair"),
        ([0.25] * 5, "good"),
        ([0.24, 0.2451, 0.25, 0.2549, 0.26], "good"),
        ([0.24, 0.2449, 0.25, 0.2551, 0.26], "fair"),
        ([0.22, 0.2401, 0.25, 0.2599, 0.28], "fair"),
        ([0.22, 0.2399, 0.25, 0.2601, 0.28], "poor"),
    ],
)
def test_how_sure_it_is_follows_number_and_spread(values: list[float], confidence: str) -> None:
    found = said(values)
    assert found.confidence == confidence
    assert found.theta == (None if confidence == "none" else pytest.approx(0.25))
    assert drain_down_estimate(found).confidence == confidence


@pytest.mark.parametrize(("spread", "agree"), [(0.0199, True), (0.0201, False)])
def test_they_agree_within_two_hundredths(spread: float, agree: bool) -> None:
    assert said([0.25 - spread, 0.25 - spread / 2, 0.25, 0.25 + spread / 2, 0.25 + spread]).agree is agree


def test_one_that_went_through_is_enough_not_to_say_at_least() -> None:
    assert said([0.25] * 5, deep=0).at_least and said([0.25] * 5, deep=0).confidence == "poor"
    assert not said([0.25] * 5, deep=1).at_least and said([0.25] * 5, deep=1).confidence == "good"
    assert not said([]).at_least and not said([]).agree
