"""The day's list: order of the blocks and the day in one sentence."""

import math
from collections.abc import Sequence

from embalse.core.analysis import BlockAnalysis
from embalse.core.decision import Group

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


def day_sentence(groups: Sequence[Group], cautioned: int) -> str:
    """The day in words, from the group of every block and how many blocks carry a caution (counts, no unit).

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
    if cautioned:
        parts.append(f"Check {_count(cautioned).lower()} before you trust {'it' if cautioned == 1 else 'them'}.")
    return " ".join(parts)
