"""A basin that catches rain as a supply: how much it holds after rain, draw and evaporation."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import DeliveryError, require

FIRST_FLUSH_MM: Final = 1.0
"""Rain of a day that wets the roof or yard and never runs [mm] (common practice, no source)."""
OPEN_WATER: Final = 1.05
"""Evaporation of shallow open water over reference ET [-] (FAO-56 Table 12, open water under 2 m; recalled)."""


@dataclass(frozen=True)
class Basin:
    """A basin: how much it holds, what it held at first [m³], ground that drains into it [m²], share that runs off [-].

    ``surface_m2`` is its open surface, nil where it is covered [m²].
    """

    holds_m3: float
    stored_m3: float
    catchment_m2: float
    runoff_share: float = 0.8
    surface_m2: float = 0.0


@dataclass(frozen=True)
class BasinDay:
    """A day of a basin: caught, drawn, evaporated, spilled and stored at its end, and what was asked in vain [m³]."""

    caught_m3: float
    drawn_m3: float
    evaporated_m3: float
    spilled_m3: float
    stored_m3: float
    short_m3: float


def basin_days(
    basin: Basin, rain_mm: Sequence[float], eto_mm: Sequence[float], asked_m3: Sequence[float]
) -> list[BasinDay]:
    """Day by day what a basin holds; the balance closes each day.

    Parameters
    ----------
    basin : Basin
    rain_mm, eto_mm : sequence of float
        Of each day [mm].
    asked_m3 : sequence of float
        Water asked for each day [m³]; all three of the same length.

    Raises
    ------
    DeliveryError
        If the basin holds nothing, holds more than it can, or a share lies outside 0 to 1.
    """
    require(basin.holds_m3 > 0, "holds_m3", "must be more than 0", DeliveryError)
    require(
        0 <= basin.stored_m3 <= basin.holds_m3, "stored_m3", "must lie between nothing and what it holds", DeliveryError
    )
    require(0 <= basin.runoff_share <= 1, "runoff_share", "must lie between 0 and 1", DeliveryError)
    stored, found = basin.stored_m3, []
    for rain, eto, asked in zip(rain_mm, eto_mm, asked_m3, strict=True):
        caught = basin.runoff_share * basin.catchment_m2 * max(0.0, rain - FIRST_FLUSH_MM) / 1000
        caught += basin.surface_m2 * rain / 1000
        stored += caught
        lost = min(stored, OPEN_WATER * eto * basin.surface_m2 / 1000)
        stored -= lost
        drawn = min(stored, max(0.0, asked))
        stored -= drawn
        spilled = max(0.0, stored - basin.holds_m3)
        stored -= spilled
        found.append(BasinDay(caught, drawn, lost, spilled, stored, max(0.0, asked) - drawn))
    return found
