"""Daily weather of an invented dry valley."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

# mm/day, invented for the demonstration
ETO_BY_MONTH_MM_D = (1.2, 1.9, 3.0, 4.0, 5.2, 6.6, 7.4, 6.5, 4.6, 2.8, 1.6, 1.1)
# share of days with rain [-], invented for the demonstration
WET_DAY_SHARE_BY_MONTH = (0.20, 0.18, 0.17, 0.18, 0.13, 0.06, 0.02, 0.03, 0.09, 0.15, 0.18, 0.20)
MEAN_RAIN_MM = 6.0  # mm on a wet day, invented for the demonstration


@dataclass(frozen=True)
class Weather:
    """Reference evapotranspiration and rain [mm/day], both shape (days,)."""

    eto_mm_d: NDArray[np.float64]
    rain_mm: NDArray[np.float64]


def weather(months: NDArray[np.int64], seed: int) -> Weather:
    """Weather for days whose months (1 to 12) are given; the same seed gives the same weather.

    ETo [mm/day] swings about its monthly mean with a memory from day to day; rain [mm] falls on random days and
    takes a third off that day's ETo. The climate is invented.
    """
    random = np.random.default_rng(seed)
    index = months - 1
    swing = np.zeros(len(months))
    for day in range(1, len(months)):
        swing[day] = 0.7 * swing[day - 1] + random.normal(0, 0.10)
    wet = random.random(len(months)) < np.array(WET_DAY_SHARE_BY_MONTH)[index]
    rain = np.where(wet, np.round(random.exponential(MEAN_RAIN_MM, len(months)), 1), 0.0)
    eto = np.array(ETO_BY_MONTH_MM_D)[index] * np.clip(1 + swing, 0.5, 1.5) * np.where(rain > 1, 0.67, 1.0)
    return Weather(eto, rain)


def day_temperatures_c(eto_mm: float) -> tuple[float, float]:
    """Highest and lowest temperature [°C] of an invented day that asks for so much [mm]: hot days are wide and warm."""
    mean, swing = 9.0 + 2.2 * eto_mm, 8.0 + 0.9 * eto_mm
    return round(mean + swing / 2, 1), round(mean - swing / 2, 1)
