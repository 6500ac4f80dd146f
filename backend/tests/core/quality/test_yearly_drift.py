"""Sensors in the ground for years: what drifts is told from a year that filled the soil differently."""

import numpy as np
import pytest

from embalse.core.quality.yearly_drift import (
    FEWEST_DAWNS,
    MOVED_THETA,
    YearAnchors,
    YearlyDrift,
    drift_words,
    yearly_anchors,
    yearly_drift,
)

TODAY = 20_000
EDGE = 1e-6


def dawns(years: int, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Dawns of so many years: full in winter, drawn down and refilled in summer, with noise of 0.003."""
    days = np.arange(TODAY - 365 * years + 1, TODAY + 1)
    season = 0.5 - 0.5 * np.cos(2 * np.pi * (days - TODAY) / 365)
    theta = 0.34 - 0.10 * season + 0.02 * season * np.sin(2 * np.pi * days / 9)
    return days, theta + np.random.default_rng(seed).normal(0, 0.003, len(days))


def anchors(moved: float = 0.0, dry: float = 0.0, years: int = 3) -> list[YearAnchors]:
    return [YearAnchors(TODAY - 365 * n, 0.34 + (0 if n else moved), 0.22 + (0 if n else dry), 365)
            for n in reversed(range(years))]  # fmt: skip


def told(mine: list[YearAnchors], others: list[list[YearAnchors]]) -> YearlyDrift:
    found = yearly_drift(mine, others)
    assert found is not None
    return found


def test_anchors_of_alike_years_lie_together() -> None:
    found = yearly_anchors(*dawns(4), TODAY)
    assert [a.last_day for a in found] == [TODAY - 365 * n for n in (3, 2, 1, 0)]
    assert np.ptp([a.wet for a in found]) < 0.003 and np.ptp([a.dry for a in found]) < 0.006
    assert found[0].wet - found[0].dry == pytest.approx(0.12, abs=0.02)


@pytest.mark.parametrize(("count", "known"), [(FEWEST_DAWNS - 1, 1), (FEWEST_DAWNS, 2)])
def test_a_year_needs_its_dawns(count: int, known: int) -> None:
    days, theta = dawns(2)
    theta[: 365 - count] = np.nan
    assert len(yearly_anchors(days, theta, TODAY)) == known


@pytest.mark.parametrize("seed", range(5))
def test_a_sensor_that_wanders_off_is_found_and_its_neighbours_are_not(seed: int) -> None:
    days, theta = dawns(4, seed)
    off = theta - 0.04 * (days - days[0]) / (days[-1] - days[0])
    others = [yearly_anchors(*dawns(4, seed + n), TODAY) for n in (10, 20)]
    found = told(yearly_anchors(days, off, TODAY), others)
    assert found.kind == "drift" and found.wet_moved == pytest.approx(-0.03, abs=0.006)
    for n, mine in enumerate(others):
        assert told(mine, [others[1 - n], yearly_anchors(days, off, TODAY)]).kind == "steady"


def test_a_winter_that_never_filled_the_soil_is_no_drift() -> None:
    dry = anchors(-0.05)
    assert told(dry, [anchors(-0.045), anchors(-0.06)]).kind == "all moved"
    assert told(dry, []).kind == "alone"
    assert told(dry, [anchors(-0.05, years=2)]).kind == "alone", "the other was not there in the first year"


@pytest.mark.parametrize(("moved", "kind"), [(MOVED_THETA - EDGE, "steady"), (MOVED_THETA + EDGE, "drift"),
                                             (-MOVED_THETA - EDGE, "drift")])  # fmt: skip
def test_from_two_hundredths_on_it_is_told(moved: float, kind: str) -> None:
    assert told(anchors(moved), [anchors()]).kind == kind


@pytest.mark.parametrize(
    ("others", "kind"), [(0.05 - MOVED_THETA - EDGE, "drift"), (0.05 - MOVED_THETA + EDGE, "all moved")]
)
def test_it_is_the_sensors_own_where_the_others_stay_behind(others: float, kind: str) -> None:
    assert told(anchors(0.05), [anchors(others)]).kind == kind


@pytest.mark.parametrize(("dry", "kind"), [(MOVED_THETA - EDGE, "steady"), (MOVED_THETA + EDGE, "span")])
def test_a_dry_end_alone_tells_how_the_soil_was_dried(dry: float, kind: str) -> None:
    found = told(anchors(0.0, dry), [anchors()])
    assert found.kind == kind and drift_words(found).code == f"years.{kind}"


def test_one_year_tells_nothing() -> None:
    assert yearly_drift(anchors(years=1), [anchors()]) is None
