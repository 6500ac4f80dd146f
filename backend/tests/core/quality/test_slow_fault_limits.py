"""Every number of the rules for slow faults met from both sides, on series made by hand."""

from dataclasses import fields, replace

import numpy as np
import pytest

from embalse.core.quality.crossed_depths import DepthSeries
from embalse.core.quality.faults import Fault
from embalse.core.quality.slow_faults import LIMITS, SlowLimits, slow_faults

DAY_H = 24
T0 = 1_780_000_000 // 86400 * 86400


def look(
    thetas: list[np.ndarray], water: list[tuple[int, int]] | None = None, limits: SlowLimits = LIMITS
) -> dict[str, list[Fault]]:
    axis = T0 + 3600 * np.arange(len(thetas[0]))
    series = [DepthSeries(f"{10 * (n + 1)}", 10.0 * (n + 1), theta) for n, theta in enumerate(thetas)]
    return slow_faults(axis, series, water or [], limits=limits)


def kinds(found: dict[str, list[Fault]]) -> set[tuple[str, str]]:
    return {(sensor, one.fault) for sensor, them in found.items() for one in them}


def at(day: float, hours: float = 0.0) -> int:
    return T0 + round(86400 * day + 3600 * hours)


def calm(days: int = 40, level: float = 0.25) -> np.ndarray:
    return np.full(days * DAY_H, level)


class TestNoise:
    def scattered(self, sd: float, days: int = 10) -> np.ndarray:
        theta = calm()
        theta[240 : 240 + days * DAY_H] += sd * np.random.default_rng(1).normal(0, 1, days * DAY_H)
        return theta

    @pytest.mark.parametrize(("sd", "noisy"), [(0.0037, False), (0.0065, True)])
    def test_five_thousandths_from_hour_to_hour(self, sd: float, noisy: bool) -> None:
        assert (("10", "noise") in kinds(look([self.scattered(sd)]))) is noisy

    def test_it_spans_its_days_and_tells_its_size(self) -> None:
        [found] = look([self.scattered(0.01)])["10"]
        assert abs(found.start_at - at(10)) <= 86400 and abs(found.end_at - at(20)) <= 2 * 86400
        assert found.known_at == found.start_at + 48 * 3600
        assert found.size == pytest.approx(0.01, rel=0.35) and found.reason["limit_theta"] == 0.005
        assert found.reason["sd_theta"] == found.size


