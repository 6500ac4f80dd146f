"""When to irrigate, how much, and for how long."""

from dataclasses import dataclass
from typing import Literal

from embalse.core.delivery import IrrigationSystem, gross_mm, set_time_h
from embalse.core.dry_down import DailyUse, DaysToRefill, days_to_refill
from embalse.core.errors import CoreError, require
from embalse.core.moving_systems import pivot_depth_mm, pivot_timer_fraction
from embalse.core.root_zone import BlockState

Group = Literal["act", "coming", "leave", "none"]
ACT_WITHIN_DAYS = 1.0
COMING_WITHIN_DAYS = 7.0


@dataclass(frozen=True)
class SetLimits:
    """Share of the block's soil the system wets [-] and the smallest and largest practical set [mm net]."""

    wetted_fraction: float = 1.0
    min_set_mm: float | None = None
    max_set_mm: float | None = None


@dataclass(frozen=True)
class AdvisedSet:
    """A set: depletion it starts from in the wetted soil, net and gross over the block [mm], set time [h].

    ``uncut_net_mm`` is the net depth before the practical limits; ``limited_by`` names the limit that changed it: the
    smallest or largest practical set, or a pivot's fastest turn. ``timer_fraction`` is a pivot's setting [-].
    """

    start_depletion_mm: float
    uncut_net_mm: float
    net_mm: float
    gross_mm: float
    set_time_h: float | None
    limited_by: Literal["", "smallest", "largest", "turn"] = ""
    timer_fraction: float | None = None


@dataclass(frozen=True)
class Advice:
    """What to do with a block: group, days to refill, the set, and why; ``why_no_date`` when no date can be given."""

    group: Group
    days: DaysToRefill | None
    advised: AdvisedSet | None
    reason: str
    why_no_date: str = ""


def check_limits(limits: SetLimits) -> None:
    """Refuse a wetted fraction or set limits that make no sense (fraction [-], sets in mm).

    Raises
    ------
    CoreError
        Naming the field.
    """
    require(
        0 < limits.wetted_fraction <= 1,
        "wetted_fraction",
        f"must be above 0 and at most 1, is {limits.wetted_fraction:g}",
    )
    for name in ("min_set_mm", "max_set_mm"):
        value = getattr(limits, name)
        require(value is None or value > 0, name, "must be more than 0")
    if limits.min_set_mm is not None and limits.max_set_mm is not None:
        require(limits.min_set_mm <= limits.max_set_mm, "min_set_mm", "the smallest set is larger than the largest")


def advised_set(start_depletion_mm: float, limits: SetLimits, system: IrrigationSystem | None) -> AdvisedSet:
    """The set that brings the root zone back to full, within the practical limits.

    Parameters
    ----------
    start_depletion_mm : float
        Depletion in the wetted soil when the set starts [mm].
    limits : SetLimits
        Wetted fraction [-] and smallest and largest set [mm net over the block].
    system : IrrigationSystem or None
        Without a system the net depth is given, gross equals net and there is no set time.

    Returns
    -------
    AdvisedSet
        Depths over the whole block [mm] and set time [h].

    Raises
    ------
    CoreError
        If a limit, the efficiency or the rate is out of range.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: gross = net / efficiency.
    """
    check_limits(limits)
    uncut = max(0.0, start_depletion_mm) * limits.wetted_fraction
    net, limited = uncut, ""
    if limits.min_set_mm is not None and net < limits.min_set_mm:
        net, limited = limits.min_set_mm, "smallest"
    if limits.max_set_mm is not None and net > limits.max_set_mm:
        net, limited = limits.max_set_mm, "largest"
    timer = None
    if system is not None and system.pivot is not None:
        fastest = pivot_depth_mm(system.pivot) * system.efficiency_fraction
        if net < fastest:
            net, limited = fastest, "turn"
    gross = gross_mm(net, system.efficiency_fraction) if system else net
    hours = set_time_h(gross, system.rate_mm_h) if system else None
    if system is not None and system.pivot is not None:
        timer = pivot_timer_fraction(system.pivot, gross)
    return AdvisedSet(start_depletion_mm, uncut, net, gross, hours, limited, timer)  # type: ignore[arg-type]


def decide(state: BlockState, use: DailyUse | CoreError, limits: SetLimits, system: IrrigationSystem | None) -> Advice:
    """Advice for a block from its water, its use and its system.

    A block past its refill point, or due within a day, is for today; one due within seven days is coming; the rest is
    left alone. Today's set refills the present depletion; a coming one refills the allowable depletion. The limits of
    one and seven days are this product's own choice. Above the full point with no use to go by, it is left alone
    without a date.

    Parameters
    ----------
    state : BlockState
        Root zone of the block [mm].
    use : DailyUse or CoreError
        Use from dawn to dawn [mm/day], or why there is none.
    limits : SetLimits
    system : IrrigationSystem or None

    Returns
    -------
    Advice
        Group, days to refill (10, 50, 90 %), set and a reason in a sentence.
    """
    left = state.marks.allowable_mm - state.depletion_mm
    if left <= 0:
        advised = advised_set(state.depletion_mm, limits, system)
        return Advice("act", DaysToRefill(0.0, 0.0, 0.0), advised, _past(-left) + _left_over(advised))
    if isinstance(use, CoreError):
        if state.depletion_mm < 0:
            return Advice(
                "leave", None, None, f"{-state.depletion_mm:.0f} mm above full. No date: {use.reason}.", use.reason
            )
        return Advice("none", None, None, f"No date: {use.reason}.", use.reason)
    days = days_to_refill(left, state.error_mm, use)
    if days.mid <= ACT_WITHIN_DAYS:
        advised = advised_set(state.depletion_mm, limits, system)
        return Advice("act", days, advised, f"{left:.0f} mm left above refill, {use.mid_mm_d:.0f} mm going a day.")
    advised = advised_set(state.marks.allowable_mm, limits, system)
    group: Group = "coming" if days.mid < COMING_WITHIN_DAYS else "leave"
    return Advice(group, days, advised, _waiting(state, left, use))


def _past(over_mm: float) -> str:
    return "At the refill point." if over_mm < 0.5 else f"{over_mm:.0f} mm past the refill point."


def _left_over(advised: AdvisedSet) -> str:
    if advised.limited_by != "largest":
        return ""
    return f" The largest set leaves {advised.uncut_net_mm - advised.net_mm:.0f} mm net to bring."


def _waiting(state: BlockState, left_mm: float, use: DailyUse) -> str:
    if state.depletion_mm < -0.5:
        return f"{-state.depletion_mm:.0f} mm above full; {use.mid_mm_d:.0f} mm going a day."
    return f"{left_mm:.0f} mm left above refill, {use.mid_mm_d:.0f} mm going a day."
