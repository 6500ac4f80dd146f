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
    assert found.theta is not None and found.accepted >= 3
    assert found.theta == pytest.approx(filled.theta_full[30.0], abs=0.03)
    assert found.quartiles is not None and found.quartiles[0] <= found.theta <= found.quartiles[1]
    quiet = full_point_from_drain_down(profile(filled, sensed=False), 1)
    assert quiet.theta == pytest.approx(found.theta, abs=0.012)


def test_wettings_that_do_not_fill_the_profile_are_rejected_with_the_reason(thirsty: PlotSeason) -> None:
    found = full_point_from_drain_down(profile(thirsty), 1)
    assert found.theta is None and found.words.code == "drain_down.few"
    assert all(not event.accepted and event.why_not for event in found.events)
    assert drain_down_estimate(found).confidence == "none"


def test_a_gap_gives_no_event_and_stations_are_pooled(filled: PlotSeason) -> None:
    series = profile(filled)
    blind = replace(series, theta=np.where(np.arange(len(series.local_s)) < 1e9, np.nan, series.theta))
    assert {e.why_not for e in full_point_from_drain_down(blind, 1).events} == {Notice("drain_down.no_readings")}
    one = full_point_from_drain_down(series, 1)
    assert pooled([one, one]).accepted == 2 * one.accepted


# by hand: a two-layer profile wetted from 06:00 to 08:00 on each fifth day, that then stands, or drains at night
WET_AT = 6 * HOUR
SPAN = 2 * HOUR
DAYS = 20


def made(
    rise: float = 0.05, deep_rise: float = 0.05, drains: float = 0.0, waters: int = 4, every: int = 5
) -> ProfileSeries:
    """θ of two layers (20 cm each): up by a rise at each wetting, then down by ``drains`` a day (share), evenly."""
    hours = np.arange(DAYS * 24)
    theta = np.full((2, len(hours)), 0.20)
    given = [(n * every * DAY + WET_AT, n * every * DAY + WET_AT + SPAN) for n in range(waters)]
    for start, end in given:
        since = (hours * HOUR - end) / DAY
        after = since >= 0
        for layer, size in enumerate((rise, deep_rise)):
            level = (0.20 + size) * (1 - drains * np.maximum(since, 0))
            theta[layer] = np.where(after, level, np.where(hours * HOUR >= start - 7 * HOUR, 0.20, theta[layer]))
    return ProfileSeries(hours.astype(np.int64) * HOUR, theta, (20.0, 20.0), tuple(given))


def reasons(series: ProfileSeries, layer: int = 0) -> set[str]:
    return {
        e.why_not.code if isinstance(e.why_not, Notice) else ""
        for e in full_point_from_drain_down(series, layer).events
    }


def test_a_layer_that_stands_is_read_as_it_stands() -> None:
    found = full_point_from_drain_down(made(), 0)
    assert found.accepted == 4 and found.theta == pytest.approx(0.25)
    assert found.quartiles == (pytest.approx(0.25), pytest.approx(0.25)) and found.through_share == 1.0


@pytest.mark.parametrize(("rise", "why"), [(0.0119, "drain_down.not_reached"), (0.0121, "")])
def test_a_layer_must_rise_by_twelve_thousandths(rise: float, why: str) -> None:
    assert reasons(made(rise=rise)) == {why}


@pytest.mark.parametrize(("rise", "why"), [(0.0079, "drain_down.not_filled"), (0.0081, "")])
def test_the_deepest_sensor_must_rise_by_eight_thousandths(rise: float, why: str) -> None:
    assert reasons(made(deep_rise=rise)) == {why}


@pytest.mark.parametrize(("drains", "why"), [(0.0185, ""), (0.025, "drain_down.draining")])
def test_two_percent_a_day_still_drains(drains: float, why: str) -> None:
    assert reasons(made(drains=drains)) == {why}


def test_the_drainage_is_told_beside_the_reading() -> None:
    [first, *_] = full_point_from_drain_down(made(drains=0.01), 0).events
    assert all(n.drained_share_d == pytest.approx(0.0102, abs=0.0002) for n in first.nights)
    assert [n.hours for n in first.nights] == [17.0, 41.0, 65.0, 89.0]


def test_the_night_nearest_fifty_four_hours_is_read() -> None:
    [first, *_] = full_point_from_drain_down(made(drains=0.01), 0).events
    nearest = min(first.nights, key=lambda n: abs(n.hours - 54.0))
    assert first.theta == nearest.theta and nearest.theta == pytest.approx(0.25 * (1 - 0.01 * nearest.hours / 24))


def test_water_again_before_thirty_hours_leaves_nothing_to_read() -> None:
    soon = replace(made(every=5), waters=((WET_AT, WET_AT + SPAN), (WET_AT + 30 * HOUR, WET_AT + 32 * HOUR)))
    [first, *_] = full_point_from_drain_down(soon, 0).events
    assert first.why_not == Notice("drain_down.watered", earliest_h=30.0) and [n.hours for n in first.nights] == [17.0]


def test_a_night_with_fewer_than_seven_hours_is_left_out() -> None:
    series = made(waters=1)
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


def said(values: list[float], filled: int | None = None) -> FieldFullPoint:
    events = tuple(DrainDown(n, (), v) for n, v in enumerate(values))
    more = tuple(DrainDown(n, (), None, "dry below", filled=False) for n in range(filled or 0))
    return pooled([FieldFullPoint(None, None, (*events, *more), "none", Notice("drain_down.few"))])


@pytest.mark.parametrize(
    ("values", "confidence"),
    [
        ([0.25, 0.25], "none"),
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


def test_the_share_that_went_through_counts_those_that_filled() -> None:
    assert said([0.25, 0.25, 0.25], filled=1).through_share == 0.75
    assert said([]).through_share == 0.0
