"""Where uptake slows: breaks that are there are found, others are not, on both sides of what decides it."""

import numpy as np
import pytest

from embalse.core.field.mark_estimates import slow_down_estimate
from embalse.core.field.uptake_slowdown import UptakeDays, dry_days, refill_from_slow_down


def days_with_break(at_mm: float, seed: int, noise: float = 0.08, fall: float = 0.015) -> UptakeDays:
    random = np.random.default_rng(seed)
    depletion = np.tile(np.linspace(5, 90, 18), 3)
    ratio = 1.05 - np.maximum(depletion - at_mm, 0) * fall
    demand = random.uniform(5, 8, len(depletion))
    return UptakeDays(depletion, demand * (ratio + random.normal(0, noise, len(depletion))), demand)


def exact(depletion: list[float], ratio: list[float], demand: float = 6.0) -> UptakeDays:
    return UptakeDays(np.array(depletion), demand * np.array(ratio), np.full(len(ratio), demand))


@pytest.mark.parametrize("seed", range(4))
def test_the_break_in_uptake_is_found_with_its_interval(seed: int) -> None:
    found = refill_from_slow_down(days_with_break(50, seed))
    assert found.depletion_mm == pytest.approx(50, abs=8)
    assert found.interval_mm is not None and found.interval_mm[0] <= 53 and found.interval_mm[1] >= 47
    assert slow_down_estimate(found).confidence in ("good", "fair")


@pytest.mark.parametrize(
    ("days", "why"),
    [
        (days_with_break(500, 1), "slow_down.keeps_up"),
        (UptakeDays(np.arange(5.0), np.ones(5), np.ones(5)), "slow_down.few_days"),
        (days_with_break(4, 1, noise=0.01), "slow_down.from_the_start"),
        (days_with_break(50, 1, noise=0.4, fall=0.004), "slow_down.not_seen"),
    ],
)
def test_no_break_is_offered_without_one(days: UptakeDays, why: str) -> None:
    found = refill_from_slow_down(days)
    assert found.depletion_mm is None and found.words.code == why
    assert slow_down_estimate(found).confidence == "none" and slow_down_estimate(found).value is None


PLACES = [float(v) for v in range(0, 96, 4)]


def broken(fall_at_end: float, at: float = 48.0) -> UptakeDays:
    """Level 1.0 to a break, then down in a straight line by a share at the deepest day."""
    deepest = max(PLACES)
    return exact(PLACES, [1.0 - fall_at_end * max(0.0, p - at) / (deepest - at) for p in PLACES])


@pytest.mark.parametrize(("fall", "found"), [(0.17, True), (0.13, False)])
def test_a_fall_of_fifteen_percent_is_one(fall: float, found: bool) -> None:
    said = refill_from_slow_down(broken(fall))
    assert (said.depletion_mm is not None) is found
    if found:
        assert said.depletion_mm == pytest.approx(48, abs=1.2) and said.before == pytest.approx(1.0, abs=0.01)
        assert said.line[0] == (0.0, pytest.approx(1.0, abs=0.01))
        assert said.line[-1] == (92.0, pytest.approx(1 - fall, abs=0.01))
    else:
        assert said.words.code == "slow_down.little"


@pytest.mark.parametrize(("count", "code"), [(11, "slow_down.few_days"), (12, "slow_down.keeps_up")])
def test_twelve_days_are_needed(count: int, code: str) -> None:
    rising = exact([4.0 * n for n in range(count)], [1.0 + 0.01 * n for n in range(count)])
    assert refill_from_slow_down(rising).words.code == code


def test_four_days_on_either_side_of_a_break() -> None:
    crowded = exact([10.0] * 17 + [90.0] * 3, [1.0] * 17 + [0.4] * 3)
    assert refill_from_slow_down(crowded).words.code == "slow_down.few_days"
    spread = exact([10.0] * 12 + [50.0] * 4 + [70.0, 80.0, 85.0, 90.0], [1.0] * 16 + [0.7, 0.55, 0.48, 0.4])
    assert refill_from_slow_down(spread).words.code != "slow_down.few_days"


