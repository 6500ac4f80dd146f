"""How evenly a system waters: catch cans or emitter flows."""

import statistics
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.errors import CoreError, require

FEWEST_CATCHES = 4  # catches of which the lowest quarter is one


@dataclass(frozen=True)
class Uniformity:
    """Evenness of a system: mean and low-quarter mean in the unit of the catches, DUlq and CU as fractions [-]."""

    count: int
    mean: float
    low_quarter_mean: float
    du_low_quarter: float
    christiansen_cu: float


class UniformityError(CoreError):
    """Catches from which no evenness can be computed."""


def uniformity(catches: Sequence[float]) -> Uniformity:
    """Distribution uniformity of the low quarter and Christiansen's coefficient.

    Parameters
    ----------
    catches : sequence of float, shape (n,)
        Depths in cans [mm] or flows of emitters [L/h]; at least four. A quarter that is no whole number of catches is
        rounded down, one at least.

    Returns
    -------
    Uniformity
        Means in the unit of the catches; DUlq and CU [-].

    Raises
    ------
    UniformityError
        If there are fewer than four catches, one is negative, or all are 0.

    References
    ----------
    .. [1] Christiansen (1942), Univ. California Agr. Exp. Sta. Bull. 670.
    .. [2] USDA-NRCS, National Engineering Handbook Part 652, Irrigation Guide: low-quarter uniformity.

    Examples
    --------
    >>> round(uniformity([22, 25, 27, 24]).du_low_quarter, 3)
    0.898
    """
    require(len(catches) >= FEWEST_CATCHES, "catches", f"at least {FEWEST_CATCHES} are needed", UniformityError)
    for index, value in enumerate(catches):
        require(value >= 0, f"catches[{index}]", "must not be negative", UniformityError)
    mean = statistics.fmean(catches)
    require(mean > 0, "catches", "all are 0", UniformityError)
    low = statistics.fmean(sorted(catches)[: max(1, len(catches) // 4)])
    deviation = sum(abs(value - mean) for value in catches)
    return Uniformity(len(catches), mean, low, low / mean, 1 - deviation / (mean * len(catches)))


def efficiency_from_uniformity(du_low_quarter: float, kept_fraction: float = 1.0) -> float:
    """Application efficiency on the low-quarter basis: the driest quarter gets the net depth.

    Parameters
    ----------
    du_low_quarter : float
        Distribution uniformity [-].
    kept_fraction : float
        Share of the water that reaches the ground at all, after drift, evaporation and leaks [-].

    Returns
    -------
    float
        Efficiency [-].

    Raises
    ------
    CoreError
        If a share lies outside 0 to 1.

    References
    ----------
    .. [1] Keller & Bliesner (1990), Sprinkle and Trickle Irrigation: gross depth on the low-quarter basis.

    Examples
    --------
    >>> round(25 / efficiency_from_uniformity(0.8447), 1)
    29.6
    """
    require(0 < du_low_quarter <= 1, "du_low_quarter", "must be above 0 and at most 1")
    require(0 < kept_fraction <= 1, "kept_fraction", "must be above 0 and at most 1")
    return du_low_quarter * kept_fraction
