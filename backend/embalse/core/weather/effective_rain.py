"""How much of a rain counts."""

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require

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


def monthly_effective_rain_mm(rain_mm: float, etc_mm: float, net_application_mm: float = 75.0) -> float:
    """Effective rain of a month by the USDA-SCS method [mm].

    Parameters
    ----------
    rain_mm, etc_mm : float
        Rain and crop use of the month [mm].
    net_application_mm : float
        Usual net depth of a set [mm].

    Raises
    ------
    CoreError
        If a depth is negative or the application nil.

    References
    ----------
    .. [1] USDA-SCS (1970), Technical Release 21; National Engineering Handbook Part 623, ch. 2.

    Examples
    --------
    >>> round(monthly_effective_rain_mm(76.2, 152.4, 76.2) / 25.4, 3)
    2.292
    """
    require(rain_mm >= 0 and etc_mm >= 0, "rain_mm", "must not be negative")
    require(net_application_mm > 0, "net_application_mm", "must be more than 0")
    if rain_mm == 0:
        return 0.0
    depth, rain, etc = net_application_mm / 25.4, rain_mm / 25.4, etc_mm / 25.4
    storage = 0.531747 + 0.295164 * depth - 0.057697 * depth**2 + 0.003804 * depth**3
    found = storage * (0.70917 * rain**0.82416 - 0.11556) * 10 ** (0.02426 * etc)
    return float(25.4 * max(0.0, min(found, rain, etc)))
