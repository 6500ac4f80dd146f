"""The day's list: order of the blocks and the day in one sentence."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.decision import Group

GROUP_ORDER: tuple[Group, ...] = ("act", "coming", "leave", "none")
_NUMBERS = ("No", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven", "Twelve")


def urgency(analysis: BlockAnalysis) -> tuple[int, float, float, str]:
    """Sort key, most urgent first: group, days to refill, water left above refill [mm], name."""
    days = analysis.advice.days.mid if analysis.advice.days else math.inf
    state = analysis.state
    left = state.marks.allowable_mm - state.depletion_mm if state else math.inf
    return GROUP_ORDER.index(analysis.advice.group), days, left, analysis.block.name


def _count(number: int) -> str:
    return _NUMBERS[number] if number < len(_NUMBERS) else str(number)


@dataclass(frozen=True)
class VisitReason:
    """Why a station or one of its sensors wants to be seen: 0 silent or overdue, 1 crossed, 2 faulty, 3 doubted
    or low in battery.

    ``by_hand`` when what it wants is a round by hand.
    """

    station: str
    sensor: str
    why: str
    severity: int
    group: str
    by_hand: bool = False


def visit_reasons(analyses: Sequence[BlockAnalysis]) -> list[VisitReason]:
    """Stations that fell silent and sensors whose latest reading is not used, from the analyses of blocks (no unit)."""
    found = []
    for analysis in analyses:
        for one in analysis.stations:
            station = f"{analysis.block.key}/{one.station.key}"
            pairs = list(zip(one.station.sensors, one.readings, strict=True))
            if pairs and all(reading.kind == "silent" for _, reading in pairs):
                found.append(VisitReason(station, "", pairs[0][1].why_missing, 0, analysis.advice.group))
                continue
            overdue = next((reading for _, reading in pairs if reading.kind == "overdue"), None)
            if overdue is not None:
                found.append(VisitReason(station, "", overdue.why_missing, 0, analysis.advice.group, by_hand=True))
            found += [
                VisitReason(station, s.key, f"{s.depth_cm:g} cm: {reading.why_missing}", 2, analysis.advice.group)
                for s, reading in pairs
                if reading.kind in ("silent", "faulty")
            ]
            found += [
                VisitReason(station, s.key, f"{s.depth_cm:g} cm: {doubt}", 3, analysis.advice.group)
                for s, reading in pairs
                for doubt in reading.doubts
            ]
    return found


def visit_order(reasons: Sequence[VisitReason]) -> list[VisitReason]:
    """Reasons in the order to walk them: blocks without advice and those to act on first, then by severity (no unit).

    A block without advice comes first because nothing is known of it until someone goes there.
    """
    groups = ("none", *GROUP_ORDER)
    return sorted(reasons, key=lambda r: (groups.index(r.group), r.severity, r.station, r.sensor))


def day_sentence(groups: Sequence[Group], cautioned: int, to_see: int = 0) -> str:
    """The day in words, from the group of every block and how many blocks carry a caution (counts, no unit).

    ``to_see`` is how many sensors or stations want to be seen.

    Examples
    --------
    >>> day_sentence(["act", "leave", "none"], 1)
    'One block needs water today. Leave one. One without advice. Check one before you trust it.'
    """
    if not groups:
        return "No blocks yet."
    act, leave, none = (sum(g == name for g in groups) for name in ("act", "leave", "none"))
    parts = [f"{_count(act)} block{' needs' if act == 1 else 's need'} water today."]
    if leave:
        parts.append(f"Leave {_count(leave).lower()}.")
    if none:
        parts.append(f"{_count(none)} without advice.")
    if to_see:
        parts.append(f"Go and see {_count(to_see).lower()}.")
    elif cautioned:
        parts.append(f"Check {_count(cautioned).lower()} before you trust {'it' if cautioned == 1 else 'them'}.")
    return " ".join(parts)
