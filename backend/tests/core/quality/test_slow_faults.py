"""Noise, ripple, rises and drift against the simulator's truth and by hand; late readings."""

import numpy as np
import pytest

from bench.detection import measure, measure_drained
from embalse.core.quality.crossed_depths import DepthSeries
from embalse.core.quality.faults import DOUBT_DAYS, SLOW, WATER, Fault, faults, late_faults
from embalse.core.quality.slow_faults import slow_faults

HOURS = 24 * 40
T0 = 1_780_000_000 // 86400 * 86400
AXIS = T0 + 3600 * np.arange(HOURS)
WETTED = [(T0 + 86400 * day, T0 + 86400 * day + 3600) for day in range(0, 40, 8)]


def profile(depths: int = 4, seed: int = 1) -> list[np.ndarray]:
    """Depths that are wetted every eight days and dry in between, with a little noise."""
    random = np.random.default_rng(seed)
    hour = np.arange(HOURS) % (24 * 8)
    found = []
    for depth in range(depths):
        since = np.maximum(0, hour - 2 * depth)
        found.append(0.30 - 0.0004 * since / (1 + 0.3 * depth) + random.normal(0, 0.001, HOURS))
    return found


def look(
    thetas: list[np.ndarray], water: list[tuple[int, int]] | None = None, stepped: bool = False
) -> dict[str, list[Fault]]:
    series = [DepthSeries(f"{10 * (n + 1)}", 10.0 * (n + 1), theta) for n, theta in enumerate(thetas)]
    return slow_faults(AXIS, series, WETTED if water is None else water, stepped)


def kinds(found: dict[str, list[Fault]]) -> set[tuple[str, str]]:
    return {(sensor, fault.fault) for sensor, faults_ in found.items() for fault in faults_}


def test_a_healthy_profile_has_no_slow_fault() -> None:
    assert kinds(look(profile())) == set()


def test_scatter_is_noise_over_its_days_and_is_no_ripple_nor_spike() -> None:
    thetas = profile()
    thetas[1][240:600] += np.random.default_rng(3).normal(0, 0.012, 360)
    found = look(thetas)
    assert kinds(found) == {("20", "noise")}
    [noise] = found["20"]
    assert abs(noise.start_at - AXIS[240]) <= 2 * 86400 and abs(noise.end_at - AXIS[600]) <= 2 * 86400
    assert 0.008 < noise.size < 0.016 and noise.known_at <= AXIS[300]
    assert sum(f.readings for f in faults(AXIS, thetas[1], WATER) if f.fault == "spike") <= 4


def test_a_daily_wave_is_ripple_and_the_staircase_of_roots_is_not() -> None:
    thetas = profile()
    clock = np.arange(HOURS) % 24
    stairs = np.cumsum(np.where((clock > 8) & (clock < 19), -0.0008, 0.0))
    thetas[0] = 0.4 + stairs + np.random.default_rng(5).normal(0, 0.0008, HOURS)
    thetas[2][200:700] += 0.01 * np.sin(2 * np.pi * np.arange(500) / 24)
    found = look(thetas, [])
    assert kinds(found) == {("30", "ripple")}
    assert found["30"][0].size == pytest.approx(0.01, abs=0.003)
    assert found["30"][0].reason.code == "fault.ripple"


def test_ripple_is_not_looked_for_where_water_comes_every_day() -> None:
    thetas = profile()
    thetas[2] += 0.01 * np.sin(2 * np.pi * np.arange(HOURS) / 24)
    daily = [(T0 + 86400 * day, T0 + 86400 * day + 3600) for day in range(40)]
    assert kinds(look(thetas, daily)) == set()


def test_a_jump_that_stays_is_a_rise_and_a_wetting_is_not() -> None:
    thetas = profile()
    thetas[2][500:] += 0.1
    found = look(thetas)
    assert kinds(found) == {("30", "rise")}
    assert found["30"][0].start_at == AXIS[500] and found["30"][0].size == pytest.approx(0.1, abs=0.02)
    assert found["30"][0].known_at == AXIS[500] + 5 * 86400
    everywhere = [theta + np.where(np.arange(HOURS) >= 500, 0.1, 0.0) for theta in profile()]
    assert kinds(look(everywhere, [(int(AXIS[495]), int(AXIS[499]))])) == set()


def test_the_top_sensor_alone_may_be_wetted() -> None:
    thetas = profile()
    thetas[0][500:] += 0.1
    assert ("10", "rise") in kinds(look(thetas))
    frequent = [theta.copy() for theta in thetas]
    for start in range(12, HOURS, 24):  # the top jumps like this at each of its wettings
        frequent[0][start : start + 6] += 0.09
    wet = [(int(AXIS[h]) - 3600, int(AXIS[h])) for h in range(12, HOURS, 24)]
    assert ("10", "rise") not in kinds(look(frequent, wet))


def test_what_is_not_known_is_not_judged() -> None:
    assert kinds(look([np.full(HOURS, np.nan)] * 4)) == set()
    series = [DepthSeries("10", 10, np.array([0.2]))]
    assert slow_faults(AXIS[:1], series, []) == {"10": []}


@pytest.mark.parametrize("name", sorted(SLOW))
def test_found_on_simulated_seasons_and_nothing_else_with_it(name: str) -> None:
    scores, healthy = measure(seeds=1, classes=(name,))  # type: ignore[arg-type]
    score = scores[name]  # type: ignore[index]
    assert healthy == 0
    assert sum(s.false for s in scores.values()) == 0
    assert score.found_where >= score.could - 1 and score.could >= 3


def test_a_fall_in_one_step_is_not_called_drift() -> None:
    scores, _ = measure(seeds=1, classes=("step",))
    assert scores["drift"].false == 0 and scores["step"].found == scores["step"].put


def test_a_drained_cup_is_found_and_a_wetting_is_not_taken_for_one() -> None:
    score, looked = measure_drained()
    assert looked > 40 and score.put > 100
    assert score.false == 0 and score.found == score.put


def test_every_slow_fault_says_how_long_it_counts() -> None:
    assert set(DOUBT_DAYS) == SLOW


def test_late_readings_are_told_as_spans() -> None:
    now = 1_000_000_000
    hour = 3600
    taken = [*range(now - 100 * hour, now - 90 * hour, hour), now - 40 * hour, now - 3 * hour]
    found = late_faults(np.array(taken), now)
    assert [(f.fault, f.start_at, f.end_at, f.readings) for f in found] == [
        ("late", now - 100 * hour, now - 91 * hour, 10),
        ("late", now - 40 * hour, now - 40 * hour, 1),
    ]
    assert found[0].known_at == now and found[0].reason["late_days"] == 4.2
    assert late_faults(np.array([now - hour]), now) == []
