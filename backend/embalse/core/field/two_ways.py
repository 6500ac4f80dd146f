"""Two blocks of one farm watered in two ways: what one saved, and how sure that is."""

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.wording import Notice

METER_ERROR_SHARE: Final = 0.05  # of a season's water: a meter in fair order, or a nominal rate once checked (ours)
FEWEST_WEEKS: Final = 4  # weeks for a difference with its doubt (ours)
T_90: Final = 1.645  # normal quantile of a two-sided 90 %


@dataclass(frozen=True)
class Way:
    """A block's season week by week: water given, water below the roots [mm over the block], days past its trigger.

    ``losses_mm`` is None where it was not told; ``yield_t_ha`` as entered [t/ha].
    """

    name: str
    given_mm: Sequence[float]
    losses_mm: Sequence[float | None]
    dry_days: Sequence[float]
    yield_t_ha: float | None = None


@dataclass(frozen=True)
class Difference:
    """Habit less advice: a figure with its 90 % limits, whether it is told apart from nil, and its unit's name."""

    what: str
    mid: float
    low: float
    high: float
    told_apart: bool


@dataclass(frozen=True)
class TwoWays:
    """Two ways compared: the weeks that count, the differences, and what is said of them."""

    weeks: int
    differences: tuple[Difference, ...]
    words: tuple[Notice, ...]


def compare(habit: Way, advised: Way) -> TwoWays:
    """Differences week by week over the same weeks.

    Parameters
    ----------
    habit, advised : Way
        Of the same weeks, in order.

    Returns
    -------
    TwoWays
        Limits come from how much the weeks differ (carried over weeks that hang together) and for water from the
        meters as well. Two blocks are two soils: what lies between them is told with the difference, never left out.
    """
    weeks = min(len(habit.given_mm), len(advised.given_mm))
    if weeks < FEWEST_WEEKS:
        return TwoWays(weeks, (), (Notice("two_ways.few", weeks=weeks, wanted=FEWEST_WEEKS),))
    meters = METER_ERROR_SHARE * math.hypot(sum(habit.given_mm[:weeks]), sum(advised.given_mm[:weeks]))
    found = [_difference("water", habit.given_mm[:weeks], advised.given_mm[:weeks], meters)]
    pairs = [
        (a, b) for a, b in zip(habit.losses_mm, advised.losses_mm, strict=False) if a is not None and b is not None
    ]
    if len(pairs) >= FEWEST_WEEKS:
        found.append(_difference("losses", [a for a, _ in pairs], [b for _, b in pairs], 0.0))
    found.append(_difference("dry days", habit.dry_days[:weeks], advised.dry_days[:weeks], 0.0))
    words = [_said(habit, advised, found[0])]
    if habit.yield_t_ha is not None and advised.yield_t_ha is not None:
        words.append(
            Notice(
                "two_ways.yield",
                habit=habit.name,
                habit_t=habit.yield_t_ha,
                advised=advised.name,
                advised_t=advised.yield_t_ha,
            )
        )
    words.append(Notice("two_ways.two_soils"))
    return TwoWays(weeks, tuple(found), tuple(words))


def _difference(what: str, habit: Sequence[float], advised: Sequence[float], extra: float) -> Difference:
    steps = [a - b for a, b in zip(habit, advised, strict=True)]
    total = sum(steps)
    error = math.hypot(statistics.stdev(steps) * math.sqrt(len(steps)), extra)
    span = T_90 * error
    return Difference(what, total, total - span, total + span, abs(total) > span)


def _said(habit: Way, advised: Way, water: Difference) -> Notice:
    values = {
        "habit": habit.name,
        "advised": advised.name,
        "off_mm": abs(water.mid),
        "low_mm": water.low,
        "high_mm": water.high,
    }
    if not water.told_apart:
        return Notice("two_ways.alike", **values)
    return Notice("two_ways.less" if water.mid > 0 else "two_ways.more", **values)
