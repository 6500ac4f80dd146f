"""The temperature effect of a sensor, estimated from its own day and night ripple."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice

Floats = NDArray[np.float64]
FEWEST_DAYS: Final = 5  # dry days with both (ours)
LEAST_SWING_C: Final = 1.0  # °C of daily swing below which nothing can be told (ours)
SURE: Final = 3.0  # standard errors of the slope (ours)
DAY_H: Final = 24  # hours
LEAST_SHARE: Final = 0.25  # share of the ripple [-] temperature must explain (ours)


@dataclass(frozen=True)
class WarmthEffect:
    """Raw units a degree [°C] with its standard error, or None with the reason; how many days it is from."""

    per_degree: float | None
    error: float | None
    days: int
    words: Notice


def warmth_effect(raw: Floats, temperature_c: Floats, dry: NDArray[np.bool_]) -> WarmthEffect:
    """How a sensor's raw value follows its own temperature.

    What is slower than a day is taken out of both by a centred mean of 24 hours; days in which water came in are left
    out. Roots make a ripple of their own near the surface: estimate it below the roots, or on a bare plot.

    Parameters
    ----------
    raw, temperature_c : array, shape (n,)
        Hourly raw values and soil temperatures beside the sensor [°C]; NaN where missing.
    dry : array of bool, shape (n,)
        Hours without water coming in.

    References
    ----------
    .. [1] A linear term estimated from the daily ripple at depth: common practice, no source.
    """
    fast_raw, fast_warm = _faster_than_a_day(raw), _faster_than_a_day(temperature_c)
    kept = np.isfinite(fast_raw) & np.isfinite(fast_warm) & dry
    days = int(kept.sum()) // DAY_H
    if days < FEWEST_DAYS:
        return WarmthEffect(None, None, days, Notice("warmth.few_days", days=days, wanted=FEWEST_DAYS))
    x, y = fast_warm[kept], fast_raw[kept]
    swing = float(np.quantile(x, 0.95) - np.quantile(x, 0.05))
    if swing < LEAST_SWING_C:
        return WarmthEffect(
            None, None, days, Notice("warmth.little_swing", swing_step_c=swing, wanted_step_c=LEAST_SWING_C)
        )
    slope = float(x @ y / (x @ x))
    left = y - slope * x
    error = float(np.sqrt(left @ left / len(x) * DAY_H / (x @ x)))  # a day counts once: its hours go together
    explained = 1 - float(left @ left) / max(float(y @ y), 1e-300)
    if abs(slope) < SURE * error or explained < LEAST_SHARE:
        words = Notice("warmth.unsure", slope=slope, explained_fraction=explained)
        return WarmthEffect(None, None, days, words)
    return WarmthEffect(slope, error, days, Notice("warmth.found", slope=slope, error=error, days=days))


def _faster_than_a_day(values: Floats) -> Floats:
    """Values less their centred mean over 24 hours, NaN at the ends and where an hour is missing."""
    if len(values) < DAY_H + 1:
        return np.full(len(values), np.nan)
    kernel = np.ones(DAY_H + 1)
    kernel[[0, -1]] = 0.5
    mean = np.convolve(values, kernel / DAY_H, mode="valid")
    found = np.full(len(values), np.nan)
    half = DAY_H // 2
    found[half : len(values) - half] = values[half : len(values) - half] - mean
    return found
