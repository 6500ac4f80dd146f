"""The next dose: one correction from what sets brought and what lower sensors said, bounded and smoothed."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from embalse.core.audit.lower_sensor import Advice
from embalse.core.audit.set_audit import MUCH_BELOW_MM, SLOPE_ERROR, SetAudit
from embalse.core.errors import require_between
from embalse.core.practice import practice
from embalse.core.robust import sd_from_deviations

MOST_SHARE: Final = practice("dose_most_share")
LOWER_STEP: Final = practice("dose_lower_step")
SETS: Final = 6  # sets, the last ones that tell, a correction is taken from (ours: a month of drip)
FEWEST: Final = 2  # sets that must tell before anything is corrected: never one set's evidence alone
LEAST_SHARE: Final = 0.02  # of the dose below which a correction is not worth setting a timer for (ours)
FULL_DOSE: Final = 0.85  # of what the roots lacked from which a set was a full one (ours: as "right" is 15 %)
TELLS: Final = frozenset({"right", "too much", "too little"})
"""Verdicts whose water can be set right by the amount: runoff from too high a rate only grows with a longer set."""
Reason = Literal["", "few", "small", "disagree"]


@dataclass(frozen=True)
class Used:
    """The correction in force when a set ran [-]: the multiple of the advice, and the part of it against leaks."""

    factor: float = 1.0
    useful: float = 1.0


NOTHING_USED: Final = Used()


@dataclass(frozen=True)
class DoseEvidence:
    """What one set says the dose should have been, as multiples of the advice [-]; None where it does not tell.

    ``delivered`` is what was expected over what came, with its random error; ``useful`` the share of the advice that
    the roots could keep; ``lower`` what the lower sensors ask for.
    """

    start_at: int
    delivered: float | None = None
    useful: float = 1.0
    error: float = 0.0
    lower: float | None = None


@dataclass(frozen=True)
class Correction:
    """What the next dose is to be multiplied by [-], from how many sets of each kind, and why nothing where it is 1.

    ``wanted`` is what the evidence asks for before the bound; ``bound`` whether that is more than is done at once;
    ``useful`` the part of it that is against leaks.
    """

    factor: float
    wanted: float
    useful: float
    by_water: float | None
    water_sets: int
    by_lower: float | None
    lower_sets: int
    bound: bool = False
    why_not: Reason = ""


def water_evidence(told: SetAudit, need_mm: float | None, used: Used = NOTHING_USED) -> DoseEvidence | None:
    """What a set's water says the dose should have been.

    Water that did not come asks for more in the share it fell short, whatever was advised. Water below the roots asks
    for less: a full set should have been what stayed, over what the roots lacked. A set without a leak says that the
    part of the correction against leaks that was in force was right.

    Parameters
    ----------
    told : SetAudit
        Depths in the wetted soil [mm].
    need_mm : float or None
        What the roots lacked before the set, in the same soil [mm]; None where not known.
    used : Used

    Returns
    -------
    DoseEvidence or None
        None where the set does not tell: it did not run, rain came, its probes could not be trusted, runoff.
    """
    if told.verdict not in TELLS or told.gained_mm is None or told.error_mm is None or told.floor or told.doubted:
        return None
    came = told.gained_mm + told.passed_mm
    if came <= 0:
        return None
    leak = told.below_mm or 0.0
    useful = used.useful
    if leak - told.below_error_mm > MUCH_BELOW_MM:
        stayed = max(0.0, came - leak)
        full = need_mm is not None and told.expected_mm >= FULL_DOSE * need_mm > 0
        useful = min(1.0, stayed / need_mm if full and need_mm else used.useful * stayed / came)
    delivered = told.expected_mm / came
    if told.rate_beats_soil:
        delivered = min(1.0, delivered)  # what runs off does not come by a longer set
    return DoseEvidence(told.start_at, delivered, useful, told.error_mm / came)


def lower_evidence(advice: Advice, used: Used = NOTHING_USED) -> float | None:
    """What the lower sensors say the dose should have been, as a multiple of the advice [-]; None: not told.

    Examples
    --------
    >>> lower_evidence("shorten"), lower_evidence("right", Used(1.05)), lower_evidence("cannot tell")
    (0.9, 1.05, None)
    """
    if advice == "cannot tell":
        return None
    return used.factor * {"shorten": 1 - LOWER_STEP, "right": 1.0, "lengthen": 1 + LOWER_STEP}[advice]


def set_evidence(told: SetAudit, need_mm: float | None, school: Advice, used: Used = NOTHING_USED) -> DoseEvidence:
    """What a set says of the dose by both kinds (mm of the wetted soil).

    The lower sensors do not ask for more where the rate beats the soil: a longer set runs off. Neither tells where only
    some of the stations were watered, or anything speaks against one.
    """
    found = water_evidence(told, need_mm, used) or DoseEvidence(told.start_at)
    trusted = told.verdict != "not all of the block" and not told.doubted
    runs_off = school == "lengthen" and told.rate_beats_soil
    return replace(found, lower=lower_evidence(school, used) if trusted and not runs_off else None)


def correction(evidence: Sequence[DoseEvidence], most_share: float = MOST_SHARE) -> Correction:
    """The one correction of the next dose from both kinds of evidence.

    Each kind is of its last six sets that tell, two at least, two of which ask for it: the middle one by the water, so
    that a burst hose corrects nothing, and the mean by the lower sensors. The water's is drawn towards no correction by
    its error: the scatter of the sets about their middle, and what a calibration's slope may be off, which no number of
    sets averages out. Where both tell their mean holds; where they point to different sides nothing is corrected.

    Parameters
    ----------
    evidence : sequence of DoseEvidence
        Oldest first.
    most_share : float
        Most that is corrected, either way [-].

    Returns
    -------
    Correction

    Raises
    ------
    CoreError
        If the bound is not between 0 and 0.5.
    """
    require_between(most_share, 0, 0.5, "most_share", "")
    water = [e for e in evidence if e.delivered is not None][-SETS:]
    lower = [e.lower for e in evidence if e.lower is not None][-SETS:]
    wholes = [(e.delivered or 1.0) * e.useful for e in water]
    sure = _sureness(wholes, [(e.delivered or 1.0) * e.error for e in water]) if len(water) >= FEWEST else 0.0
    by_water = sure * _agreed(wholes, float(np.median(wholes))) if len(water) >= FEWEST else None
    by_lower = _agreed(lower, float(np.mean(lower))) if len(lower) >= FEWEST else None
    useful = 1 - sure * (1 - float(np.median([e.useful for e in water]))) if by_water else 1.0
    told = [d for d in (by_water, by_lower) if d is not None]
    counts = (useful, by_water, len(water), by_lower, len(lower))
    if not told:
        return Correction(1.0, 1.0, *counts, why_not="few")
    if len(told) > 1 and min(told) < -LEAST_SHARE and max(told) > LEAST_SHARE:
        return Correction(1.0, 1.0, *counts, why_not="disagree")
    wanted = float(np.mean(told))
    held = float(np.clip(wanted, -most_share, most_share))
    if abs(held) < LEAST_SHARE:
        return Correction(1.0, 1 + wanted, *counts, why_not="small")
    return Correction(1 + held, 1 + wanted, *counts, bound=held != wanted)


def moved(told: Correction, used: Used, most_share: float = MOST_SHARE) -> float | None:
    """What an applied correction becomes [-]; None where it stays: too few sets, or a change not worth a timer's.

    It goes by what is wanted within the bound, so that one in force does not come and go about the least one.

    Examples
    --------
    >>> small = Correction(1.0, 1.015, 1.0, 0.015, 6, None, 0, why_not="small")
    >>> moved(small, Used(1.03)), moved(small, Used(1.05))
    (None, 1.0)
    """
    if told.why_not == "few":
        return None
    wanted = 1 + float(np.clip(told.wanted - 1, -most_share, most_share))
    return None if abs(wanted - used.factor) < LEAST_SHARE else told.factor


def _agreed(values: Sequence[float], middle: float) -> float:
    """How far a middle lies from 1 [-]; 0 where no two sets ask for a change to its side."""
    off = middle - 1
    asking = sum((value - 1) * off > 0 and abs(value - 1) >= LEAST_SHARE for value in values)
    return off if asking >= FEWEST else 0.0


def _sureness(values: Sequence[float], errors: Sequence[float]) -> float:
    """How much of the mean's distance from 1 is believed [-]: its square over itself and its error's."""
    off = float(np.median(values)) - 1
    scatter = float(sd_from_deviations(np.array(values) - 1 - off))
    error = float(np.hypot(max(scatter, float(np.mean(errors))) / np.sqrt(len(values)), SLOPE_ERROR))
    return off**2 / (off**2 + error**2)
