"""What water costs: tariffs by clock, weekday and season, and the energy that lifts a cubic metre."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require

WATER_KG_M3: Final = 1000.0
GRAVITY_M_S2: Final = 9.80665
J_KWH: Final = 3.6e6
M_HEAD_BAR: Final = 1e5 / (WATER_KG_M3 * GRAVITY_M_S2)  # metres of water a bar stands for, 10.2
WEEKDAYS: Final = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
Per = Literal["m3", "kwh"]


@dataclass(frozen=True)
class Tariff:
    """A price in a window of the day: minutes of the day from and to (it may pass midnight), weekdays and season.

    ``weekdays`` holds 0 for Monday to 6, none for every day: a window past midnight belongs to the day it begins on.
    ``first`` and ``last`` are (month, day) of the season, the last one inside; none for the whole year.
    """

    start_min: int
    end_min: int
    price: float
    per: Per = "m3"
    weekdays: frozenset[int] = frozenset()
    first: tuple[int, int] | None = None
    last: tuple[int, int] | None = None
    name: str = ""

    def holds(
        self, minute: NDArray[np.int64], weekday: NDArray[np.int64], date: NDArray[np.int64]
    ) -> NDArray[np.bool_]:
        """Whether it holds, by minute of the day, weekday (0 Monday) and date (100 × month + day) of each moment."""
        passes = self.start_min >= self.end_min
        before = passes & (minute < self.end_min)
        inside = before | (minute >= self.start_min) if passes else (minute >= self.start_min) & (minute < self.end_min)
        day = np.where(before, (weekday - 1) % 7, weekday)
        if self.weekdays:
            inside = inside & np.isin(day, sorted(self.weekdays))
        if self.first is not None and self.last is not None:
            begin, end = (100 * m + d for m, d in (self.first, self.last))
            in_season = (date >= begin) & (date <= end) if begin <= end else (date >= begin) | (date <= end)
            inside = inside & in_season
        return np.asarray(inside)


def energy_kwh_m3(lift_m: float, pressure_bar: float, efficiency_fraction: float) -> float:
    """Energy that lifts a cubic metre and puts it under pressure [kWh/m³]: ρ·g·H/η.

    Parameters
    ----------
    lift_m : float
        From the water's level to the pump's outlet, with friction [m].
    pressure_bar : float
        At the outlet [bar].
    efficiency_fraction : float
        Of pump and motor together [-].

    Returns
    -------
    float
        [kWh/m³].

    Raises
    ------
    CoreError
        A lift or pressure below 0, or an efficiency outside 0 to 1.

    References
    ----------
    .. [1] P = ρ·g·Q·H/η, hydraulics; USDA-NRCS, NEH 652 chapter 12 has the same in other units.

    Examples
    --------
    >>> round(energy_kwh_m3(60.0, 3.0, 0.65), 3)
    0.38
    """
    require(lift_m >= 0, "lift_m", "must be 0 or more")
    require(pressure_bar >= 0, "pressure_bar", "must be 0 or more")
    require(0 < efficiency_fraction <= 1, "efficiency_fraction", "must be above 0 and at most 1")
    head_m = lift_m + pressure_bar * M_HEAD_BAR
    return WATER_KG_M3 * GRAVITY_M_S2 * head_m / efficiency_fraction / J_KWH


def overlapping(tariffs: Sequence[Tariff]) -> tuple[int, int] | None:
    """Places of two tariffs of one unit that hold at the same moment of some year; None where none do.

    What two share begins where one of them begins: a minute, or midnight, of a first day of a season.
    """
    minutes = np.array(sorted({0, *(t.start_min for t in tariffs)}))
    dates = np.array(sorted({101, *(100 * t.first[0] + t.first[1] for t in tariffs if t.first)}))
    grid = np.meshgrid(minutes, np.arange(7), dates, indexing="ij")
    minute, weekday, date = (g.ravel().astype(np.int64) for g in grid)
    held = [t.holds(minute, weekday, date) for t in tariffs]
    for one, other in combinations(range(len(tariffs)), 2):
        if tariffs[one].per == tariffs[other].per and bool(np.any(held[one] & held[other])):
            return one, other
    return None


def price_m3(
    tariffs: Sequence[Tariff], kwh_m3: float | None, at: tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]
) -> NDArray[np.float64]:
    """What a cubic metre costs by moment [currency/m³]: its own price, and its energy's.

    Where a price a kilowatt-hour is known but not the energy of a cubic metre, that part is not counted.
    """
    price = np.zeros(len(at[0]))
    for tariff in tariffs:
        factor = 1.0 if tariff.per == "m3" else kwh_m3 or 0.0
        price[tariff.holds(*at)] += tariff.price * factor
    return price
