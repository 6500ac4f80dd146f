"""What a system can give a day against what the days ahead will ask."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.moving_systems import furrow_sets
from embalse.core.practice import practice
from embalse.core.wording import Notice

DAY_H: Final = 24.0  # hours
LEAST_SHORTFALL_MM_D: Final = practice("least_shortfall_mm_d")


@dataclass(frozen=True)
class Capacity:
    """What the system can put into the root zone a day [mm net over the block], and how that is worked out."""

    net_mm_d: float
    how: Notice


@dataclass(frozen=True)
class CapacityShortfall:
    """A spell in which use beats capacity: days from today.

    ``first_day`` to ``last_day`` use exceeds capacity, by ``shortfall_mm_d`` on the mean; water must start on
    ``start_day`` at the latest to bridge it (None when even starting today does not), and started today the crop is
    short from ``stress_day`` on (None when it is not), by ``short_mm`` at the worst.
    """

    first_day: int
    last_day: int
    shortfall_mm_d: float
    start_day: int | None
    stress_day: int | None
    short_mm: float


def net_capacity(
    system: IrrigationSystem, area_ha: float, supply: Supply | None, intake_mm_h: float | None = None
) -> Capacity:
    """What a system gives over a block in a day [mm net], held to its supply's flow and hours.

    Parameters
    ----------
    system : IrrigationSystem
        Rate over what it waters at once [mm/h], efficiency [-].
    area_ha : float
        Area of the block [ha].
    supply : Supply or None
        Flow limit [m³/h] and hours a day [h]; a day of 24 hours without.
    intake_mm_h : float or None
        What the soil takes over the block where water comes from above [mm/h], pauses included; None for no limit.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: Q t = A d.
    """
    hours = DAY_H if supply is None or supply.hours_per_day is None else supply.hours_per_day
    parts = furrow_sets(system.furrows, area_ha) if system.furrows is not None else 1
    gross = system.rate_mm_h * hours / parts
    how: dict[str, float | None] = {"rate_mm_h": system.rate_mm_h, "run_h": hours, "sets": parts if parts > 1 else None}
    code = "capacity_how.rate"
    if intake_mm_h is not None and intake_mm_h < system.rate_mm_h:
        gross, code = intake_mm_h * hours, "capacity_how.intake"
        how = {"intake_mm_h": intake_mm_h, "run_h": hours}
    if supply is not None and supply.flow_m3_h is not None:
        by_flow = supply.flow_m3_h * hours / (10 * area_ha)
        if by_flow < gross:
            gross, code = by_flow, "capacity_how.flow"
            how = {"flow_m3_h": supply.flow_m3_h, "run_h": hours, "area_ha": area_ha}
    return Capacity(gross * system.efficiency_fraction, Notice(code, **how, efficiency=system.efficiency_fraction))


def capacity_shortfall(
    use_mm_d: Sequence[float], capacity_mm_d: float, depletion_mm: float, allowed_mm: float
) -> CapacityShortfall | None:
    """Whether the days ahead ask more than a system can give, and when it must start to bridge them.

    Parameters
    ----------
    use_mm_d : sequence of float, shape (days,)
        Expected use less rain of each day from today [mm net over the block].
    capacity_mm_d : float
        What the system can give a day [mm net].
    depletion_mm, allowed_mm : float
        Depletion now and the depletion at which the crop begins to be short [mm net over the block].

    Returns
    -------
    CapacityShortfall or None
        None when no day asks more than the system can give.

    Examples
    --------
    >>> capacity_shortfall([6.0, 9.0, 9.0, 6.0], 7.0, 10.0, 20.0)
    CapacityShortfall(first_day=1, last_day=2, shortfall_mm_d=2.0, start_day=1, stress_day=None, short_mm=0.0)
    """
    short = [day for day, use in enumerate(use_mm_d) if use > capacity_mm_d + LEAST_SHORTFALL_MM_D]
    if not short:
        return None
    last = short[0]
    while last + 1 in short:
        last += 1
    spell = use_mm_d[short[0] : last + 1]
    starts = [_worst(use_mm_d, capacity_mm_d, depletion_mm, start) for start in range(len(use_mm_d))]
    bridging = [start for start, (worst, _) in enumerate(starts) if worst <= allowed_mm + 1e-9]
    stress = next((day for day, value in enumerate(starts[0][1]) if value > allowed_mm + 1e-9), None)
    return CapacityShortfall(
        short[0],
        last,
        sum(spell) / len(spell) - capacity_mm_d,
        max(bridging) if bridging else None,
        stress,
        max(0.0, starts[0][0] - allowed_mm),
    )


def _worst(
    use_mm_d: Sequence[float], capacity_mm_d: float, depletion_mm: float, start: int
) -> tuple[float, list[float]]:
    now, path = depletion_mm, []
    for day, use in enumerate(use_mm_d):
        now = max(0.0, now + use - (capacity_mm_d if day >= start else 0.0))
        path.append(now)
    return max(path, default=-math.inf), path
