"""Sensors that stay in the ground for years: their wet and dry anchors held against those of other years."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice

YEAR_D: Final = 365
ANCHOR_SHARE: Final = 0.05  # of a year's dawns, the wettest or the driest, that make an anchor (ours)
FEWEST_DAWNS: Final = 150  # dawns of a year for its anchors: its wet and its dry part are both in it (ours)
MOVED_THETA: Final = 0.02  # m³/m³ an anchor may move before it is told: twice what a good sensor repeats within (ours)


@dataclass(frozen=True)
class YearAnchors:
    """A year's anchors [m³/m³]: medians of its wettest and its driest dawns; its last day number, and dawns in it."""

    last_day: int
    wet: float
    dry: float
    dawns: int


@dataclass(frozen=True)
class YearlyDrift:
    """How a sensor's anchors moved from its first year to its last [m³/m³].

    ``others`` is how far the wet anchors of the station's other sensors moved, None where no other tells. ``kind`` is
    "drift" where this one moved and the others did not, "all moved" where they moved with it (a year that never filled
    the soil, or was wetter), "alone" where nobody tells which, "span" where only its dry end moved, else "steady".
    """

    first: YearAnchors
    last: YearAnchors
    wet_moved: float
    dry_moved: float
    others: float | None
    kind: Literal["steady", "drift", "all moved", "alone", "span"]


def yearly_anchors(days: NDArray[np.int64], theta: NDArray[np.float64], today: int) -> list[YearAnchors]:
    """Anchors of each whole year back from a day, the oldest first.

    Parameters
    ----------
    days : array of int, shape (n,)
        Day numbers.
    theta : array, shape (n,)
        Water contents at those dawns [m³/m³], NaN where not known.
    today : int
        Day number the years are counted back from.
    """
    known = np.isfinite(theta) & (days <= today)
    days, theta = days[known], theta[known]
    back = (today - days) // YEAR_D
    found = []
    for year in sorted(set(back.tolist()), reverse=True):
        mine = np.sort(theta[back == year])
        if len(mine) < FEWEST_DAWNS:
            continue
        count = max(1, round(ANCHOR_SHARE * len(mine)))
        wet, dry = float(np.median(mine[-count:])), float(np.median(mine[:count]))
        found.append(YearAnchors(today - year * YEAR_D, wet, dry, len(mine)))
    return found


def yearly_drift(mine: Sequence[YearAnchors], others: Sequence[Sequence[YearAnchors]]) -> YearlyDrift | None:
    """How a sensor moved from its first year to its last, beside the station's others over the same years.

    Parameters
    ----------
    mine : sequence of YearAnchors
        Of the sensor, the oldest first [m³/m³].
    others : sequence of sequences of YearAnchors
        Of the station's other sensors.

    Returns
    -------
    YearlyDrift or None
        None before two years are there.
    """
    if len(mine) < 2:
        return None
    first, last = mine[0], mine[-1]
    beside = [moved for one in others if (moved := _moved(one, first, last)) is not None]
    middle = float(np.median(beside)) if beside else None
    wet, dry = last.wet - first.wet, last.dry - first.dry
    return YearlyDrift(first, last, wet, dry, middle, _kind(wet, dry, middle))


def _moved(anchors: Sequence[YearAnchors], first: YearAnchors, last: YearAnchors) -> float | None:
    by_day: Mapping[int, YearAnchors] = {a.last_day: a for a in anchors}
    if first.last_day not in by_day or last.last_day not in by_day:
        return None
    return by_day[last.last_day].wet - by_day[first.last_day].wet


def _kind(wet: float, dry: float, others: float | None) -> Literal["steady", "drift", "all moved", "alone", "span"]:
    if abs(wet) < MOVED_THETA:
        return "span" if abs(dry) >= MOVED_THETA else "steady"
    if others is None:
        return "alone"
    return "drift" if abs(wet - others) >= MOVED_THETA else "all moved"


def drift_words(told: YearlyDrift) -> Notice:
    """What is said of it."""
    years = {"first_day": told.first.last_day, "last_day": told.last.last_day}
    values = {"moved_theta": abs(told.wet_moved), "way": "wetter" if told.wet_moved > 0 else "drier", **years}
    if told.kind == "span":
        return Notice("years.span", moved_theta=abs(told.dry_moved), **years)
    if told.kind == "steady":
        return Notice("years.steady", within_theta=max(abs(told.wet_moved), abs(told.dry_moved)), **years)
    return Notice(f"years.{told.kind.replace(' ', '_')}", **values)
