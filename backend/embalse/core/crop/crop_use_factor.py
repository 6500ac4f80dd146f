"""How much a crop really uses beside what its coefficient and the weather ask for."""

import math
import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

from embalse.core.crop.dry_down import FEWEST_STEPS, DawnStorage, NoTrend, clean_spells
from embalse.core.practice import practice
from embalse.core.robust import CONFIDENCE_Z, MAD_TO_SD
from embalse.core.wording import Notice, Text

LOWEST_RATIO: Final = practice("use_ratio_low")
LOWEST_OPEN_RATIO: Final = practice("use_ratio_low_open")
HIGHEST_RATIO: Final = practice("use_ratio_high")
PRIOR_ERROR: Final = 0.25
"""How wrong a factor of a table is as a rule, as a standard error [-] (common practice, no source)."""
LEAST_ERROR: Final = 0.10
"""Error left however long the dry-down [-]: water that drains or comes up from below, and what a sensor's place hides.

Found on plots of the simulator (``python -m bench decisions``), where it lets 10 to 90 % hold the truth in 80 %.
"""
FACTOR_DAYS: Final = 21  # days looked back for actual over calculated use: three weeks, a few dry spells (ours)
LEAST_STEP_MM: Final = 0.4  # mm of noise of a day's fall at least: probes cannot see less over a root zone (ours)
HUBER: Final = 1.5  # residuals in noises beyond which a day weighs less; near the 1.345 of Huber (1981), from memory


@dataclass(frozen=True)
class CropUse:
    """How much a crop uses beside what weather asks for: factor with its 10 and 90 % limits and standard error [-].

    ``observed`` is use over expectation as the dry-down itself showed it, None without one; ``factor`` is drawn toward
    1 by its doubt. Where it is not ``plausible`` the factor is 1: the date goes by weather alone.
    """

    factor: float
    low: float
    high: float
    error: float
    observed: float | None
    steps: int
    how: Notice
    plausible: bool = True


def crop_use(
    dawns: DawnStorage,
    expected_mm: Mapping[int, float],
    stress_from_mm: float = math.inf,
    lowest_ratio: float = LOWEST_RATIO,
) -> CropUse:
    """Crop-use factor: storage lost over the clean dry-downs of the last three weeks against Kc and weather.

    Each dry step from dawn to dawn is factor × expected use. The factor is found by least squares with large misses
    weighed down (Huber) and drawn toward 1, where a table is wrong by a quarter as a rule, each weighted by the inverse
    of its variance.

    Parameters
    ----------
    dawns : DawnStorage
        Storage at dawn and full point [mm].
    expected_mm : mapping of day number to float
        Crop use expected from that day's dawn to the next, in the soil the sensors stand in [mm].
    stress_from_mm : float
        Depletion from which the crop may take up less for want of water [mm].
    lowest_ratio : float
        Actual over calculated use [-] below which the sensors are not believed, where the crop is not short of water.

    Returns
    -------
    CropUse
        A factor of 1 with its wide limits where no dry-down can be measured, and why.

    References
    ----------
    .. [1] Huber (1964), Ann. Math. Stat. 35:73-101.
    """
    try:
        spells = clean_spells(dawns, FACTOR_DAYS)
    except NoTrend as refusal:
        return _by_table(refusal.reason)
    days, storage = dawns.days, dawns.storage_mm
    pairs = [(a, b) for spell in spells for a, b in pairwise(spell) if days[a] in expected_mm]
    if len(pairs) < FEWEST_STEPS:
        return _by_table(Notice("factor_why.weather", known=len(pairs), wanted=FEWEST_STEPS))
    asked = [expected_mm[days[a]] for a, _ in pairs]
    lost = [storage[a] - storage[b] for a, b in pairs]
    observed = sum(lost) / sum(asked) if sum(asked) > 0 else 0.0
    if observed <= 0:
        return _by_table(Notice("no_trend.not_down"))
    stressed = sum(dawns.full_mm - storage[a] > stress_from_mm for a, _ in pairs) > len(pairs) / 2
    if observed > HIGHEST_RATIO or (observed < lowest_ratio and not stressed):
        how = Notice("factor_how.implausible", observed_fraction=observed, dry=len(pairs))
        return replace(_by_table(how), observed=observed, steps=len(pairs), how=how, plausible=False)
    return _fitted(asked, lost, observed)


def _fitted(asked: Sequence[float], lost: Sequence[float], observed: float) -> CropUse:
    """The factor from dry steps [mm], drawn toward 1."""
    weights, found, noise, certainty = [1.0] * len(lost), 1.0, LEAST_STEP_MM, PRIOR_ERROR**-2
    for _ in range(3):
        certainty, pulled = PRIOR_ERROR**-2, PRIOR_ERROR**-2
        for weight, e, u in zip(weights, asked, lost, strict=True):
            certainty += weight * e * e / noise**2
            pulled += weight * e * u / noise**2
        found = pulled / certainty
        misses = [abs(u - found * e) for e, u in zip(asked, lost, strict=True)]
        noise = max(LEAST_STEP_MM, MAD_TO_SD * statistics.median(misses))
        weights = [min(1.0, HUBER * noise / max(miss, 1e-9)) for miss in misses]
    factor, error = max(0.05, found), math.hypot(certainty**-0.5, LEAST_ERROR)
    span = CONFIDENCE_Z * error
    how = Notice("factor_how.observed", observed_fraction=observed, dry=len(lost), window_days=FACTOR_DAYS)
    return CropUse(factor, max(0.05, factor - span), factor + span, error, observed, len(lost), how)


def _by_table(why: Text) -> CropUse:
    span = CONFIDENCE_Z * PRIOR_ERROR
    return CropUse(1.0, 1 - span, 1 + span, PRIOR_ERROR, None, 0, Notice("factor_how.table", why=why))
