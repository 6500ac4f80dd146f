"""Tensiometers: from the gauge above ground to the cup below."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

KPA_PER_CM: Final = 0.0981  # kPa a centimetre of water column
Floats = NDArray[np.float64]


def cup_tension_kpa(gauge_kpa: Floats, gauge_above_cup_cm: float) -> Floats:
    """Tension at the cup of a tensiometer, below what its gauge shows by the weight of the water column.

    Parameters
    ----------
    gauge_kpa : array, shape (n,)
        What the gauge shows [kPa], positive when dry.
    gauge_above_cup_cm : float
        Height of the gauge above the middle of the cup [cm].

    Returns
    -------
    array, shape (n,)
        Tension [kPa], 0 at least.

    References
    ----------
    .. [1] Hydrostatics: 0.0981 kPa per cm of water.

    Examples
    --------
    >>> cup_tension_kpa(np.array([30.0]), 60).round(2).tolist()
    [24.11]
    """
    return np.maximum(0.0, np.asarray(gauge_kpa, dtype=float) - KPA_PER_CM * gauge_above_cup_cm)
