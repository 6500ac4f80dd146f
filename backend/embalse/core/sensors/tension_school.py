"""The school of tension: uppers and lowers as means, time spent too wet, bands by stage."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.stages import STAGES
from embalse.core.tables import crop_defaults, table_rows

Floats = NDArray[np.float64]
WET_KPA: Final = 10.0
"""Tension below which soil holds water it cannot keep against gravity [kPa] (common practice, no source)."""
TOO_WET_SHARE: Final = 0.10  # of the time below that from which it is said (ours)
FEWEST_HOURS: Final = 48  # hours of readings for a share of time (ours)


@dataclass(frozen=True)
class TensionBand:
    """Tensions between which to irrigate [kPa] in a stage, its source, and how sure the figure is."""

    stage: str
    low_kpa: float
    high_kpa: float
    source: str
    confidence: str


@lru_cache(maxsize=256)
def tension_bands(crop: str) -> tuple[TensionBand, ...]:
    """Bands of a crop by stage [kPa], empty where no source gives them; a stage left out has the crop's one band."""
    found = crop_defaults(crop)
    name = crop.strip().lower() if found is None else found.crop
    rows = [r for r in table_rows("tension_stages.csv") if r["crop"] == name]
    bands = [
        TensionBand(r["stage"], float(r["low_kpa"]), float(r["high_kpa"]), r["source"], r["confidence"]) for r in rows
    ]
    return tuple(sorted(bands, key=lambda b: STAGES.index(b.stage)))


def band_of(crop: str, stage: str | None) -> TensionBand | None:
    """The band of a crop in a stage [kPa], None where its stages have none of their own."""
    return next((b for b in tension_bands(crop) if b.stage == stage), None)


@dataclass(frozen=True)
class WetShare:
    """Share of the time a sensor stood between 0 and 10 kPa [-], of how many hours; None with too few."""

    share: float | None
    hours: int

    @property
    def too_wet(self) -> bool:
        """Whether that is more than a tenth of the time: soil cannot hold that water, and roots want air."""
        return self.share is not None and self.share > TOO_WET_SHARE


def wet_share(times: NDArray[np.int64], kpa: Floats, settled_from: float | None) -> WetShare:
    """How much of the time a sensor stood too wet.

    Parameters
    ----------
    times : array, shape (n,)
        Instants of hourly readings [s].
    kpa : array, shape (n,)
        Tension [kPa].
    settled_from : float, optional
        From when the wet end is believed [s]: readings of the first cycles do not count.

    Examples
    --------
    >>> wet_share(np.arange(100) * 3600, np.where(np.arange(100) < 25, 5.0, 40.0), None).share
    0.25
    """
    kept = np.isfinite(kpa) & (times >= (settled_from if settled_from is not None else -np.inf))
    hours = int(kept.sum())
    if hours < FEWEST_HOURS:
        return WetShare(None, hours)
    return WetShare(float((kpa[kept] < WET_KPA).mean()), hours)


@dataclass(frozen=True)
class TensionMeans:
    """Mean tension of the upper and of the lower sensors by instant [kPa], shape (n,), and how many gave each."""

    times: NDArray[np.int64]
    upper_kpa: Floats
    lower_kpa: Floats
    uppers: int
    lowers: int


def upper_and_lower(series: Sequence[tuple[float, NDArray[np.int64], Floats]], root_depth_cm: float) -> TensionMeans:
    """Means of the sensors in the upper and the lower half of the roots, on both sides of a drip line alike.

    Parameters
    ----------
    series : sequence of (depth, times, tension)
        Depth [cm], hourly instants [s] and tension [kPa] of each sensor of a block.
    root_depth_cm : float
        Where upper and lower part: the shallowest sensor of each place is upper, whatever its depth [cm].

    Returns
    -------
    TensionMeans
        NaN where a group gave nothing in an hour.
    """
    times = np.unique(np.concatenate([t for _, t, _ in series])) if series else np.empty(0, dtype=np.int64)
    shallowest = min((d for d, _, _ in series), default=0.0)
    groups: dict[bool, list[Floats]] = {True: [], False: []}
    for depth, at, kpa in series:
        column = np.full(len(times), np.nan)
        column[np.searchsorted(times, at)] = kpa
        groups[depth <= max(root_depth_cm / 2, shallowest)].append(column)
    upper, lower = (_mean(groups[which], len(times)) for which in (True, False))
    return TensionMeans(times, upper, lower, len(groups[True]), len(groups[False]))


def _mean(columns: Sequence[Floats], size: int) -> Floats:
    if not columns:
        return np.full(size, np.nan)
    table = np.vstack(columns)
    known = np.isfinite(table)
    counts = known.sum(axis=0)
    sums = np.where(known, table, 0.0).sum(axis=0)
    return np.asarray(np.where(counts > 0, sums / np.maximum(counts, 1), np.nan))
