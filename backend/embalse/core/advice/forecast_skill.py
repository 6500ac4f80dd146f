"""How good refill dates were, held against what came."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.wording import Notice

CALLED_AHEAD: Final = (4.0, 6.0)  # days ahead a date is judged at: five, give or take one (ours)
WITHIN_DAYS: Final = 1.0  # days a date may be off and still be called right (common practice, no source)
FEWEST_DRY_DAYS: Final = 3  # dry days before water from which a pace can be read (ours)
PART_GONE: Final = 0.6  # share of the way to the date [-] that must be gone to judge by the pace (ours)


@dataclass(frozen=True)
class Call:
    """A refill date as called on a morning: its day number, days ahead (10, 50, 90 %), trigger depletion [mm].

    ``straight_days`` is what the line through the dawn values said at the time.
    """

    day: int
    low_days: float
    mid_days: float
    high_days: float
    trigger_mm: float
    straight_days: float | None = None


@dataclass(frozen=True)
class Outcome:
    """A call and the days it really took; None when a set or rain overtook it early, or it has not come yet.

    ``why_not`` says so, or that it is judged by the pace until water came.
    """

    call: Call
    days: float | None
    why_not: Notice | None = None


@dataclass(frozen=True)
class Skill:
    """Calls four to six days ahead that could be judged: how many, within a day, inside, mean errors [days]."""

    judged: int
    within_a_day: int
    inside: int
    error_days: float | None
    straight_error_days: float | None
    outcomes: tuple[Outcome, ...]


def outcome(call: Call, dawn_depletion_mm: Mapping[int, float], wet_days: frozenset[int]) -> Outcome:
    """When the depletion at dawn passed the trigger of a call, by straight lines between dawns.

    Parameters
    ----------
    call : Call
    dawn_depletion_mm : mapping of day number to float
        As measured [mm].
    wet_days : frozenset of int
        Days from dawn to dawn on which water came in.

    Examples
    --------
    >>> outcome(Call(0, 1, 2, 3, 25.0), {0: 10.0, 1: 18.0, 2: 26.0}, frozenset()).days
    1.875
    """
    day = call.day
    while day in dawn_depletion_mm:
        now, then = dawn_depletion_mm[day], dawn_depletion_mm.get(day + 1)
        if day in wet_days:
            return _by_pace(call, dawn_depletion_mm, day)
        if then is None:
            return Outcome(call, None, Notice("skill.not_come"))
        if then >= call.trigger_mm:
            share = 0.0 if then <= now else max(0.0, (call.trigger_mm - now) / (then - now))
            return Outcome(call, day - call.day + share)
        day += 1
    return Outcome(call, None, Notice("skill.no_reading"))


def _by_pace(call: Call, dawn_depletion_mm: Mapping[int, float], day: int) -> Outcome:
    """A call that water overtook, judged by the pace until then where most of its way had been gone."""
    gone = day - call.day
    if gone < max(FEWEST_DRY_DAYS, PART_GONE * call.mid_days):
        return Outcome(call, None, Notice("skill.overtaken"))
    pace = (dawn_depletion_mm[day] - dawn_depletion_mm[call.day]) / gone
    if pace <= 0:
        return Outcome(call, None, Notice("skill.overtaken"))
    return Outcome(call, gone + (call.trigger_mm - dawn_depletion_mm[day]) / pace, Notice("skill.by_pace"))


def skill_notice(found: Skill, kept: int) -> Notice:
    """What is said of ``kept`` past dates: how many came within a day, or why none can be judged."""
    if not kept:
        return Notice("skill.none_kept")
    if not found.judged:
        return Notice("skill.none_judged")
    return Notice("skill.judged", judged=found.judged, within=found.within_a_day)


def skill(outcomes: Sequence[Outcome]) -> Skill:
    """What came of the calls four to six days ahead (units as in ``Skill``)."""
    judged = [o for o in outcomes if o.days is not None and CALLED_AHEAD[0] <= o.call.mid_days < CALLED_AHEAD[1]]
    misses = [abs(o.call.mid_days - o.days) for o in judged if o.days is not None]
    lines = [
        abs(o.call.straight_days - o.days) for o in judged if o.days is not None and o.call.straight_days is not None
    ]
    return Skill(
        judged=len(judged),
        within_a_day=sum(m <= WITHIN_DAYS for m in misses),
        inside=sum(o.days is not None and o.call.low_days <= o.days <= o.call.high_days for o in judged),
        error_days=sum(misses) / len(misses) if misses else None,
        straight_error_days=sum(lines) / len(lines) if lines else None,
        outcomes=tuple(outcomes),
    )
