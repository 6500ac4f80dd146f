"""A sensor held against weighed samples and a reference probe: bias and scatter, by soil."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice

Floats = NDArray[np.float64]
FEWEST: Final = 3  # readings in common
GOOD_RMSE_THETA: Final = 0.02
"""Field accuracy of a good calibration: 1 to 2 % water content (common practice, no source)."""


@dataclass(frozen=True)
class Agreement:
    """How a sensor agrees with what it is held against: bias and RMSE [m³/m³], and RMSE once the bias is taken out."""

    soil: str
    against: str
    count: int
    bias_theta: float
    rmse_theta: float
    unbiased_rmse_theta: float
    words: Notice


def agreements(theta: Floats, against: Floats, soils: Sequence[str], name: str) -> list[Agreement]:
    """Bias and error of water contents against others, of all and of each soil with three pairs or more.

    Parameters
    ----------
    theta, against : array, shape (n,)
        The sensor's water contents and those it is held against [m³/m³]; pairs with a NaN are left out.
    soils : sequence of str, shape (n,)
        Soil of each.
    name : str
        What it is held against, in words.
    """
    kept = np.isfinite(theta) & np.isfinite(against)
    labels = np.array(soils)
    groups = ["", *dict.fromkeys(s for s in soils if s)]
    found = []
    for soil in groups if len(groups) > 2 else groups[:1]:
        mine = kept & ((labels == soil) if soil else True)
        if mine.sum() >= FEWEST:
            found.append(_agreement(soil, name, theta[mine] - against[mine]))
    return found


def _agreement(soil: str, name: str, off: Floats) -> Agreement:
    bias, rmse = float(off.mean()), float(np.sqrt(np.mean(off**2)))
    unbiased = float(np.sqrt(np.mean((off - bias) ** 2)))
    if rmse <= GOOD_RMSE_THETA:
        words = Notice("agreement.good")
    elif unbiased <= GOOD_RMSE_THETA:
        words = Notice("agreement.shift")
    else:
        words = Notice("agreement.scattered")
    return Agreement(soil, name, len(off), bias, rmse, unbiased, words)