def test_days_without_demand_or_readings_are_left_out() -> None:
    plain = broken(0.5)
    more = UptakeDays(
        np.concatenate([plain.depletion_mm, [30.0, np.nan, 40.0]]),
        np.concatenate([plain.use_mm, [9.0, 5.0, np.nan]]),
        np.concatenate([plain.demand_mm, [0.5, 6.0, 6.0]]),
    )
    assert refill_from_slow_down(more) == refill_from_slow_down(plain)
    just = UptakeDays(more.depletion_mm, more.use_mm, np.where(more.demand_mm == 0.5, 0.51, more.demand_mm))
    assert len(refill_from_slow_down(just).points) == len(plain.use_mm) + 1


def test_a_wild_ratio_is_cut_at_twice_the_upper_quartile() -> None:
    wild = broken(0.5)
    wild.use_mm[5] = 60.0
    found = refill_from_slow_down(wild)
    assert max(ratio for _, ratio in found.points) == pytest.approx(2.0)
    wild.use_mm[5] = -6.0
    assert min(ratio for _, ratio in refill_from_slow_down(wild).points) == 0.0


@pytest.mark.parametrize(("wet", "dry"), [({4}, [1, 2, 3, 7]), (set(), [1, 2, 3, 4, 5, 6, 7]), ({1, 7}, [4, 5, 6])])
def test_water_keeps_its_day_and_two_after_it_out(wet: set[int], dry: list[int]) -> None:
    assert dry_days(range(1, 8), wet) == dry


@pytest.mark.parametrize(("level", "code"), [(1.29, "found"), (1.31, "no_crop"), (0.71, "found"), (0.69, "no_crop")])
def test_the_level_before_it_must_be_a_crops_and_not_a_draining_soils(level: float, code: str) -> None:
    plain = broken(0.6)
    scaled = UptakeDays(plain.depletion_mm, level * plain.use_mm, plain.demand_mm)
    assert refill_from_slow_down(scaled).words.code == f"slow_down.{code}"


def test_a_crop_that_falls_behind_its_calendar_while_the_soil_dries_is_not_dry() -> None:
    random = np.random.default_rng(2)
    days = np.arange(60.0)
    depletion = 40 + 1.2 * np.maximum(days - 25, 0) + random.normal(0, 6, 60)
    use = 6 * (1.25 - 0.008 * days + random.normal(0, 0.03, 60))
    demand = np.full(60, 6.0)
    assert refill_from_slow_down(UptakeDays(depletion, use, demand, days)).depletion_mm is None
    assert refill_from_slow_down(UptakeDays(depletion, use, demand)).words.code == "slow_down.found"


def test_a_break_in_every_dry_down_is_one_whatever_the_season_does() -> None:
    plain = days_with_break(50, 3)
    days = np.arange(float(len(plain.use_mm)))
    use = plain.use_mm - 0.003 * plain.demand_mm * days
    found = refill_from_slow_down(UptakeDays(plain.depletion_mm, use, plain.demand_mm, days))
    assert found.depletion_mm == pytest.approx(50, abs=8)


@pytest.mark.parametrize(("noise", "code"), [(0.15, "found"), (0.17, "anywhere")])
def test_an_interval_over_half_of_the_depletions_seen_says_nothing(noise: float, code: str) -> None:
    depletion = np.tile(np.linspace(0, 90, 19), 3)
    ratio = 1.1 - 0.004 * np.maximum(depletion - 35, 0) + noise * np.random.default_rng(5).normal(0, 1, 57)
    found = refill_from_slow_down(UptakeDays(depletion, 6 * ratio, np.full(57, 6.0)))
    assert found.words.code == f"slow_down.{code}"
    low, high = found.words["low_mm"], found.words["high_mm"]
    assert (high - low <= 45) == (code == "found")  # type: ignore[operator]
