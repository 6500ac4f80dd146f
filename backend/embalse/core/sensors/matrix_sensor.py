"""Granular matrix sensors: electrical resistance and soil temperature to soil water tension."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
USUAL_TEMPERATURE_C: Final = 24.0  # °C taken where the soil's is not measured (the equation's reference)
HIGHEST_KPA: Final = 239.0  # kPa, end of the scale
MIDDLE_KOHM: Final = (1.0, 8.0)  # kΩ between which the published equation holds [1]
WET_KOHM: Final = 0.55  # kΩ below which the sensor stands in free water
NO_CONTACT_KOHM: Final = 100.0  # kΩ above which a wire is cut or the sensor in air (common practice, no source)
TEMPERATURE_WITHIN_H: Final = 3.0
"""How far apart a reading and the soil temperature it is corrected by may be [h]; soil changes slowly at depth."""
KOHM_OF: Final = {"ohm": 0.001, "kohm": 1.0}  # kΩ in one of each unit


def tension_kpa(resistance_kohm: Floats, temperature_c: Floats) -> Floats:
    """Soil water tension of a granular matrix sensor, positive when dry.

    Parameters
    ----------
    resistance_kohm : array, shape (n,)
        Resistance [kΩ].
    temperature_c : array, shape (n,)
        Soil temperature at the sensor [°C]; NaN takes 24 °C, which the caller must say.

    Returns
    -------
    array, shape (n,)
        Tension [kPa], 0 to 239; NaN for a negative resistance, one above 100 kΩ (a cut wire or air), or a
        temperature outside −10 to 60 °C. The three ranges do not join without a step.

    References
    ----------
    .. [1] 1 to 8 kΩ: Shock, Barnum & Seddigh (1998), Proc. International Irrigation Show, pp. 139–146.
    .. [2] Below 1 and above 8 kΩ: companion ranges in wide circulation with it, not in the paper (from memory).

    Examples
    --------
    >>> tension_kpa(np.array([2.0, 5.0, 0.5]), np.array([24.0, 35.0, 24.0])).round(2).tolist()
    [15.22, 38.06, 0.0]
    """
    r = np.asarray(resistance_kohm, dtype=float)
    t = np.where(np.isnan(temperature_c), USUAL_TEMPERATURE_C, temperature_c)
    possible = (r >= 0) & (r <= NO_CONTACT_KOHM) & (t >= -10) & (t <= 60)
    warm = 1 + 0.018 * (t - USUAL_TEMPERATURE_C)
    wet = np.maximum(0.0, 20.0 * (r * warm - WET_KOHM))
    with np.errstate(divide="ignore", invalid="ignore"):
        middle = (4.093 + 3.213 * r) / (1 - 0.009733 * r - 0.01205 * t)
    dry = 2.246 + 5.239 * r * warm + 0.06756 * (r * warm) ** 2
    found = np.select([r < WET_KOHM, r < MIDDLE_KOHM[0], r <= MIDDLE_KOHM[1]], [np.zeros_like(r), wet, middle], dry)
    return np.where(possible, np.minimum(found, HIGHEST_KPA), np.nan)


def celsius(values: Floats, unit: str) -> Floats:
    """Temperatures [°C] of values in ``degC`` or ``degF``, shape of ``values``."""
    return (values - 32.0) / 1.8 if unit == "degF" else np.asarray(values, dtype=float)


def at_times(times: NDArray[np.int64], series: tuple[NDArray[np.int64], Floats], within_s: int = 3 * 3600) -> Floats:
    """Values of a series [its own unit] at other instants [s, UTC], the nearest within three hours; NaN where none."""
    ts, values = series
    if not len(ts):
        return np.full(len(times), np.nan)
    right = np.clip(np.searchsorted(ts, times), 0, len(ts) - 1)
    left = np.maximum(right - 1, 0)
    nearest = np.where(np.abs(ts[left] - times) <= np.abs(ts[right] - times), left, right)
    return np.where(np.abs(ts[nearest] - times) <= within_s, values[nearest], np.nan)
