"""Stems that grow with the water they find: an invented crop whose half-peak is known."""

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
FULL_GROWTH_SHARE, NO_GROWTH_SHARE = 0.18, 0.58
"""Share of available water used up to which the crop grows at its peak, and at which it stops (invented)."""
AIRED_AFTER_H = 96.0  # hours after saturation until roots have air again (ours)
LEAST_AIR = 0.1  # share of growth [-] left in saturated soil (ours)


def growth_mm_h(used_share: Array, wetted: NDArray[np.bool_], peak_mm_d: float) -> Array:
    """Growth of each hour [mm/h], shape (n,): by the share of available water used, held back after each wetting.

    Parameters
    ----------
    used_share : array, shape (n,)
        Share of available water used [-], hour by hour.
    wetted : array of bool, shape (n,)
        Hours in which water came in; growth comes back over four days after it.
    peak_mm_d : float
        Growth with air and water enough [mm/day].
    """
    since, hours = np.full(len(used_share), np.inf), np.inf
    for index in range(len(used_share)):
        hours = 0.0 if wetted[index] else hours + 1
        since[index] = hours
    aired = np.clip(since / AIRED_AFTER_H, LEAST_AIR, 1.0)
    stress = np.clip((NO_GROWTH_SHARE - used_share) / (NO_GROWTH_SHARE - FULL_GROWTH_SHARE), 0, 1)
    return np.asarray(peak_mm_d / 24 * aired * stress)


def half_growth_share() -> float:
    """Share of available water used at which growth is half its peak [-]."""
    return (FULL_GROWTH_SHARE + NO_GROWTH_SHARE) / 2
