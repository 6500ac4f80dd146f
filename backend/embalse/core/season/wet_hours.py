"""Hours in which the upper soil was near saturation, and roots short of air."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

UPPER_CM: Final = 30.0  # how deep the upper soil goes, where most roots breathe (ours)
AIR_SHARE: Final = 0.10  # of the soil's volume: less air than this and roots suffer (common practice, no source)


@dataclass(frozen=True)
class WetHours:
    """Hours near saturation, of those read, at a depth [cm]."""

    wet_h: int
    read_h: int
    depth_cm: float


def wet_hours(theta: NDArray[np.float64], full: float, saturation: float, depth_cm: float) -> WetHours:
    """Count the hours above full in which less than a tenth of the soil was air.

    A clay holds so little air when it is just full; that alone is not counted.

    Parameters
    ----------
    theta : array, shape (n,)
        Hourly water contents of a sensor [m³/m³], NaN where not read.
    full, saturation : float
        Water contents of its layer at the full point and at saturation [m³/m³].
    depth_cm : float
        Of the sensor.

    Examples
    --------
    >>> wet_hours(np.array([0.30, 0.39, 0.40, np.nan]), 0.33, 0.48, 10.0)
    WetHours(wet_h=2, read_h=3, depth_cm=10.0)
    """
    read = np.isfinite(theta)
    wet = (saturation - theta[read] < AIR_SHARE) & (theta[read] > full)
    return WetHours(int(wet.sum()), int(read.sum()), depth_cm)
