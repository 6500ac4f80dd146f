"""Which rate of sprinkling fits a soil and its slope, and how long a set then takes."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import DeliveryError, require


@dataclass(frozen=True)
class Redesign:
    """A rate that fits: what the soil takes and what falls now [mm/h], whether it fits, and the outlet that would.

    ``outlet_l_h`` is the flow of one sprinkler at the same spacing that just fits [L/h], ``set_h`` how long the set
    takes then, ``now_h`` how long it takes now [h], ``less_share`` by how much the flow must fall [-].
    """

    takes_mm_h: float
    rate_mm_h: float
    fits: bool
    outlet_l_h: float | None
    set_h: float
    now_h: float
    less_share: float


USUAL_GROSS_MM: Final = 25.0
"""Depth a set is worked out for where none is on record [mm] (common practice, no source)."""


def usual_gross_mm(depths_mm: Sequence[float]) -> float:
    """What a block's sets give as a rule [mm]: their mean, or a common depth where none is on record.

    Examples
    --------
    >>> usual_gross_mm([18.0, 22.0]), usual_gross_mm([])
    (20.0, 25.0)
    """
    return statistics.fmean(depths_mm) if depths_mm else USUAL_GROSS_MM


def redesign(gross_mm: float, rate_mm_h: float, takes_mm_h: float, spacing_m2: float | None = None) -> Redesign:
    """A rate that the soil takes without running off.

    Parameters
    ----------
    gross_mm : float
        Usual depth of a set [mm].
    rate_mm_h, takes_mm_h : float
        Rate on the ground that is wetted, and what the soil takes on its slope [mm/h].
    spacing_m2 : float, optional
        Ground one sprinkler stands for: spacing × line spacing [m²].

    Raises
    ------
    DeliveryError
        If a value is not positive.

    Examples
    --------
    >>> found = redesign(20.0, 10.0, 5.0, 18.0 * 12.0)
    >>> found.fits, found.outlet_l_h, found.set_h, found.now_h
    (False, 1080.0, 4.0, 2.0)
    """
    for name, value in (("gross_mm", gross_mm), ("rate_mm_h", rate_mm_h), ("takes_mm_h", takes_mm_h)):
        require(value > 0, name, "must be more than 0", DeliveryError)
    best = min(rate_mm_h, takes_mm_h)
    outlet = None if spacing_m2 is None else best * spacing_m2
    return Redesign(
        takes_mm_h, rate_mm_h, rate_mm_h <= takes_mm_h, outlet, gross_mm / best, gross_mm / rate_mm_h,
        1 - best / rate_mm_h,
    )  # fmt: skip
