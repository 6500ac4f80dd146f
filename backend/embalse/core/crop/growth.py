"""Growth as the crop's own gauge: stems, trunks and fruit against the water in the soil."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError, require
from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
FEWEST_PLANTS: Final = 5  # marked plants for a mean with an error
USUAL_PLANTS: Final = 20  # marked plants that are usual (common practice, no source)
FEWEST_RATES: Final = 5  # growth rates in a cycle for a threshold (ours)
HALF: Final = 0.5  # share of the peak growth [-] called the threshold (common practice, no source)
DAY_S: Final = 86400.0  # seconds
AGREE_SDS: Final = 2.0  # standard errors within which two figures agree, about 19 times in 20
TRUNK_FEWEST: Final = 12  # readings of a trunk a day for its shrinkage: every two hours
SHRANK_MM: Final = 5.0  # mm a shoot may seem to shrink by the tape; more is a slip of the pen (ours)
MEASURED_EVERY_S: Final = DAY_S
BEFORE_NEXT_S: Final = 0.4 * DAY_S  # seconds before the next water within which a rate is not of this dry-down (ours)


class GrowthError(CoreError):
    """Measurements from which no growth can be told."""


@dataclass(frozen=True)
class StemDay:
    """Stem lengths of a day by plant [mm], measured at an instant [s]."""

    at: float
    lengths_mm: Mapping[str, float]


@dataclass(frozen=True)
class GrowthRate:
    """Mean growth between two measurings [mm/day] at the middle instant [s], its standard error, how many plants."""

    at: float
    rate_mm_d: float
    error_mm_d: float
    plants: int
    shrank: tuple[str, ...] = ()


def growth_rates(days: Sequence[StemDay]) -> list[GrowthRate]:
    """Growth rates between measurings that follow each other.

    Parameters
    ----------
    days : sequence of StemDay
        In order of time; only plants measured both times count. Stems that came out shorter by more than 5 mm are
        named and left out: they were broken or misread.

    Returns
    -------
    list of GrowthRate
        Where five plants or more were measured both times.
    """
    found = []
    for before, after in pairwise(days):
        span = (after.at - before.at) / DAY_S
        plants = [p for p in after.lengths_mm if p in before.lengths_mm]
        if span < 0.25:
            continue
        change = {p: (after.lengths_mm[p] - before.lengths_mm[p]) / span for p in plants}
        shrank = tuple(p for p in plants if after.lengths_mm[p] - before.lengths_mm[p] < -SHRANK_MM)
        kept = np.array([change[p] for p in plants if p not in shrank])
        if len(kept) < FEWEST_PLANTS:
            continue
        error = float(kept.std(ddof=1) / np.sqrt(len(kept)))
        found.append(GrowthRate((before.at + after.at) / 2, float(kept.mean()), error, len(kept), shrank))
    return found


@dataclass(frozen=True)
class GrowthCycle:
    """A dry-down seen by growth: from its wetting [s] its peak and the instant growth fell to the share of it.

    ``reading`` is the probe's reading then with its standard error, in the unit of the readings given; None with the
    reason in words.
    """

    wetted_at: float
    peak_at: float | None
    peak_mm_d: float | None
    half_at: float | None
    reading: float | None
    error: float | None
    words: Text


@dataclass(frozen=True)
class GrowthThreshold:
    """The reading at which growth falls to the share of its peak, with its error; what later dry-downs said of it."""

    reading: float | None
    error: float | None
    cycles: tuple[GrowthCycle, ...]
    confirmed: int
    contradicted: int
    words: Notice


def threshold_from_growth(
    rates: Sequence[GrowthRate],
    wettings: Sequence[tuple[float, float]],
    readings: tuple[Floats, Floats],
    share: float = HALF,
) -> GrowthThreshold:
    """The probe reading that goes with growth at half its peak.

    Parameters
    ----------
    rates : sequence of GrowthRate
        In order of time.
    wettings : sequence of (float, float)
        Full wettings, start and end [s].
    readings : (array, array), both shape (n,)
        Instants [s] and probe readings, in any one unit.
    share : float
        Share of the peak to look for [-].

    Returns
    -------
    GrowthThreshold
        The mean of the dry-downs that reached it, weighted by their errors. Growth starts low after a full wetting,
        peaks some days later and falls; a dry-down that has no peak or is watered before the fall is left out.

    Raises
    ------
    GrowthError
        If the share does not lie between 0.2 and 0.9.

    References
    ----------
    .. [1] Peak after four to five days, irrigation at half the peak: common practice, no source.
    """
    require(0.2 <= share <= 0.9, "share", "must lie between 0.2 and 0.9", GrowthError)
    if not wettings:
        return GrowthThreshold(None, None, (), 0, 0, Notice("growth.no_wetting"))
    ordered = sorted(wettings)
    nexts = [*(start for start, _ in ordered[1:]), np.inf]
    cycles = tuple(
        _cycle([r for r in rates if end < r.at <= after - BEFORE_NEXT_S], end, readings, share)
        for (_, end), after in zip(ordered, nexts, strict=True)
    )
    told = [c for c in cycles if c.reading is not None and c.error is not None]
    if not told:
        return GrowthThreshold(None, None, cycles, 0, 0, Notice("growth.none_yet", why=cycles[-1].words))
    first = told[0]
    agree = [_agrees(first, later) for later in told[1:]]
    weights = np.array([1 / max(c.error or 0.0, 1e-9) ** 2 for c in told])
    mean = float(weights @ np.array([c.reading for c in told]) / weights.sum())
    between = float(np.std([c.reading or 0.0 for c in told], ddof=1)) / np.sqrt(len(told)) if len(told) > 1 else 0.0
    error = max(float(weights.sum() ** -0.5), between)
    words = Notice("growth.told", told=len(told), agree=sum(agree), differ=len(agree) - sum(agree))
    return GrowthThreshold(mean, error, cycles, sum(agree), len(agree) - sum(agree), words)


def _agrees(first: GrowthCycle, later: GrowthCycle) -> bool:
    assert first.reading is not None and later.reading is not None and first.error is not None
    assert later.error is not None
    return abs(later.reading - first.reading) <= AGREE_SDS * float(np.hypot(first.error, later.error))


def _cycle(rates: Sequence[GrowthRate], start: float, readings: tuple[Floats, Floats], share: float) -> GrowthCycle:
    def none(words: Notice, peak: GrowthRate | None = None) -> GrowthCycle:
        at, height = (peak.at, peak.rate_mm_d) if peak else (None, None)
        return GrowthCycle(start, at, height, None, None, None, words)

    if len(rates) < FEWEST_RATES:
        return none(Notice("growth.few_rates", rates=len(rates), wanted=FEWEST_RATES))
    place = int(np.argmax([r.rate_mm_d for r in rates]))
    peak, after = rates[place], rates[place:]
    if peak.rate_mm_d <= AGREE_SDS * peak.error_mm_d:
        return none(Notice("growth.no_growth"), peak)
    wanted = share * peak.rate_mm_d
    below = next((i for i, r in enumerate(after) if r.rate_mm_d <= wanted), None)
    if below is None or below == 0:
        lowest = min(r.rate_mm_d for r in after) / peak.rate_mm_d
        return none(Notice("growth.watered", share_fraction=share, lowest_fraction=lowest), peak)
    one, other = after[below - 1], after[below]
    steep = (other.rate_mm_d - one.rate_mm_d) / (other.at - one.at)
    at = one.at + (wanted - one.rate_mm_d) / steep
    fuzzy = float(np.hypot(np.hypot(one.error_mm_d, other.error_mm_d) / np.sqrt(2), share * peak.error_mm_d))
    times, values = readings
    near = np.isfinite(values) & (np.abs(times - at) <= DAY_S)
    if near.sum() < 2:
        return none(Notice("growth.no_readings"), peak)
    reading = float(np.interp(at, times[near], values[near]))
    by_day = np.isfinite(values) & (times >= max(at - 2.5 * DAY_S, start)) & (times <= at + 0.4 * DAY_S)
    per_s, scatter = 0.0, 0.0
    if by_day.sum() > 2:
        line = np.polyfit(times[by_day] - at, values[by_day], 1)
        per_s = abs(float(line[0]))
        scatter = float(
            np.std(values[by_day] - np.polyval(line, times[by_day] - at), ddof=2 if by_day.sum() > 3 else 1)
        )
    day = per_s * MEASURED_EVERY_S / 2  # measured once a day: the moment it fell to the share is known to half a day
    error = float(np.hypot(np.hypot(per_s * fuzzy / abs(steep), scatter), day))
    return GrowthCycle(start, peak.at, peak.rate_mm_d, at, reading, max(error, 1e-9), "")


@dataclass(frozen=True)
class TrunkDay:
    """A day of a trunk gauge: day number, largest and least diameter, shrinkage and growth since yesterday [mm]."""

    day: int
    largest_mm: float
    least_mm: float
    shrinkage_mm: float
    growth_mm: float | None


def trunk_days(local_s: NDArray[np.int64], diameter_mm: Floats) -> list[TrunkDay]:
    """Maximum daily shrinkage and daily growth from a trunk gauge.

    Parameters
    ----------
    local_s : array, shape (n,)
        Farm-local instants [s], increasing.
    diameter_mm : array, shape (n,)
        What the gauge gave [mm]; only its changes matter.

    Returns
    -------
    list of TrunkDay
        Days with twelve readings or more. Shrinkage is the day's maximum before its minimum less that minimum;
        growth is the day's maximum less the one of the day before, None where that is missing.
    """
    days = local_s // int(DAY_S)
    found: list[TrunkDay] = []
    for day in np.unique(days).tolist():
        values = diameter_mm[(days == day) & np.isfinite(diameter_mm)]
        if len(values) < TRUNK_FEWEST:
            continue
        bottom = int(np.argmin(values))
        top = float(values[: bottom + 1].max())
        before = found[-1].largest_mm if found and found[-1].day == day - 1 else None
        growth = None if before is None else top - before
        found.append(TrunkDay(day, top, float(values[bottom]), top - float(values[bottom]), growth))
    return found


@dataclass(frozen=True)
class FruitState:
    """Fruit of a day against the path: mean diameter and its error, where the path is, and how far behind it [mm]."""

    day: int
    mean_mm: float
    error_mm: float
    count: int
    path_mm: float
    behind_mm: float
    words: Notice


def check_fruit_target(first_mm: float, target_mm: float, days: int) -> None:
    """Refuse a path that does not rise (diameters in mm, its length in days); raises GrowthError."""
    require(days > 0, "harvest", "must be after the first day", GrowthError)
    require(target_mm > first_mm, "target_mm", "must be larger than the size on the first day", GrowthError)


def fruit_state(
    day: int, diameters_mm: Sequence[float], path: tuple[tuple[int, float], tuple[int, float]]
) -> FruitState:
    """Fruit measured on a day against a straight path from a first size to the target at harvest.

    Parameters
    ----------
    day : int
        Day number of the sample.
    diameters_mm : sequence of float
        Diameters [mm], three at least.
    path : ((int, float), (int, float))
        First day number with its size [mm], and harvest with the target [mm].

    Raises
    ------
    GrowthError
        If fewer than three fruit were measured.
    """
    values = np.array(diameters_mm, dtype=float)
    require(len(values) >= 3, "diameters_mm", "three fruit at least", GrowthError)
    (first, small), (last, large) = path
    there = small + (large - small) * min(1.0, max(0.0, (day - first) / (last - first)))
    mean, error = float(values.mean()), float(values.std(ddof=1) / np.sqrt(len(values)))
    behind = there - mean
    if abs(behind) <= AGREE_SDS * error:
        words = Notice("fruit.on_path")
    else:
        words = Notice("fruit.behind" if behind > 0 else "fruit.ahead", off_size=abs(behind))
    return FruitState(day, mean, error, len(values), there, behind, words)
