"""Faults named, healthy series left alone, crossed depths found: against the simulator's truth."""

from functools import cache

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.quality.faults import KEPT_OUT, RAW, TENSION, WATER, faults, without_faults
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.standins.demo_farm import Season, simulate

HOUR = 3600


@cache
def season() -> Season:
    return simulate()


def hours(count: int) -> np.ndarray:
    return np.arange(count, dtype=np.int64) * HOUR


def quiet(count: int = 200, level: float = 0.25, seed: int = 1) -> np.ndarray:
    return level + np.random.default_rng(seed).normal(0, 0.0015, count)


def classes(ts: np.ndarray, values: np.ndarray, **kind: object) -> list[str]:
    limits = kind.get("limits", WATER)
    return [f.fault for f in faults(ts, values, limits, bool(kind.get("tension")))]  # type: ignore[arg-type]


class TestNames:
    def test_a_quiet_series_has_none(self) -> None:
        assert classes(hours(200), quiet()) == []
        assert faults(np.empty(0, dtype=np.int64), np.empty(0), WATER) == []

    def test_a_spike_and_its_numbers(self) -> None:
        values = quiet()
        values[50] += 0.12
        [found] = faults(hours(200), values, WATER)
        assert (found.fault, found.start_at, found.end_at, found.readings) == ("spike", 50 * HOUR, 50 * HOUR, 1)
        assert found.reason["seen_theta"] == pytest.approx(0.37, abs=0.005) and found.known_at == 53 * HOUR

    def test_a_wetting_is_no_spike(self) -> None:
        values = np.concatenate([quiet(60), quiet(60, 0.34), 0.34 - 0.0006 * np.arange(80)])
        assert classes(hours(200), values) == []

    def test_stuck_out_of_soil_range_and_step(self) -> None:
        stuck = quiet()
        stuck[80:130] = stuck[80]
        assert classes(hours(200), stuck) == ["stuck"]
        air = quiet()
        air[120:] = 0.008 + 1e-4 * np.random.default_rng(2).random(80)
        assert classes(hours(200), air) == ["out of soil"]
        wild = quiet()
        wild[40:43] = [0.9, 0.95, -0.2]
        assert classes(hours(200), wild) == ["range"]
        fallen = np.concatenate([quiet(100, 0.32), quiet(100, 0.22)])
        assert classes(hours(200), fallen) == ["step"]

    def test_a_gap_keeps_nothing_out(self) -> None:
        ts = np.concatenate([hours(50), hours(150) + 150 * HOUR])
        [found] = faults(ts, quiet(), WATER)
        assert found.fault == "gap" and found.readings == 0 and found.reason["whole_h"] == 101
        assert found.fault not in KEPT_OUT
        assert np.isfinite(without_faults(ts, quiet(), [found])).all()

    def test_the_reading_before_a_gap_is_no_spike(self) -> None:
        ts = np.concatenate([hours(100), hours(100) + 300 * HOUR])
        values = quiet()
        values[99] += 0.04
        assert classes(ts, values) == ["gap"]

    def test_a_drained_tensiometer(self) -> None:
        values = np.concatenate([np.linspace(20, 75, 100), np.full(60, 2.0), np.linspace(2, 60, 40)])
        found = faults(hours(200), values, TENSION, tension=True)
        drained = next(f for f in found if f.fault == "drained")
        assert (drained.reason["before_kpa"], drained.reason["after_kpa"]) == (75, 2) and drained.start_at == 100 * HOUR
        wetted = np.concatenate([np.linspace(20, 75, 100), np.linspace(70, 2, 20), np.linspace(2, 60, 80)])
        assert "drained" not in classes(hours(200), wetted, limits=TENSION, tension=True)

    def test_a_sensor_at_the_end_of_its_scale_is_not_stuck(self) -> None:
        values = np.concatenate([np.linspace(20, 199, 100), np.full(100, 199.0)])
        assert classes(hours(200), values, limits=TENSION, tension=True) == []

    def test_raw_counts_know_only_stuck_and_gap(self) -> None:
        counts = np.random.default_rng(3).normal(500, 4, 200)
        counts[100] = 900
        assert classes(hours(200), counts, limits=RAW) == []
        counts[120:160] = 501.0
        assert classes(hours(200), counts, limits=RAW) == ["stuck"]

    @given(st.floats(-0.15, 0.25), st.integers(0, 199))
    def test_what_is_kept_out_is_never_more_than_what_is_wrong(self, jump: float, at: int) -> None:
        values = quiet()
        values[at] += jump
        kept = without_faults(hours(200), values, faults(hours(200), values, WATER))
        assert np.isnan(kept).sum() <= 1
        assert not np.isnan(np.delete(kept, at)).any()


class TestAgainstTruth:
    def test_healthy_sensors_are_left_alone(self) -> None:
        ts = np.array(season().hours)
        for station in season().stations:
            for depth, truth in station.truth.items():
                assert classes(ts, sensed_theta(np.array(truth), SensorFaults(), int(depth))) == []

    def test_spikes_are_found_and_nothing_else(self) -> None:
        ts = np.array(season().hours)
        right = wrong = missed = 0
        for seed in range(20):
            random = np.random.default_rng(seed)
            for station in season().stations[:4]:
                for truth in station.truth.values():
                    clean = sensed_theta(np.array(truth), SensorFaults(), seed)
                    at = random.choice(len(clean), 4, replace=False)
                    bad = clean.copy()
                    bad[at] = np.clip(bad[at] + random.choice([-0.12, 0.15], 4), 0, 0.6)
                    real = set(at[np.abs(bad - clean)[at] > 0.04].tolist())
                    kept = without_faults(ts, bad, faults(ts, bad, WATER))
                    named = set(np.flatnonzero(np.isnan(kept)).tolist())
                    right, wrong, missed = (
                        right + len(real & named),
                        wrong + len(named - real),
                        missed + len(real - named),
                    )
        assert right / (right + wrong) >= 0.95 and right / (right + missed) >= 0.95

    def test_stuck_sensors_are_found_whenever_they_stick(self) -> None:
        ts = np.array(season().hours)
        random = np.random.default_rng(5)
        for station in season().stations[:6]:
            for truth in station.truth.values():
                start = int(random.integers(200, len(truth) - 200))
                found = faults(ts, sensed_theta(np.array(truth), SensorFaults(stuck_from=start), 1), WATER)
                assert [(f.fault, f.start_at) for f in found] == [("stuck", int(ts[start]))]
