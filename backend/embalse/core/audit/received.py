"""What share of the water a block's sets really bring, learned from its own, and what else could explain a miss."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from scipy.stats import t as student

from embalse.core.audit.next_dose import SETS, TELLS
from embalse.core.audit.set_audit import SLOPE_ERROR, SetAudit, Verdict
from embalse.core.robust import CONFIDENCE_Z

FEWEST: Final = 3  # sets that must tell before a share is learned (ours)
USUAL_SCATTER: Final = 0.05  # of a set's water, least scatter taken for one so few sets show by chance (ours)
RUNS: Final = frozenset({"furrow", "border"})
Cause = Literal["rate", "wetted", "calibration", "efficiency", "runoff", "uneven", "marks", "watch", "depth"]


MOST: Final = 0.5  # of the last sets that must be of a kind for its causes to be looked into (ours)
_FIRST: Final[dict[str, Cause]] = {
    "sprinkler": "efficiency", "pivot": "efficiency", "micro": "efficiency", "furrow": "runoff", "border": "runoff",
}  # fmt: skip
"""What loses water first in a system: wind and evaporation where it falls, runoff where it runs over the ground."""


@dataclass(frozen=True)
class Received:
    """Water that came over what set-up expects [-], middle and 80 % band, from so many sets."""

    share: float
    low: float
    high: float
    sets: int

    @property
    def differs(self) -> bool:
        """Whether set-up's own figure lies outside the band [no unit]."""
        return not self.low <= 1.0 <= self.high


def received(sets: Sequence[SetAudit]) -> Received | None:
    """Share of the expected water that a block's sets brought into the soil: stored, used meanwhile, or passed below.

    The middle of the last six sets that tell; the band has their scatter by Student's t and the slope of a calibration,
    which no number of sets averages out.

    Parameters
    ----------
    sets : sequence of SetAudit
        Oldest first, audited by the set-up of today.

    Returns
    -------
    Received or None
        None with fewer than three sets that tell.
    """
    told = [s for s in sets if _tells(s)]
    found = [((s.gained_mm or 0.0) + s.passed_mm) / s.expected_mm for s in told[-SETS:]]
    if len(found) < FEWEST:
        return None
    middle = float(np.median(found))
    scatter = max(float(np.std(found, ddof=1)), USUAL_SCATTER * middle)
    chance = float(student.ppf(0.9, len(found) - 1)) * scatter / np.sqrt(len(found))
    error = float(np.hypot(chance, CONFIDENCE_Z * SLOPE_ERROR * middle))
    return Received(middle, max(0.0, middle - error), middle + error, len(found))


def _tells(one: SetAudit) -> bool:
    known = one.gained_mm is not None and one.expected_mm > 0
    return one.verdict in {*TELLS, "too fast"} and known and not one.floor and not one.doubted


@dataclass(frozen=True)
class Learned:
    """What set-up would have to say for the sets to be as expected: one of the two, never both [-].

    ``efficiency`` and ``wetted`` are (middle, low, high); None where it could not be that: above 1, or all of the
    ground is wetted anyway.
    """

    efficiency: tuple[float, float, float] | None
    wetted: tuple[float, float, float] | None


def learned(found: Received, efficiency_fraction: float, wetted_fraction: float) -> Learned:
    """Efficiency, or wetted share, that would explain what came.

    Examples
    --------
    >>> told = learned(Received(0.8, 0.75, 0.85, 6), 0.9, 0.5)
    >>> [round(v, 3) for v in told.efficiency], [round(v, 3) for v in told.wetted]
    ([0.72, 0.675, 0.765], [0.625, 0.588, 0.667])
    """
    kept = tuple(efficiency_fraction * s for s in (found.share, found.low, found.high))
    wets = tuple(wetted_fraction / s if s > 0 else 2.0 for s in (found.share, found.high, found.low))
    return Learned(
        (kept[0], kept[1], min(1.0, kept[2])) if kept[0] <= 1 else None,
        (wets[0], wets[1], min(1.0, wets[2])) if wetted_fraction < 1 and wets[0] <= 1 else None,
    )


def causes(
    found: Received | None, lately: Sequence[Verdict], system: str, metered: bool, wetted_fraction: float
) -> tuple[Cause, ...]:
    """What could explain that sets miss, the likelier first, as the trade looks for it (common practice, no source).

    Parameters
    ----------
    found : Received or None
    lately : sequence of Verdict
        Verdicts of the sets that tell, oldest first: more than half of the last six of a kind makes it likely.
    system : str
        Kind of the irrigation system.
    metered : bool
        Whether the water of the sets was measured: then rate and time are not in doubt.
    wetted_fraction : float
        Share of the ground that is wetted [-].

    Returns
    -------
    tuple of str
        Empty where nothing misses.
    """
    order: tuple[Cause, ...] = ()
    if found is not None and found.differs:
        first: Cause | None = _FIRST.get(system) if found.share < 1 else None
        first = "runoff" if mostly("too fast", lately) else first
        usual: tuple[Cause, ...] = ("rate", "uneven" if system in RUNS else "wetted", "calibration")
        last: tuple[Cause, ...] = ("efficiency",) if found.share < 1 and first is None else ()
        order = (*((first,) if first else ()), *usual, *last)
    if mostly("too much", lately):
        order += ("marks", "depth", "watch")
    out = {"rate"} if metered else set()
    if wetted_fraction >= 1:
        out.add("wetted")
    return tuple(cause for cause in order if cause not in out)


def mostly(verdict: Verdict, lately: Sequence[Verdict]) -> bool:
    """Whether more than half of the last six sets have a verdict [no unit].

    Examples
    --------
    >>> mostly("too fast", ["too fast", "right"]), mostly("too fast", ["too fast", "too fast", "right"])
    (False, True)
    """
    last = list(lately)[-SETS:]
    return last.count(verdict) > MOST * len(last) if last else False
