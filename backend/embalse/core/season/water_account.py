"""The water account of a season: what came in, what the crop used, what went below, and what is not accounted for."""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError, require
from embalse.core.practice import practice
from embalse.core.robust import CONFIDENCE_Z
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
M3_PER_MM_HA: Final = 10.0
DRAIN_DAYS: Final = 2  # days after water on which a fall from dawn to dawn may be water going below (common practice)
RATIO_DAYS: Final = 15  # days either way whose measured use fills a day that tells none (ours: half a stage)
FEWEST_SEEN: Final = 10  # days of use seen by the probes for an account (ours)
METER_ERROR: Final = 0.05  # of the irrigation: a meter in fair order, or a nominal rate once checked (ours)
EFFICIENCY_ERROR: Final = 0.05  # of the irrigation: what reaches the soil is known no better as a rule (ours)
RAIN_ERROR: Final = 0.10  # of the rain that counted: one gauge for a field (ours)
SLOPE_ERROR: Final = 0.05  # of the use the probes saw: what a fitted calibration's slope is off as a rule (ours)
FILLED_ERROR: Final = 0.15  # of the use on days that were filled (ours)
PROBE_ERROR: Final = 0.50  # of the water below the roots told by the probes alone: they see part of what passes (ours)
BELOW_ERROR: Final = 0.35  # of a season's water below the roots told by the model: its errors do not even out (ours)
STORE_ERROR_MM: Final = 4.0  # mm of the change in store in 60 cm of roots, both ends together (ours)


@dataclass(frozen=True)
class SeasonRecord:
    """A block's season day by day, from dawn to dawn [mm over the block], arrays of shape (n,).

    ``storage_mm`` is the root zone's at the dawn of each day and one more, shape (n + 1,), NaN where nothing was read.
    ``expected_mm`` is Kc × ETo, NaN where weather or crop are not known. ``wet`` says whether water came between this
    dawn and the next. ``below_mm`` went below the roots, on the day its wetting began; None where nothing tells it.
    ``kept_fraction`` of the irrigation reaches the soil. ``full_mm``, ``taw_mm`` and ``raw_mm`` are the root zone's;
    ``modelled`` of the wettings are told by the block's fitted model, the others by the probes below the roots alone.
    """

    first_day: int
    irrigation_mm: Floats
    rain_mm: Floats
    counted_rain_mm: Floats
    expected_mm: Floats
    storage_mm: Floats
    wet: NDArray[np.bool_]
    below_mm: Floats | None
    wettings: int
    kept_fraction: float
    full_mm: float
    taw_mm: float
    raw_mm: float
    modelled: int = 0


@dataclass(frozen=True)
class Line:
    """A line of the account with its error, one standard deviation [mm over the block]."""

    mm: float
    error_mm: float


@dataclass(frozen=True)
class WaterAccount:
    """A season's water [mm over the block].

    ``residual`` is what is not accounted for: in less out less the change in store. ``closes`` says whether it lies
    within its error (9 times in 10). ``fao_use_mm`` is Kc × ETo over the same days. ``stress_days`` are dawns past the
    readily available water, ``stress_mm`` the use that cost; ``over_full_days`` dawns above full. ``use_share`` is the
    crop's use over what it would have used without stress [-].
    """

    days: int
    irrigation: Line
    lost_on_way: Line
    counted_rain: Line
    rain_mm: float
    use: Line
    below: Line | None
    store_change: Line
    residual: Line
    closes: bool
    fao_use_mm: float | None
    seen_days: int
    filled_days: int
    stress_days: int
    stress_mm: float
    over_full_days: int
    use_share: float


class NoAccount(CoreError):
    """A season that cannot be accounted for."""


