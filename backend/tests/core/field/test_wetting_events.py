"""Wettings, uptake by depth and diagnoses, on profiles whose truth is known."""

from dataclasses import replace
from functools import cache

import numpy as np
import pytest

from bench import trials, wetting_trials
from embalse.core.errors import CoreError
from embalse.core.field.day_curve import hourly_share, hourly_use_mm
from embalse.core.field.diagnoses import Weeks, diagnoses
from embalse.core.field.uptake import uptake
from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.field.wetting_events import wettings
from embalse.core.robust import noise_of_series
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice
from tests.core.build import codes, values_of

HOUR = 3600
DEPTHS, LIMITS = (10.0, 30.0, 50.0, 80.0), (0.0, 20.0, 40.0, 60.0, 100.0)


@cache
def season(number: int = 1, fill: float = 1.4) -> trials.Trial:
    return trials.trial(number, fill=fill, days=60, month=6)


def steps(days: int, rises: dict[int, tuple[float, ...]], dry: float = 0.0) -> np.ndarray:
    """Hourly θ by layer that jumps at given hours, one tuple of rises a layer, arriving three hours apart."""
    theta = np.full((len(DEPTHS), days * 24), 0.20)
    theta -= dry * np.arange(days * 24) / 24
    for hour, sizes in rises.items():
        for layer, size in enumerate(sizes):
            theta[layer, hour + 3 * layer :] += size
    return theta


def profile(theta: np.ndarray, **more: object) -> ProfileHours:
    at = np.arange(theta.shape[1], dtype=np.int64) * HOUR
    return ProfileHours(at, theta, DEPTHS, LIMITS, 60.0, **more)  # type: ignore[arg-type]


def test_a_set_is_found_with_its_arrivals_reach_and_gain() -> None:
    given = Water("set", 50 * HOUR, 56 * HOUR, 20.0)
    (one,) = wettings(profile(steps(6, {50: (0.06, 0.03, 0.0, 0.0)})), [given])
    assert abs(one.start_at - 50 * HOUR) <= HOUR and one.reach_cm == 30 and one.from_what == (given,)
    assert [a.depth_cm for a in one.arrivals] == [10, 30]
    assert one.gain_mm == pytest.approx(0.06 * 200 + 0.03 * 200, rel=0.02)
    assert one.front_cm_h == pytest.approx(20 / 3, rel=0.4) and one.below_mm == pytest.approx(0.0, abs=0.1)


def test_what_nobody_logged_is_named_with_a_suspicion() -> None:
    (one,) = wettings(profile(steps(6, {50: (0.06, 0.03, 0.0, 0.0)})))
    assert not one.explained and codes(one.suspect) == ["suspect.unlogged"]
    (small,) = wettings(profile(steps(6, {50: (0.012, 0.0, 0.0, 0.0)})))
    assert codes(small.suspect) == ["suspect.top_only"]
    (deep,) = wettings(profile(steps(6, {50: (0.0, 0.0, 0.05, 0.04)})))
    assert codes(deep.suspect) == ["suspect.from_below"]


def test_two_sets_a_day_apart_are_two_and_noise_is_none() -> None:
    rises = {50: (0.05, 0.02, 0.0, 0.0), 80: (0.05, 0.02, 0.01, 0.0)}
    found = wettings(profile(steps(7, rises)), [Water("set", h * HOUR, (h + 4) * HOUR, 10.0) for h in rises])
    assert [w.reach_cm for w in found] == [30, 50] and [len(w.from_what) for w in found] == [1, 1]
    random = np.random.default_rng(4)
    assert wettings(profile(0.2 + random.normal(0, 0.0015, (4, 600)))) == []
    assert noise_of_series(0.2 + random.normal(0, 0.002, 2000)) == pytest.approx(0.002, rel=0.1)


def test_rain_of_the_afternoon_is_a_cause_too() -> None:
    rain = Water("rain", 48 * HOUR, 54 * HOUR, 12.0)
    (one,) = wettings(profile(steps(6, {50: (0.06, 0.0, 0.0, 0.0)})), [rain])
    assert one.from_what == (rain,)


def test_what_goes_below_is_told_from_gain_and_loss() -> None:
    theta = steps(8, {50: (0.06, 0.04, 0.03, 0.02)})
    theta[:3, 60:] -= np.minimum(0.02, 0.001 * np.arange(theta.shape[1] - 60))
    bare = wettings(profile(theta))[0]
    assert bare.below_mm == pytest.approx(0.02 * 400, rel=0.1)
    told = wettings(profile(theta, use_mm=np.zeros(theta.shape[1])))[0]
    assert told.below_mm == pytest.approx(0.02 * 600, rel=0.05)
    unknown = wettings(profile(theta, use_mm=np.full(theta.shape[1], np.nan)))[0]
    assert unknown.below_mm == bare.below_mm
    shallow = replace(profile(theta), root_depth_cm=100.0)
    assert wettings(shallow)[0].below_mm is None


