"""What nodes differ by for themselves: sensors of a kind read one soil a little apart."""

from collections.abc import Sequence
from typing import Final, Literal

import numpy as np

What = Literal["depletion", "available", "index", "temperature", "salinity"]
"""What is mapped: mm short of full, share of available water, wetness index, °C, dS/m."""

BETWEEN_THETA: Final = 0.01  # m³/m³ by which sensors of a kind differ in one soil (common practice, no source)
LEAST: Final[dict[What, float]] = {
    "depletion": 1.0, "available": 0.01, "index": 0.02, "temperature": 0.3, "salinity": 0.05,
}  # fmt: skip
"""Least standard error of a node by what is mapped, in its unit: as two good sensors side by side differ (ours)."""


def between_mm(rooted_cm: Sequence[float]) -> float:
    """What a node's water differs by from a neighbour's in the same soil [mm], sensor by sensor.

    Parameters
    ----------
    rooted_cm : sequence of float
        Thickness that roots reach of the layer each sensor stands for [cm]. What all are off by alike, as by one
        calibration for all, is no difference between nodes and does not count.

    Examples
    --------
    >>> round(between_mm([20.0, 20.0]), 2)
    2.83
    """
    thick = 10 * np.asarray(rooted_cm, dtype=float)
    return BETWEEN_THETA * float(np.sqrt((thick**2).sum()))


def node_error(what: What, rooted_cm: Sequence[float], taw_mm: float, wetted_fraction: float) -> float:
    """Standard error of a node against its neighbours, in the unit of what is mapped.

    Parameters
    ----------
    what : str
    rooted_cm : sequence of float
        As in :func:`between_mm`.
    taw_mm : float
        Available water of its roots [mm].
    wetted_fraction : float
        Share of the block's ground that is wetted [-]: a depletion is told over the block.
    """
    if what == "depletion":
        return max(LEAST[what], wetted_fraction * between_mm(rooted_cm))
    if what == "available":
        return max(LEAST[what], between_mm(rooted_cm) / max(taw_mm, 1e-9))
    return LEAST[what]
