"""Robust statistics, once each: scatter by medians, noise of a series, the Hampel identifier, Theil–Sen slopes."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require

Floats = NDArray[np.float64]
MAD_TO_SD: Final = 1.4826
"""A normal deviate's standard deviation over its median absolute deviation, 1 / Φ⁻¹(0.75) [-]."""
CONFIDENCE_Z: Final = 1.2815515655446004
"""Normal quantile of the 10 % and 90 % limits used for every low and high."""
FEWEST_FOR_NOISE: Final = 10  # values; fewer give no noise, and 0 is said


def sd_from_deviations(deviations: Floats, axis: int | None = None) -> Floats:
    """Standard deviation of deviations about nil by their median size, in their unit; NaN are passed over.

    References
    ----------
    .. [1] Hampel (1974), J. Am. Stat. Assoc. 69:383-393.

    Examples
    --------
    >>> float(sd_from_deviations(np.array([-1.0, 1.0, 2.0])).round(4))
    1.4826
    """
    return np.asarray(MAD_TO_SD * np.nanmedian(np.abs(deviations), axis=axis))


def bends(values: Floats) -> Floats:
    """Second differences of a series, shape (n − 2,), in its unit: wetting and drying stay out of them."""
    return np.asarray(values[:-2] - 2 * values[1:-1] + values[2:])


def noise_from_bends(found: Floats, axis: int | None = None) -> Floats:
    """Noise of a series from its second differences, in its unit: their variance is six times a reading's."""
    return np.asarray(sd_from_deviations(found, axis) / np.sqrt(6.0))


def noise_of_series(values: Floats) -> float:
    """Noise of an hourly series, in its unit; missing values are passed over, 0 with fewer than ten known.

    Examples
    --------
    >>> noise_of_series(np.zeros(50))
    0.0
    """
    known = values[np.isfinite(values)]
    return float(noise_from_bends(bends(known))) if len(known) >= FEWEST_FOR_NOISE else 0.0


def middle(values: Floats) -> float:
    """Median of a few values, in their unit; missing ones are passed over, NaN where none is known.

    Examples
    --------
    >>> middle(np.array([3.0, math.nan, 1.0])), middle(np.array([4.0]))
    (2.0, 4.0)
    """
    known = sorted(v for v in values.tolist() if not math.isnan(v))  # a few are sorted sooner than an array is set up
    half = len(known) // 2
    if not known:
        return math.nan
    return float(known[half] if len(known) % 2 else (known[half - 1] + known[half]) / 2)


def hampel(windows: Floats) -> tuple[Floats, Floats]:
    """Median and robust standard deviation of each window (rows), in the values' unit; NaN are passed over.

    References
    ----------
    .. [1] Hampel (1974), J. Am. Stat. Assoc. 69:383-393; Davies & Gather (1993), ibid. 88:782-792.
    """
    median = np.nanmedian(windows, axis=1)
    return median, sd_from_deviations(windows - median[:, None], axis=1)


@dataclass(frozen=True)
class Slope:
    """Theil–Sen slope with its 10 and 90 % limits, in the values' unit per day."""

    mid: float
    low: float
    high: float


def pairwise_slopes(x: Floats, y: Floats) -> Floats:
    """Slopes of all pairs of points [y's unit per x's], shape (n (n − 1) / 2,)."""
    first, second = np.triu_indices(len(x), k=1)
    return np.asarray((y[second] - y[first]) / (x[second] - x[first]))


def sen_variance(points: int) -> float:
    """Variance of Kendall's statistic of a number of points without ties (Sen 1968) [-]."""
    return points * (points - 1) * (2 * points + 5) / 18.0


def slope_with_limits(slopes: Floats, variance: float) -> Slope:
    """Median of sorted pairwise slopes with Sen's limits of an 80 % interval, by the variance of Kendall's statistic.

    References
    ----------
    .. [1] Sen (1968), J. Am. Stat. Assoc. 63:1379-1389.
    """
    pairs = len(slopes)
    half_width = CONFIDENCE_Z * math.sqrt(variance)
    upper = min(round((pairs + half_width) / 2.0), pairs - 1)
    lower = max(round((pairs - half_width) / 2.0) - 1, 0)
    middle = (float(slopes[(pairs - 1) // 2]) + float(slopes[pairs // 2])) / 2
    return Slope(middle, float(slopes[lower]), float(slopes[upper]))


def pooled_slope(x: Sequence[float], y: Sequence[float], spells: Sequence[Sequence[int]]) -> Slope:
    """Theil–Sen slope of ``y`` on ``x`` from the pairs within each spell, with Sen's confidence limits.

    Parameters
    ----------
    x : sequence of float, shape (n,)
        Strictly increasing within a spell [day].
    y : sequence of float, shape (n,)
        Values; the slope is in their unit per day.
    spells : sequence of sequence of int
        Places in ``x`` of each spell; pairs across spells do not count.

    Returns
    -------
    Slope
        Median and the limits of an 80 % interval, the variances of the spells added up.

    Raises
    ------
    CoreError
        If no spell has two points.

    References
    ----------
    .. [1] Sen (1968), J. Am. Stat. Assoc. 63:1379-1389; Theil (1950).

    Examples
    --------
    >>> pooled_slope([0, 1, 2, 3], [9.0, 7, 5, 3], [[0, 1, 2, 3]]).mid
    -2.0
    """
    require(any(len(s) >= 2 for s in spells), "dawns", "a slope needs at least two points")
    slopes = [pairwise_slopes(np.array([x[i] for i in s]), np.array([y[i] for i in s])) for s in spells]
    return slope_with_limits(np.sort(np.concatenate(slopes)), sum(sen_variance(len(s)) for s in spells))
