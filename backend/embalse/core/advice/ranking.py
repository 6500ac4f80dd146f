"""The day's list: order of the blocks and the day in one sentence."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.decision import Group
from embalse.core.wording import Notice, Text

GROUP_ORDER: tuple[Group, ...] = ("act", "coming", "leave", "none")


def urgency(analysis: BlockAnalysis) -> tuple[int, float, float, str]:
    """Sort key, most urgent first: group, days to refill, water left above refill [mm], name."""
    days = analysis.advice.days.mid if analysis.advice.days else math.inf
    state = analysis.state
    left = state.marks.allowable_mm - state.depletion_mm if state else math.inf
    return GROUP_ORDER.index(analysis.advice.group), days, left, analysis.block.name


@dataclass(frozen=True)
class VisitReason:
    """Why a station or one of its sensors wants to be seen: 0 silent or overdue, 1 crossed, 2 faulty, 3 doubted
    or low in battery.

    ``by_hand`` when what it wants is a round by hand.
    """

    station: str
    sensor: str
    why: Text
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
                VisitReason(
                    station,
                    s.key,
                    Notice("visit.depth", depth_cm=s.depth_cm, why=reading.why_missing),
                    2,
                    analysis.advice.group,
                )
                for s, reading in pairs
                if reading.kind in ("silent", "faulty")
            ]
            found += [
                VisitReason(
                    station, s.key, Notice("visit.depth", depth_cm=s.depth_cm, why=doubt), 3, analysis.advice.group
                )
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


def day_notices(blocks: Sequence[tuple[str, Group]], cautioned: int, to_see: int = 0) -> list[Notice]:
    """The day at a glance, what to do first at the head (counts, no unit).

    Parameters
    ----------
    blocks : sequence of (str, Group)
        Name and group of every block, in the order of the Round.
    cautioned : int
        How many blocks carry a caution.
    to_see : int
        How many sensors or stations want to be seen.

    Examples
    --------
    >>> [n.code for n in day_notices([("Mesa", "act"), ("Vega", "leave"), ("Olivar", "none")], 1)]
    ['day.water_one', 'day.no_advice', 'day.check']
    """
    if not blocks:
        return [Notice("day.no_blocks")]
    act = [name for name, group in blocks if group == "act"]
    none = sum(group == "none" for _, group in blocks)
    found = [_water_first(act)]
    if none:
        found.append(Notice("day.no_advice", count=none))
    if to_see:
        found.append(Notice("day.visit", count=to_see))
    elif cautioned:
        found.append(Notice("day.check", count=cautioned))
    return found


def _water_first(act: Sequence[str]) -> Notice:
    if not act:
        return Notice("day.none_due")
    if len(act) == 1:
        return Notice("day.water_one", first=act[0])
    return Notice("day.water_some", count=len(act), first=act[0])
