"""The same night across the blocks of a group: who got less than the others."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from embalse.core.audit.set_audit import WITHIN_SHARE, SetAudit

FEWEST: Final = 3  # blocks that must tell before one is held against the others (ours)


@dataclass(frozen=True)
class Share:
    """A block's set: water that came over what was expected [-], its error, and how far from the group's middle."""

    block: str
    share: float
    error: float
    off: float
    less: bool


def shares_of(sets: Sequence[tuple[str, SetAudit]]) -> tuple[Share, ...]:
    """Hold sets of several blocks against their middle; the ones that got less first.

    A block got less where its share lies more than 15 % of the middle and its own error under it.

    Parameters
    ----------
    sets : sequence of (str, SetAudit)
        Block and its set, one each.

    Returns
    -------
    tuple of Share
        Empty with fewer than three blocks that tell.

    Examples
    --------
    >>> shares_of([])
    ()
    """
    told = [
        (block, ((s.gained_mm or 0.0) + s.passed_mm) / s.expected_mm, (s.error_mm or 0.0) / s.expected_mm)
        for block, s in sets
        if s.gained_mm is not None and s.expected_mm > 0
    ]
    if len(told) < FEWEST:
        return ()
    middle = float(np.median([share for _, share, _ in told]))
    found = [
        Share(block, share, error, share - middle, middle - share > max(WITHIN_SHARE * middle, error))
        for block, share, error in told
    ]
    return tuple(sorted(found, key=lambda s: s.off))
