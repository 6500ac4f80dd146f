"""How much of a rain counts."""

import numpy as np
from numpy.typing import NDArray

LOST_SHARE = 0.2
"""A rain below this share of the day's ETo is lost again at once (FAO-56 ch. 8)."""


def effective_rain_mm(rain_mm: NDArray[np.float64], eto_mm: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rain that enters the balance of a day [mm], any one shape: none below a fifth of the day's ETo, else all of it.

    What the root zone has no room for drains and is booked there, not here.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, ch. 8: P below 0.2 ETo is left out.

    Examples
    --------
    >>> effective_rain_mm(np.array([0.8, 9.0]), np.array([5.0, 5.0])).tolist()
    [0.0, 9.0]
    """
    return np.where(rain_mm < LOST_SHARE * eto_mm, 0.0, rain_mm)