def daily_use_mm(record: SeasonRecord) -> tuple[Floats, NDArray[np.bool_]]:
    """Crop use of each day [mm over the block], shape (n,), and on which days the probes saw it.

    Seen where both dawns are read, no water came, and none that came in the two days before may still be going below.
    The other days are filled by Kc × ETo times what the days seen around them show of it, else by their own middle.

    Raises
    ------
    NoAccount
        If fewer than ten days were seen.
    """
    falls = record.storage_mm[:-1] - record.storage_mm[1:]
    draining = np.zeros(len(falls), dtype=bool)
    if record.below_mm is not None:
        leaked = record.below_mm > practice("leak_mm") / 3
        for back in range(1, DRAIN_DAYS + 1):
            draining[back:] |= leaked[:-back]
    seen = np.isfinite(falls) & ~record.wet & ~draining & (falls > 0)
    require(
        int(seen.sum()) >= FEWEST_SEEN,
        "days",
        Notice("season.few_seen", seen_days=int(seen.sum()), wanted=FEWEST_SEEN),
        NoAccount,
    )
    use = np.where(seen, falls, np.nan)
    known = seen & np.isfinite(record.expected_mm) & (record.expected_mm > 0)
    places = np.arange(len(falls))
    for day in np.flatnonzero(~seen).tolist():
        near = known & (np.abs(places - day) <= RATIO_DAYS)
        if near.any() and np.isfinite(record.expected_mm[day]):
            use[day] = record.expected_mm[day] * falls[near].sum() / record.expected_mm[near].sum()
        else:
            around = seen & (np.abs(places - day) <= RATIO_DAYS)
            use[day] = float(np.median(falls[around])) if around.any() else float(np.median(falls[seen]))
    return use, seen


def stress_factor(record: SeasonRecord) -> Floats:
    """Ks at each dawn [-], shape (n,): 1 down to the readily available water, then falling in a straight line to 0.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 84.
    """
    depletion = record.full_mm - record.storage_mm[:-1]
    span = max(record.taw_mm - record.raw_mm, 1e-9)
    return np.where(np.isnan(depletion), 1.0, np.clip((record.taw_mm - depletion) / span, 0.0, 1.0))


def water_account(record: SeasonRecord) -> WaterAccount:
    """Add a season up.

    Parameters
    ----------
    record : SeasonRecord

    Returns
    -------
    WaterAccount
        The residual's error joins those of its lines as independent: 5 % of the irrigation for the meter and 5 % for
        what reaches the soil, 10 % of the rain, 5 % of the use seen and 15 % of the use filled, 35 % of the water
        below (half of it where the probes alone tell it) or 2 mm a wetting, 4 mm of the change in store.

    Raises
    ------
    NoAccount
        If fewer than ten days of use were seen, or no dawn was read at an end.
    """
    use, seen = daily_use_mm(record)
    read = np.flatnonzero(np.isfinite(record.storage_mm))
    require(len(read) > 1, "storage_mm", "no dawn was read at either end", NoAccount)
    first, last = int(read[0]), int(read[-1])
    inside = slice(first, last)
    given = float(record.irrigation_mm[inside].sum())
    irrigation = Line(given, METER_ERROR * given)
    lost = Line((1 - record.kept_fraction) * given, EFFICIENCY_ERROR * given)
    counted = float(record.counted_rain_mm[inside].sum())
    rain = Line(counted, RAIN_ERROR * counted)
    by_probe, filled = (float(use[inside][w].sum()) for w in (seen[inside], ~seen[inside]))
    used = Line(by_probe + filled, math.hypot(SLOPE_ERROR * by_probe, FILLED_ERROR * filled))
    below = None
    if record.below_mm is not None:
        mm = float(record.below_mm[inside].sum())
        by_model = record.modelled / max(record.wettings, 1)
        share = by_model * BELOW_ERROR + (1 - by_model) * PROBE_ERROR
        below = Line(mm, max(share * mm, 2.0 * math.sqrt(record.wettings)))
    change = Line(float(record.storage_mm[last] - record.storage_mm[first]), STORE_ERROR_MM)
    mm = given - lost.mm + rain.mm - used.mm - (below.mm if below else 0.0) - change.mm
    parts = [irrigation, lost, rain, used, change, *([below] if below else [])]
    error = math.hypot(*(p.error_mm for p in parts))
    ks = stress_factor(record)[inside]
    cost = np.where(ks < 1, use[inside] * (1 / np.maximum(ks, 0.1) - 1), 0.0)
    depletion = record.full_mm - record.storage_mm[inside]
    expected = record.expected_mm[inside]
    return WaterAccount(
        days=last - first,
        irrigation=irrigation,
        lost_on_way=lost,
        counted_rain=rain,
        rain_mm=float(record.rain_mm[inside].sum()),
        use=used,
        below=below,
        store_change=change,
        residual=Line(mm, error),
        closes=abs(mm) <= CONFIDENCE_Z * error,
        fao_use_mm=float(np.nansum(expected)) if np.isfinite(expected).any() else None,
        seen_days=int(seen[inside].sum()),
        filled_days=int((~seen[inside]).sum()),
        stress_days=int((ks < 1).sum()),
        stress_mm=float(cost.sum()),
        over_full_days=int((depletion < 0).sum()),
        use_share=float(use[inside].sum() / (use[inside].sum() + cost.sum())),
    )
