"""Which rain counts as water that comes into the soil, and when it may have fallen: one rule for every use."""

from collections.abc import Iterable
from typing import Final

from embalse.core.practice import practice

FROM_H: Final = 12  # farm-local hour, with TO_H:
TO_H: Final = 18
"""Of a day's depth the hour is not known: where one is needed it is taken to have fallen in the afternoon."""


def wets_the_soil(depth_mm: float) -> bool:
    """Whether a day's rain [mm] counts as a wetting; less is taken up by the air before it goes in.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, chapter 8: rain under 0.2 of the day's reference
       ET can be left out of the balance. At the 10 mm/day of the hottest days that is 2 mm.

    Examples
    --------
    >>> wets_the_soil(2.0), wets_the_soil(1.9)
    (True, False)
    """
    return depth_mm >= practice("wetting_rain_mm")


def wetting_days(rain: Iterable[tuple[int, float]]) -> list[int]:
    """Day numbers whose rain [mm] counts as a wetting, in the order given."""
    return [day for day, depth_mm in rain if wets_the_soil(depth_mm)]


def mornings_touched(days: Iterable[int]) -> frozenset[int]:
    """Day numbers from dawn to dawn that rain of calendar days may have fallen in: before or after a day's dawn."""
    return frozenset(d for day in days for d in (day - 1, day))