def test_series_that_do_not_belong_together_are_refused() -> None:
    with pytest.raises(CoreError, match="one series a depth"):
        wettings(replace(profile(steps(3, {})), depths_cm=(10.0,)))
    with pytest.raises(CoreError, match="one more limit"):
        wettings(replace(profile(steps(3, {})), limits_cm=(0.0, 20.0)))


def test_the_simulators_wettings_are_found_with_their_reach() -> None:
    found = wettings(wetting_trials.profile_of(season()), wetting_trials.waters_of(season().season))
    true = wetting_trials.truths(season().season)
    pairs = wetting_trials.matched(found, true)
    assert len(pairs) == len(true) and len(found) <= len(true) + 1
    assert sum(w.reach_cm == t.reach_cm for w, t in pairs) >= 0.8 * len(pairs)
    assert all(w.explained for w, _ in pairs)


def test_roots_are_seen_where_they_drink() -> None:
    one = season()
    given = wetting_trials.profile_of(one)
    found = uptake(given, tuple(wettings(given)), last_days=40)
    by_depth = {y.depth_cm: y for y in found.layers}
    assert found.days >= 4 and sum(y.share for y in found.layers) == pytest.approx(1.0)
    assert by_depth[10].active and by_depth[10].share > by_depth[50].share
    assert not by_depth[80].active
    assert found.root_depth_cm is not None and 55 <= found.root_depth_cm <= 70
    none = uptake(replace(given, at=given.at[:60], theta=given.theta[:, :60]), ())
    assert none.root_depth_cm is None and values_of(none.why_not, "uptake.few_days")["wanted"] == 4


def test_drainage_by_night_is_not_uptake() -> None:
    draining = profile(steps(20, {}, dry=0.01))
    found = uptake(draining)
    assert all(abs(y.mm_d) < 0.05 for y in found.layers) and found.root_depth_cm is None


def test_a_days_use_is_spread_over_its_daylight() -> None:
    shares = [hourly_share(h) for h in range(24)]
    assert sum(shares) == pytest.approx(1.0) and shares[3] == 0.0 and shares[13] == max(shares)
    hours = hourly_use_mm(np.arange(48, dtype=np.int64) * HOUR, {0: 6.0})
    assert hours[:24].sum() == pytest.approx(6.0) and np.isnan(hours[24:]).all()


LAYERS = tuple(
    Layer(d, top, bottom, max(0.0, min(bottom, 60.0) - top), 0.30, 0.20, 0.10, 0.45)
    for d, top, bottom in zip(DEPTHS, LIMITS, LIMITS[1:], strict=False)
)


def weeks(theta: float | tuple[float, ...], days: int = 21, **more: object) -> Weeks:
    levels = np.array(theta if isinstance(theta, tuple) else (theta,) * 4)[:, None]
    return Weeks(np.repeat(levels, days * 24, axis=1), LAYERS, **{"wettings": (), "root_depth_cm": 60.0, **more})  # type: ignore[arg-type]


def went(reach: float, gain: float, below: float | None = 0.0) -> Wetting:
    return Wetting(0, HOUR, (), gain, reach, below, None)


APART = Notice("evidence.stations", lowest_mm=20.0, highest_mm=60.0)


def kinds(given: Weeks, disagree: Notice | None = None) -> list[str]:
    return [d.kind for d in diagnoses(given, disagree)]


@pytest.mark.published(
    source="common practice, no source: upper sensors swing within their range, lower ones hardly move"
)
def test_each_trouble_has_its_name() -> None:
    assert kinds(weeks(0.25)) == ["not told"]
    assert kinds(weeks(0.305)) == ["too wet"]
    assert kinds(weeks((0.17, 0.17, 0.25, 0.25))) == ["too dry"]
    assert kinds(weeks(0.25, wettings=(went(80, 20, 9.0),) * 4)) == ["leaking"]
    assert kinds(weeks(0.25, wettings=(went(80, 20, 9.0), went(50, 20), went(50, 20), went(50, 20)))) == ["not told"]
    sealed = weeks(0.25, wettings=(went(30, 8),) * 4, expected_mm=(20.0,) * 4)
    assert kinds(sealed) == ["sealed"] and codes(diagnoses(sealed)[0].words) == ["diagnosis.sealed"]
    falling = weeks(0.25, wettings=(went(30, 18),) * 5)
    falling.theta[2] -= np.linspace(0, 0.06, falling.theta.shape[1])
    assert "not reaching" in kinds(falling)
    assert kinds(weeks(0.25), APART) == ["uneven"]
    assert kinds(weeks(0.25, days=4)) == []


def test_every_trouble_has_evidence_remedies_and_a_caution() -> None:
    for found in diagnoses(weeks(0.305, wettings=(went(80, 20, 9.0),) * 4), APART):
        assert found.evidence and found.remedies and found.caution