class TestRipple:
    def wave(self, height: float, days: int = 12, wander_h: float = 0.0, rise: bool = True) -> np.ndarray:
        hours = np.arange(40 * DAY_H)
        shift = wander_h * (hours // DAY_H % 2)
        swing = -height * np.cos(2 * np.pi * (hours + shift) / DAY_H)
        theta = 0.25 + np.where((hours >= 10 * DAY_H) & (hours < (10 + days) * DAY_H), swing, 0.0)
        return theta if rise else 0.25 + np.minimum.accumulate(theta - 0.25)

    @pytest.mark.parametrize(("height", "found"), [(0.0037, False), (0.0043, True)])
    def test_four_thousandths_either_way(self, height: float, found: bool) -> None:
        assert (("10", "ripple") in kinds(look([self.wave(height)]))) is found

    @pytest.mark.parametrize(("days", "found"), [(4, False), (5, True)])
    def test_five_days_of_it(self, days: int, found: bool) -> None:
        assert (("10", "ripple") in kinds(look([self.wave(0.0048, days)]))) is found

    def test_a_wave_that_does_not_keep_its_hour_is_none(self) -> None:
        assert kinds(look([self.wave(0.01, 25, wander_h=3.0)])) == {("10", "ripple")}
        assert kinds(look([self.wave(0.01, 25, wander_h=12.0)])) == set()

    def test_it_rises_without_water_as_roots_do_not(self) -> None:
        assert kinds(look([self.wave(0.01, rise=False)])) == set()

    def test_days_within_half_a_day_of_water_are_not_looked_at(self) -> None:
        theta = self.wave(0.01, 12)
        daily = [(at(d, 1), at(d, 2)) for d in range(10, 22)]
        assert kinds(look([theta], daily)) == set()
        once = [(at(14, 1), at(14, 2))]
        assert kinds(look([theta], once)) == {("10", "ripple")}

    def test_its_size_is_half_the_wave(self) -> None:
        [found] = look([self.wave(0.01)])["10"]
        assert found.size == pytest.approx(0.01, rel=0.05) and found.reason["height_theta"] == found.size
        assert found.start_at == at(8) and found.end_at == at(24) - 3600, "with the days their fives reach into"
        assert found.known_at == at(13)


class TestRise:
    def risen(self, by: float, stays: float = 1.0, neighbour: float = 0.0) -> list[np.ndarray]:
        """Three depths; the middle one jumps on day 20 and keeps a share of it, the lowest may go along."""
        thetas = [calm(level=level) for level in (0.25, 0.26, 0.27)]
        thetas[1][20 * DAY_H :] += by * stays
        thetas[1][20 * DAY_H] = 0.26 + by
        thetas[2][20 * DAY_H :] += neighbour * by
        return thetas

    @pytest.mark.parametrize(("by", "found"), [(0.049, False), (0.051, True)])
    def test_five_hundredths_in_an_hour(self, by: float, found: bool) -> None:
        assert (("20", "rise") in kinds(look(self.risen(by)))) is found

    @pytest.mark.parametrize(("stays", "found"), [(0.58, False), (0.62, True)])
    def test_three_fifths_of_it_stay(self, stays: float, found: bool) -> None:
        assert (("20", "rise") in kinds(look(self.risen(0.1, stays)))) is found

    @pytest.mark.parametrize(("neighbour", "found"), [(0.24, True), (0.26, False)])
    def test_a_neighbour_that_goes_along_by_a_quarter_makes_it_water(self, neighbour: float, found: bool) -> None:
        assert (("20", "rise") in kinds(look(self.risen(0.1, neighbour=neighbour)))) is found

    def test_its_numbers(self) -> None:
        [found] = look(self.risen(0.1))["20"]
        assert (found.start_at, found.end_at) == (at(20), at(20)) and found.known_at == at(25)
        assert found.size == pytest.approx(0.1) and found.reason["before_theta"] == pytest.approx(0.26)
        assert found.reason["after_theta"] == pytest.approx(0.36)

    def test_five_days_must_have_passed(self) -> None:
        whole = self.risen(0.1)
        assert kinds(look([t[: 25 * DAY_H] for t in whole])) == {("20", "rise")}
        assert kinds(look([t[: 25 * DAY_H - 1] for t in whole])) == set()

    @pytest.mark.parametrize(("hours_before", "found"), [(23, False), (26, True)])
    def test_the_top_alone_may_be_wetted_within_a_day_of_water(self, hours_before: int, found: bool) -> None:
        thetas = [calm(level=level) for level in (0.25, 0.26, 0.27)]
        thetas[0][20 * DAY_H :] += 0.06
        for wetted in range(2, 38, 2):  # the top jumps by nearly as much at each of its wettings
            if wetted != 20:
                thetas[0][wetted * DAY_H : wetted * DAY_H + 5] += 0.045
        water = [(at(20, -hours_before - 1), at(20, -hours_before))]
        assert (("10", "rise") in kinds(look(thetas, water))) is found


class TestDrift:
    def drifting(self, per_window: float, depths: int = 4, swing: float = 0.03, windows: int = 8) -> list[np.ndarray]:
        """Depths that are wetted every five days; the second one climbs by so much in each ten days."""
        hours = np.arange(windows * 240)
        saw = swing * (1 - (hours % 120) / 120)
        thetas = [0.22 + 0.01 * n + saw for n in range(depths)]
        thetas[1] = thetas[1] + per_window * hours / 240
        return thetas

    def drifts(self, *args: float, **more: float) -> bool:
        water = [(at(5 * n), at(5 * n, 1)) for n in range(16)]
        return ("20", "drift") in kinds(look(self.drifting(*args, **more), water))  # type: ignore[arg-type]

    def test_four_hundredths_in_all(self) -> None:
        assert self.drifts(0.0062) and not self.drifts(0.0050)

    def test_down_as_well_as_up(self) -> None:
        assert self.drifts(-0.0062) and not self.drifts(-0.0050)

    def test_four_depths_are_needed_to_tell_which_one_moves(self) -> None:
        assert self.drifts(0.01, depths=4) and not self.drifts(0.01, depths=3)

    def test_five_windows_with_water_moving_in_them(self) -> None:
        assert self.drifts(0.02, windows=5) and not self.drifts(0.02, windows=4)
        assert self.drifts(0.01, swing=0.0125) and not self.drifts(0.01, swing=0.0115)

    def test_a_subsoil_that_dries_once_and_is_not_wetted_again_does_not_drift(self) -> None:
        thetas = self.drifting(0.0)
        thetas[1] = 0.30 - 0.02 * np.arange(len(thetas[1])) / 240
        assert ("20", "drift") not in kinds(look(thetas, [(at(5 * n), at(5 * n, 1)) for n in range(16)]))

    @pytest.mark.parametrize(("own", "drifts"), [(0.0052, True), (0.0048, False)])
    def test_one_the_others_move_away_from_does_not_drift(self, own: float, drifts: bool) -> None:
        thetas = self.drifting(own)
        falling = (0.010 - own) * np.arange(len(thetas[0])) / 240
        thetas = [theta if n == 1 else theta - falling for n, theta in enumerate(thetas)]
        found = kinds(look(thetas, [(at(5 * n), at(5 * n, 1)) for n in range(16)]))
        assert (("20", "drift") in found) == drifts

    def test_a_step_is_no_drift(self) -> None:
        thetas = self.drifting(0.0)
        thetas[1][960:] += 0.08
        assert ("20", "drift") not in kinds(look(thetas, [(at(5 * n), at(5 * n, 1)) for n in range(16)]))

    def test_only_the_one_that_moved_most_is_named_and_its_move_told(self) -> None:
        thetas = self.drifting(0.02)
        thetas[2] = thetas[2] + 0.012 * np.arange(len(thetas[2])) / 240
        found = look(thetas, [(at(5 * n), at(5 * n, 1)) for n in range(16)])
        assert {one for one in kinds(found) if one[1] == "drift"} == {("20", "drift")}
        [drift] = [one for one in look(self.drifting(0.01))["20"] if one.fault == "drift"]
        assert drift.size == pytest.approx(0.07, abs=0.004) and drift.reason["in_days"] == 80
        assert drift.start_at == at(0) and drift.known_at == at(50)


class TestDriftBesideTheSameDepthElsewhere:
    """Two depths only, but three stations: what one sensor does against the same depth at the others."""

    def found(self, *per_window: float, swing: float = 0.03, windows: int = 8) -> list[Fault]:
        """Of the first of as many stations, each of which climbs by so much in ten days."""
        hours = np.arange(windows * 240)
        saw = 0.25 + swing * (1 - (hours % 120) / 120)
        here, *others = [saw + one * hours / 240 + 0.01 * n for n, one in enumerate(per_window)]
        axis = np.arange(len(hours)) * 3600
        series = [DepthSeries("25", 25.0, here), DepthSeries("60", 60.0, saw)]
        water = [(at(5 * n), at(5 * n, 1)) for n in range(2 * windows)]
        return slow_faults(axis, series, water, beside={"25": others})["25"]

    def test_four_hundredths_in_all(self) -> None:
        assert self.found(0.0062, 0, 0) and not self.found(0.0050, 0, 0)
        [drift] = self.found(-0.01, 0, 0)
        assert drift.fault == "drift" and drift.size == pytest.approx(0.07, abs=0.004)
        assert drift.reason.code == "fault.drift_beside"  # type: ignore[union-attr]

    def test_of_two_nobody_can_tell_which_one_moves(self) -> None:
        assert self.found(0.01, 0.0, 0.0) and not self.found(0.01, 0.0)

    def test_one_that_stays_while_another_moves_further_is_not_named(self) -> None:
        assert not self.found(0.0, 0.02, 0.0) and self.found(0.02, 0.0, 0.0)

    def test_where_no_water_comes_the_stations_may_dry_apart(self) -> None:
        assert not self.found(0.01, 0, 0, swing=0.0115) and self.found(0.01, 0, 0, swing=0.0125)
        assert not self.found(0.02, 0, 0, windows=4) and self.found(0.02, 0, 0, windows=5)


def test_less_than_two_days_say_nothing() -> None:
    noisy = 0.25 + 0.02 * np.random.default_rng(1).normal(0, 1, 47)
    assert kinds(look([noisy])) == set()


@pytest.mark.parametrize("name", [f.name for f in fields(SlowLimits)])
def test_each_limit_can_be_set_and_is_positive(name: str) -> None:
    assert getattr(LIMITS, name) > 0
    assert replace(LIMITS, **{name: getattr(LIMITS, name)}) == LIMITS  # type: ignore[arg-type]
