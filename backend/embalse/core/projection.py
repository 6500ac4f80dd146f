"""Where the water will be if the present use goes on."""

from dataclasses import dataclass

from embalse.core.dry_down import DailyUse, DaysToRefill
from embalse.core.layers import Layer
from embalse.core.root_zone import BlockState

TICK_DAYS = 7
FAN_DAYS = 5


@dataclass(frozen=True)
class FanStep:
    """Storage a number of days ahead: 10 %, middle and 90 % of the use [mm]."""

    days: int
    low_mm: float
    mid_mm: float
    high_mm: float


def storage_ticks_mm(state: BlockState, use: DailyUse) -> list[float]:
    """Storage [mm] at each coming day at the present use [mm/day], until the refill point or seven days."""
    values = (state.storage_mm - day * use.mid_mm_d for day in range(1, TICK_DAYS + 1))
    return [value for value in values if value > state.marks.refill_mm]


def storage_fan(state: BlockState, use: DailyUse) -> list[FanStep]:
    """Storage [mm] over the coming five days, never below the wilting point; higher use gives the low side."""
    floor = state.marks.wilting_mm
    return [
        FanStep(day, *(max(floor, state.storage_mm - day * u) for u in (use.high_mm_d, use.mid_mm_d, use.low_mm_d)))
        for day in range(FAN_DAYS + 1)
    ]


def shown_days(days: DaysToRefill) -> float:
    """Days ahead that a picture of the future is drawn for: the refill day, at least 1, at most 7."""
    return min(7.0, max(1.0, days.mid))


def layer_water_mm(layer: Layer, theta: float, kept_share: float = 1.0) -> float:
    """Water above wilting point in a whole layer [mm] at a water content [m³/m³], times the share kept [-]."""
    return 10 * layer.thickness_cm * (theta - layer.theta_wilting) * kept_share


def share_kept(state: BlockState, use: DailyUse, days: float) -> float:
    """Share of the root zone's water above wilting point [-] left after some days of use, 0 to 1.

    The section shares the use out over the layers by the water they hold, for want of uptake by depth.
    """
    above_wilting = state.storage_mm - state.marks.wilting_mm
    return 0.0 if above_wilting <= 0 else max(0.0, 1 - days * use.mid_mm_d / above_wilting)
