"""Wettings on both sides of every limit: what answers, what belongs together, what it is put down to, what passes."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.field.wetting_events import wettings

HOUR = 3600
DEPTHS, LIMITS = (10.0, 30.0, 50.0, 80.0), (0.0, 20.0, 40.0, 60.0, 100.0)
Rise = tuple[int, int, float]
"""Layer, hour and size [m³/m³] of a rise that stays."""


def profile(*rises: Rise, hours: int = 24 * 8, over_h: int = 1, **more: object) -> ProfileHours:
    theta = np.full((4, hours), 0.20)
    for layer, hour, size in rises:
        theta[layer] += size * np.clip((np.arange(hours) - hour + 1) / over_h, 0, 1)
    given = ProfileHours(np.arange(hours, dtype=np.int64) * HOUR, theta, DEPTHS, LIMITS, 60.0)
    return replace(given, **more)  # type: ignore[arg-type]


def water(start_h: float, end_h: float, kind: str = "set", mm: float = 20.0) -> Water:
    return Water(kind, round(start_h * HOUR), round(end_h * HOUR), mm)  # type: ignore[arg-type]


def one(given: ProfileHours, *waters: Water) -> Wetting:
    [found] = wettings(given, waters)
    return found


class TestWhatAnswers:
    @pytest.mark.parametrize(("rise", "count"), [(0.0057, 0), (0.0063, 1)])
    def test_six_thousandths_within_four_hours(self, rise: float, count: int) -> None:
        assert len(wettings(profile((0, 50, rise)))) == count

    @pytest.mark.parametrize(("over_h", "count"), [(4, 1), (9, 0)])
    def test_a_slow_rise_is_no_front(self, over_h: int, count: int) -> None:
        assert len(wettings(profile((0, 50, 0.008), over_h=over_h))) == count

    @pytest.mark.parametrize(("sd", "count"), [(0.0005, 1), (0.006, 0)])
    def test_four_noises(self, sd: float, count: int) -> None:
        given = profile((0, 50, 0.012))
        rough = given.theta + sd * np.random.default_rng(5).normal(0, 1, given.theta.shape)
        found = wettings(replace(given, theta=rough))
        assert len([w for w in found if abs(w.start_at - 50 * HOUR) < 6 * HOUR]) == count

    @pytest.mark.parametrize(("thickness", "count"), [(15.0, 0), (20.0, 1)])
    def test_a_millimetre_must_come(self, thickness: float, count: int) -> None:
        thin = profile((0, 50, 0.0063), depths_cm=DEPTHS, limits_cm=(0.0, thickness, 40.0, 60.0, 100.0))
        assert len(wettings(thin)) == count

    @pytest.mark.parametrize(("rise", "count"), [(0.0145, 0), (0.0155, 1)])
    def test_water_that_shows_below_only_must_be_plain(self, rise: float, count: int) -> None:
        assert len(wettings(profile((1, 50, rise)))) == count

    def test_its_start_arrivals_gain_and_reach(self) -> None:
        found = one(profile((0, 50, 0.05), (1, 53, 0.04), (2, 57, 0.02)))
        assert found.start_at == 49 * HOUR and [a.depth_cm for a in found.arrivals] == [10.0, 30.0, 50.0]
        assert [a.gain_mm for a in found.arrivals] == pytest.approx([10.0, 8.0, 4.0], abs=0.05)
        assert found.gain_mm == pytest.approx(22.0, abs=0.1) and found.reach_cm == 50.0
        assert [(a.before, a.peak) for a in found.arrivals] == [
            (pytest.approx(0.20), pytest.approx(0.25)),
            (pytest.approx(0.20), pytest.approx(0.24)),
            (pytest.approx(0.20), pytest.approx(0.22)),
        ]

    def test_only_the_part_of_a_layer_in_the_roots_is_gained(self) -> None:
        half = replace(profile((0, 50, 0.05), (1, 53, 0.04)), root_depth_cm=30.0)
        assert one(half).gain_mm == pytest.approx(10.0 + 4.0, abs=0.1)

    def test_the_front_is_depth_over_time(self) -> None:
        found = one(profile((0, 50, 0.05), (1, 54, 0.05), (2, 58, 0.05)))
        assert found.front_cm_h == pytest.approx(5.0, abs=0.2)
        assert one(profile((0, 50, 0.05))).front_cm_h is None
        assert one(profile((0, 50, 0.05), (1, 50, 0.05))).front_cm_h is None


class TestWhatBelongsTogether:
    @pytest.mark.parametrize(("later_h", "count"), [(30, 1), (31, 2)])
    def test_thirty_hours_down_the_profile(self, later_h: int, count: int) -> None:
        assert len(wettings(profile((0, 50, 0.05), (1, 50 + later_h, 0.05)))) == count

    @pytest.mark.parametrize(("later_h", "count"), [(6, 1), (7, 2)])
    def test_a_shallower_layer_follows_within_six_hours(self, later_h: int, count: int) -> None:
        assert len(wettings(profile((1, 50, 0.05), (0, 50 + later_h, 0.05)))) == count

    def test_the_top_again_is_the_same_only_while_its_water_runs(self) -> None:
        twice = profile((0, 50, 0.03), (0, 60, 0.03))
        assert len(wettings(twice, [water(49, 62)])) == 1
        assert len(wettings(twice, [water(49, 58)])) == 2
        assert len(wettings(twice, [water(49, 54), water(59, 62)])) == 2


class TestWhatItIsPutDownTo:
    WET = ((0, 50, 0.05), (1, 53, 0.03))

    @pytest.mark.parametrize(("start_h", "known"), [(51.9, True), (52.1, False)])
    def test_a_set_that_began_up_to_three_hours_after(self, start_h: float, known: bool) -> None:
        assert one(profile(*self.WET), water(start_h, start_h + 2)).explained is known

    @pytest.mark.parametrize(("start_h", "found"), [(46.1, 1), (45.9, 0)])
    def test_or_up_to_three_hours_before_and_then_no_older_one(self, start_h: float, found: int) -> None:
        long, new = water(20, 60), water(start_h, 46.2)
        assert one(profile(*self.WET), long, new).from_what == ((new,) if found else (long,))

    @pytest.mark.parametrize(("start_h", "with_it"), [(60.9, True), (61.1, False)])
    def test_water_within_twelve_hours_after_came_with_it_too(self, start_h: float, with_it: bool) -> None:
        first, second = water(48, 50), water(start_h, start_h + 2)
        assert one(profile(*self.WET), first, second).from_what == ((first, second) if with_it else (first,))

    @pytest.mark.parametrize(("end_h", "known"), [(25.1, True), (24.9, False)])
    def test_a_set_that_ended_up_to_a_day_before(self, end_h: float, known: bool) -> None:
        assert one(profile(*self.WET), water(end_h - 2, end_h)).explained is known

    @pytest.mark.parametrize(("end_h", "known"), [(13.1, True), (12.9, False)])
    def test_rain_that_ended_up_to_a_day_and_a_half_before(self, end_h: float, known: bool) -> None:
        assert one(profile(*self.WET), water(end_h - 2, end_h, "rain")).explained is known

    def test_of_several_before_it_the_last(self) -> None:
        first, last = water(30, 32), water(36, 38)
        assert one(profile(*self.WET), last, first).from_what == (last,)

    def test_a_set_that_still_ran_and_one_that_began_with_it(self) -> None:
        long, new = water(20, 60), water(52.5, 55)
        assert one(profile(*self.WET), long, new).from_what == (long, new)
        early = water(48, 50)
        assert one(profile(*self.WET), early, long).from_what == (early,)


class TestWhatPasses:
    def leaking(self, drop: float, use_mm_h: float | None, over_h: int = 40) -> Wetting:
        """Wetted to the last sensor; the roots then lose ``drop`` m³/m³ a layer over some hours."""
        given = profile((0, 50, 0.05), (1, 52, 0.05), (2, 54, 0.05), (3, 56, 0.01), hours=24 * 7)
        theta = given.theta.copy()
        theta[:3] -= drop * np.clip((np.arange(theta.shape[1]) - 60) / over_h, 0, 1)
        use = None if use_mm_h is None else np.full(theta.shape[1], use_mm_h)
        return one(replace(given, theta=theta, use_mm=use))

    def test_without_crop_use_it_is_what_the_layer_below_gained(self) -> None:
        assert self.leaking(0.02, None).below_mm == pytest.approx(0.01 * 400, abs=0.1)

    def test_with_crop_use_it_is_what_the_roots_lost_beyond_it(self) -> None:
        lost = 0.02 * 600
        assert self.leaking(0.02, 0.0).below_mm == pytest.approx(lost, abs=0.2)
        assert self.leaking(0.02, 0.1).below_mm == pytest.approx(lost - 5.2, abs=0.7)

    def test_and_what_the_layer_below_had_gained_before_the_roots_were_at_their_wettest(self) -> None:
        given = profile((0, 50, 0.05), (3, 51, 0.01), (1, 52, 0.05), (2, 54, 0.05), hours=24 * 7)
        assert one(replace(given, use_mm=np.zeros(24 * 7))).below_mm == pytest.approx(4.0, abs=0.1)

    def test_a_crop_that_drinks_it_all_lets_nothing_pass(self) -> None:
        assert self.leaking(0.01, 0.4).below_mm == 0.0

    def test_an_hour_of_unknown_use_leaves_the_gain_below_alone(self) -> None:
        given = profile((0, 50, 0.05), (3, 56, 0.01), hours=24 * 7, use_mm=np.full(24 * 7, 0.1))
        assert given.use_mm is not None
        given.use_mm[70] = np.nan
        assert one(given).below_mm == pytest.approx(4.0, abs=0.1)

    @pytest.mark.parametrize(("root_depth", "told"), [(98.0, True), (99.5, False)])
    def test_a_sensor_must_stand_below_the_roots(self, root_depth: float, told: bool) -> None:
        deep = replace(profile((0, 50, 0.05)), root_depth_cm=root_depth)
        told_by_limits = deep.limits_cm[-1] > root_depth + 1
        assert told_by_limits is told
        assert one(replace(deep, root_depth_cm=60.0)).below_mm == pytest.approx(0.0, abs=0.01)
        assert one(replace(deep, root_depth_cm=99.5)).below_mm is None

    @pytest.mark.parametrize(("known", "told"), [(0.85, True), (0.7, False)])
    def test_four_fifths_of_the_hours_must_be_known(self, known: float, told: bool) -> None:
        given = profile((0, 50, 0.05), (3, 56, 0.01), hours=24 * 7)
        theta = given.theta.copy()
        span = np.arange(60, 109)
        theta[3, span[: round((1 - known) * 61)]] = np.nan
        assert (one(replace(given, theta=theta)).below_mm is not None) is told
