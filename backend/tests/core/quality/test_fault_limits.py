"""Every number of the rules for faults met from both sides, on series made by hand."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.quality.faults import (
    CAPS_KPA,
    DOUBT_DAYS,
    MATRIX,
    RAW,
    SLOW,
    TENSION,
    WATER,
    Fault,
    TrustLimits,
    faults,
    late_faults,
    runs,
    still_in_doubt,
)

HOUR = 3600
Steps = tuple[float, ...]


def hours(count: int, step_h: float = 1.0) -> np.ndarray:
    return (np.arange(count) * step_h * HOUR).astype(np.int64)


def wavy(count: int = 200, level: float = 0.25, by: float = 0.001) -> np.ndarray:
    """A series that is never the same twice in a row, with next to no noise."""
    return level + by * np.array([0.0, 1.0, -1.0, 0.5, -0.5, 0.8, -0.8])[np.arange(count) % 7]


def named(values: np.ndarray, limits: TrustLimits = WATER, step_h: float = 1.0, tension: bool = False) -> list[str]:
    return [f.fault for f in faults(hours(len(values), step_h), values, limits, tension)]


def only(values: np.ndarray, limits: TrustLimits = WATER, tension: bool = False) -> Fault:
    [found] = faults(hours(len(values)), values, limits, tension)
    return found


@pytest.mark.parametrize(
    ("value", "limits", "out"),
    [(0.0, WATER, False), (-0.001, WATER, True), (0.60, WATER, False), (0.601, WATER, True),
     (-1.0, TENSION, False), (-1.01, TENSION, True), (250.0, TENSION, False), (250.1, TENSION, True)],
)  # fmt: skip
def test_the_ends_of_what_can_be_are_inside(value: float, limits: TrustLimits, out: bool) -> None:
    level = 0.25 if limits is WATER else 40.0
    values = np.full(200, level) + np.linspace(0, 0.001, 200)
    values[100:103] = value
    assert ("range" in named(values, limits)) is out


def test_a_range_fault_says_the_worst_and_the_limits() -> None:
    values = wavy()
    values[50:53] = (0.7, 0.9, 0.8)
    found = only(values)
    assert (found.fault, found.readings, found.start_at, found.end_at) == ("range", 3, 50 * HOUR, 52 * HOUR)
    assert (found.reason["seen_theta"], found.reason["low_theta"], found.reason["high_theta"]) == (0.9, 0.0, 0.6)
    assert found.known_at == 50 * HOUR


@pytest.mark.parametrize(("held", "stuck"), [(24, False), (25, True)])
def test_a_day_of_one_value_is_stuck(held: int, stuck: bool) -> None:
    values = wavy()
    values[60 : 60 + held] = 0.2500123
    assert named(values) == (["stuck"] if stuck else [])


@pytest.mark.parametrize(("held", "stuck"), [(11, False), (12, True)])
def test_and_twelve_readings_of_it(held: int, stuck: bool) -> None:
    values = wavy()
    values[60 : 60 + held] = 0.2500123
    assert named(values, step_h=3.0) == (["stuck"] if stuck else [])


def test_a_stuck_fault_is_known_after_its_day() -> None:
    values = wavy()
    values[60:100] = 0.2500123
    found = only(values)
    assert (found.start_at, found.end_at, found.readings) == (60 * HOUR, 99 * HOUR, 40)
    assert found.known_at == 84 * HOUR and found.reason["whole_h"] == 39


@pytest.mark.parametrize("cap", CAPS_KPA)
def test_the_ends_of_a_scale_are_no_stuck_reading(cap: float) -> None:
    values = 40 + wavy(200, 0, 0.5)
    values[150:] = cap
    assert "stuck" not in named(values, MATRIX, tension=True)
    values[150:] = 38.5
    assert "stuck" in named(values, MATRIX, tension=True)


@pytest.mark.parametrize(("missing", "gap"), [(5, False), (6, True)])
def test_more_than_six_hours_without_a_reading_are_a_gap(missing: int, gap: bool) -> None:
    kept = np.delete(np.arange(200), np.arange(100, 100 + missing))
    found = faults(hours(200)[kept], wavy()[kept], WATER)
    assert [f.fault for f in found] == (["gap"] if gap else [])
    if gap:
        assert (found[0].start_at, found[0].end_at, found[0].readings) == (99 * HOUR, 106 * HOUR, 0)
        assert found[0].known_at == 99 * HOUR + 6 * HOUR and found[0].reason["whole_h"] == 7


def test_rare_readings_make_a_gap_of_four_times_their_interval() -> None:
    ts = hours(40, 8.0)
    assert faults(ts, wavy(40), WATER) == []
    later = np.concatenate([ts[:20], ts[20:] + 24 * HOUR])
    assert faults(later, wavy(40), WATER) == []
    later = np.concatenate([ts[:20], ts[20:] + 25 * HOUR])
    assert [f.fault for f in faults(later, wavy(40), WATER)] == ["gap"]
    assert faults(ts[:2] * 100, wavy(2), WATER) == []


@pytest.mark.parametrize(
    ("level", "count", "air"), [(0.0199, 6, True), (0.0199, 5, False), (0.0201, 6, False), (0.0, 6, True)]
)
def test_six_readings_that_soil_never_dries_to_are_air(level: float, count: int, air: bool) -> None:
    values = wavy(level=0.03, by=0.0005)
    values[100 : 100 + count] = level - 1e-6 * np.arange(count) if level else 0.0
    assert ("out of soil" in named(np.abs(values))) is air


class TestSpikes:
    def spike(self, by: float, width: int = 1, noise: float = 0.0, step_h: float = 1.0) -> list[str]:
        values = wavy(by=0.0001) + noise * np.random.default_rng(4).normal(0, 1, 200)
        values[100 : 100 + width] += by
        return named(values, step_h=step_h)

    def test_two_hundredths_of_water_are_one(self) -> None:
        assert self.spike(0.021) == ["spike"] and self.spike(0.0195) == []
        assert self.spike(-0.021) == ["spike"] and self.spike(-0.0195) == []

    def test_three_readings_may_be_one_and_four_are_none(self) -> None:
        assert self.spike(0.05, width=3) == ["spike"] and "spike" not in self.spike(0.05, width=4)

    def test_five_noises_are_wanted_in_a_restless_series(self) -> None:
        assert self.spike(0.06, noise=0.003) == ["spike"] and "spike" not in self.spike(0.03, noise=0.008)

    def test_readings_more_than_three_hours_apart_have_none(self) -> None:
        assert self.spike(0.1, step_h=3.0) == ["spike"] and "spike" not in self.spike(0.1, step_h=3.1)

    def test_the_readings_beside_a_gap_are_left_alone(self) -> None:
        values = wavy(by=0.0001)
        values[100] += 0.03
        assert named(values) == ["spike"]
        ts = hours(200)
        ts[103:] += 30 * HOUR
        assert [f.fault for f in faults(ts, values, WATER)] == ["gap"]

    def test_one_far_from_both_neighbours_is_one_in_any_case(self) -> None:
        swinging = 0.25 + 0.03 * np.sin(np.arange(200) / 2.0)
        plain = named(swinging)
        swinging[100] += 0.09
        assert plain == [] and named(swinging) == ["spike"]

    def test_a_front_is_none_whichever_way_it_goes(self) -> None:
        up = np.concatenate([wavy(100, 0.20, 0.0001), wavy(100, 0.24, 0.0001)])
        assert named(up) == [] and "spike" not in named(up[::-1].copy())

    def test_it_is_known_three_hours_later_with_what_stood_near(self) -> None:
        values = wavy(by=0.0001)
        values[100] += 0.05
        found = only(values)
        assert found.known_at == 103 * HOUR
        assert found.reason["seen_theta"] == pytest.approx(0.30, abs=0.001)
        assert found.reason["near_theta"] == pytest.approx(0.25, abs=0.001)

    def test_raw_values_have_none(self) -> None:
        values = 500 + 100 * wavy(by=0.01)
        values[100] += 400
        assert named(values, RAW) == []


class TestSteps:
    def fall(self, by: float, after: int = 100, over_h: int = 1) -> list[str]:
        values = wavy(level=0.35, by=0.0001)
        values[100 : 100 + after] -= by
        ts = hours(200)
        ts[100:] += (over_h - 1) * HOUR
        return [f.fault for f in faults(ts, values, WATER)]

    def test_six_hundredths_at_once_are_one(self) -> None:
        assert self.fall(0.061) == ["step"] and self.fall(0.059) == []

    def test_a_rise_is_none(self) -> None:
        assert self.fall(-0.10) == []

    def test_it_must_happen_within_three_hours(self) -> None:
        assert self.fall(0.1, over_h=3) == ["step"] and self.fall(0.1, over_h=4) == []

    def test_it_must_stay(self) -> None:
        assert self.fall(0.1, after=3) == ["spike"]

    def test_its_numbers(self) -> None:
        values = wavy(level=0.35, by=0.0)
        values += np.linspace(0, 1e-4, 200)
        values[100:] -= 0.1
        found = only(values)
        assert (found.start_at, found.end_at, found.readings, found.known_at) == (100 * HOUR, 100 * HOUR, 1, 103 * HOUR)
        assert found.reason["before_theta"] == pytest.approx(0.35, abs=0.001)
        assert found.reason["after_theta"] == pytest.approx(0.25, abs=0.001)


class TestDrained:
    def cup(self, before: float, after: float, limits: TrustLimits = TENSION) -> list[str]:
        values = np.concatenate([before + wavy(100, 0, 0.1), after + wavy(100, 0, 0.1) + 0.3])
        return named(values, replace(limits, spike=1e9), tension=True)

    def test_from_above_thirty_to_below_eight_kilopascals(self) -> None:
        assert "drained" in self.cup(30.5, 7.0) and "drained" not in self.cup(29.5, 7.0)
        assert "drained" in self.cup(60.0, 7.4) and "drained" not in self.cup(60.0, 8.0)

    def test_a_matrix_sensor_has_no_column(self) -> None:
        assert "drained" not in self.cup(60.0, 2.0, MATRIX)

    @pytest.mark.parametrize(("apart_h", "drained"), [(3, True), (4, False)])
    def test_within_three_hours(self, apart_h: int, drained: bool) -> None:
        values = np.concatenate([60 + wavy(100, 0, 0.1), 2 + wavy(100, 0, 0.1)])
        ts = hours(200)
        ts[100:] += (apart_h - 1) * HOUR
        assert ("drained" in [f.fault for f in faults(ts, values, TENSION, True)]) is drained

    @staticmethod
    def slowly(steps: list[float], flat: float, hours_flat: int) -> list[tuple[int, int, int]]:
        """A dry cup that falls over some readings, stays for hours, and is refilled to 9 kPa."""
        dry, low = 35 + wavy(100, 0, 0.1), flat + 0.1 * np.sin(np.arange(hours_flat))
        values = np.concatenate([dry, steps, low, np.full(60, 9.0) + np.arange(60) * 0.1])
        found = faults(hours(len(values)), values, replace(TENSION, spike=1e9, stuck_h=1e9), True)
        return [(f.start_at // HOUR, f.end_at // HOUR, f.known_at // HOUR) for f in found if f.fault == "drained"]

    def test_over_two_readings_to_nothing_and_flat_there(self) -> None:
        assert self.slowly([13.0], 0.5, 60) == [(100, 160, 125)]

    @pytest.mark.parametrize(("flat", "drained"), [(1.85, True), (1.95, False)])
    def test_to_below_two_kilopascals(self, flat: float, drained: bool) -> None:
        assert bool(self.slowly([13.0], flat, 60)) is drained

    @pytest.mark.parametrize(("hours_flat", "drained"), [(24, False), (25, True)])
    def test_for_a_day(self, hours_flat: int, drained: bool) -> None:
        assert bool(self.slowly([13.0], 0.5, hours_flat)) is drained

    @pytest.mark.parametrize(("steps", "drained"), [([20.0, 10.0], True), ([25.0, 20.0, 10.0], False)])
    def test_a_fall_of_more_than_three_hours_may_be_water(self, steps: list[float], drained: bool) -> None:
        assert bool(self.slowly(steps, 0.5, 60)) is drained

    def test_it_ends_where_the_cup_holds_again(self) -> None:
        values = np.concatenate([60 + wavy(100, 0, 0.1), 2 + wavy(50, 0, 0.1), 45 + wavy(50, 0, 0.1)])
        found = [f for f in faults(hours(200), values, replace(TENSION, spike=1e9), True) if f.fault == "drained"]
        assert [(f.start_at, f.end_at, f.readings) for f in found] == [(100 * HOUR, 149 * HOUR, 50)]


@pytest.mark.parametrize("fault", sorted(SLOW))
def test_a_slow_fault_counts_for_its_days_and_no_longer(fault: str) -> None:
    now = 1_800_000_000.0
    last = now - 86400 * DOUBT_DAYS[fault]
    assert still_in_doubt(fault, last, now) and not still_in_doubt(fault, last - 1, now)
    assert not still_in_doubt("stuck", now, now)


@pytest.mark.parametrize(("hours_ago", "late"), [(24.0, 0), (24.1, 1)])
def test_a_reading_of_more_than_a_day_ago_is_late(hours_ago: float, late: int) -> None:
    now = 1_800_000_000
    assert len(late_faults(np.array([now - round(hours_ago * HOUR)]), now)) == late


@pytest.mark.parametrize(("apart_h", "spans"), [(24, 1), (25, 2)])
def test_late_readings_a_day_apart_are_one_span(apart_h: int, spans: int) -> None:
    now = 1_800_000_000
    taken = np.array([now - (60 + apart_h) * HOUR, now - 60 * HOUR])
    assert len(late_faults(taken, now)) == spans


def test_runs_of_a_mask() -> None:
    assert runs(np.array([True, False, True, True, False, True])) == [(0, 0), (2, 3), (5, 5)]
    assert runs(np.zeros(3, dtype=bool)) == [] and runs(np.ones(3, dtype=bool)) == [(0, 2)]
