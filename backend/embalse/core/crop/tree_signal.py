"""What trees say of their water: trunks that shrink by day and grow by night, and fruit, held against a plan."""

import math
import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from embalse.core.crop.growth import AGREE_SDS, FruitState, TrunkDay
from embalse.core.practice import practice
from embalse.core.robust import CONFIDENCE_Z, sd_from_deviations
from embalse.core.wording import Notice

SIGNAL_DAYS: Final = 3  # days a signal is the middle of: one hot or cloudy day moves nothing (ours)
FEWEST_REFERENCE_DAYS: Final = 5  # days with the root zone full that make a reference (ours)
LEAST_ETO_MM: Final = 1.5  # mm/day of reference ET below which trunks hardly shrink and say nothing (ours)
FRUIT_DAYS: Final = 14  # days a fruit sample speaks for: measured weekly or every other week (common practice)
USUAL_TREES: Final = 3  # trees of a group (common practice, no source)


Word = Literal["stressed", "ahead", "on plan", "apart", "not known"]


@dataclass(frozen=True)
class TreeDay:
    """A day of a group of trees: mean daily shrinkage and growth [mm], how many trees gave them."""

    day: int
    shrinkage_mm: float
    growth_mm: float | None
    trees: int


@dataclass(frozen=True)
class TreeSignal:
    """Shrinkage over what the same trees show with the root zone full, on the same weather [-], with its limits.

    ``growth_mm_d`` is the trunks' growth over the same days [mm/day] with its standard error; None where not known.
    """

    intensity: float
    low: float
    high: float
    trees: int
    last_day: int
    growth_mm_d: float | None
    growth_error_mm_d: float | None


@dataclass(frozen=True)
class TreeEvidence:
    """What trees and fruit say now: the signal or why there is none, and the last fruit sample, None without one."""

    signal: TreeSignal | Notice
    fruit: FruitState | None = None


@dataclass(frozen=True)
class TreePlan:
    """How far trees may be stressed: shrinkage over that of full trees [-], and the trunk growth planned [mm/day].

    ``intensity`` is None where trunks are not followed; ``fruit`` says whether the path of the fruit is.
    """

    intensity: float | None
    growth_mm_d: float | None = None
    fruit: bool = False


@dataclass(frozen=True)
class TreeVerdict:
    """Trees against their plan, and the words for it."""

    word: Word
    notice: Notice


def tree_days(trees: Sequence[Sequence[TrunkDay]]) -> list[TreeDay]:
    """Days of a group of trees from each tree's gauge; a day counts where more than half of the trees gave it [mm]."""
    by_day: dict[int, list[TrunkDay]] = {}
    for tree in trees:
        for one in tree:
            by_day.setdefault(one.day, []).append(one)
    found = []
    for day, seen in sorted(by_day.items()):
        if 2 * len(seen) <= len(trees):
            continue
        grown = [s.growth_mm for s in seen if s.growth_mm is not None]
        growth = statistics.fmean(grown) if 2 * len(grown) > len(trees) else None
        found.append(TreeDay(day, statistics.fmean(s.shrinkage_mm for s in seen), growth, len(seen)))
    return found


def tree_signal(
    days: Sequence[TreeDay], eto_mm: Mapping[int, float], full_days: frozenset[int], today: int
) -> TreeSignal | Notice:
    """How stressed trees are against themselves with the root zone full, on the same weather.

    Parameters
    ----------
    days : sequence of TreeDay
        In order.
    eto_mm : mapping of day number to reference ET [mm]
    full_days : frozenset of int
        Day numbers whose dawn found the root zone near full: the reference, but for the last six days.
    today : int
        Day number; it is not over and does not count.

    Returns
    -------
    TreeSignal or Notice
        The middle of the last three days of shrinkage ÷ (reference ratio × ETo); its limits (10 and 90 %) come from the
        scatter of the reference days, and from how much trees of a group differ. Or why there is none.

    References
    ----------
    .. [1] Goldhamer & Fereres (2001), Irrigation Science 20:115-125: maximum daily shrinkage over its reference.
    .. [2] Goldhamer & Fereres (2004), Irrigation Science 23:11-19: a plan for almond. Both recalled.
    """
    asked = {d: eto_mm[d] for d in (one.day for one in days) if eto_mm.get(d, 0.0) >= LEAST_ETO_MM}
    ratio = {one.day: one.shrinkage_mm / asked[one.day] for one in days if one.day in asked}
    reference = [ratio[d] for d in sorted(ratio) if d in full_days and d < today - 2 * SIGNAL_DAYS]
    if len(reference) < FEWEST_REFERENCE_DAYS:
        return Notice("trees.no_reference", days=len(reference), wanted=FEWEST_REFERENCE_DAYS)
    recent = [one for one in days if one.day in ratio and today - 2 * SIGNAL_DAYS <= one.day < today][-SIGNAL_DAYS:]
    if len(recent) < SIGNAL_DAYS:
        return Notice("trees.few_days", days=len(recent), wanted=SIGNAL_DAYS)
    usual = statistics.median(reference)
    if usual <= 0:
        return Notice("trees.no_shrinkage")
    intensity = statistics.median(ratio[one.day] for one in recent) / usual
    scatter = float(sd_from_deviations(np.array(reference) - usual)) / usual
    trees = min(one.trees for one in recent)
    between = practice("trees_apart_share") / math.sqrt(trees)
    share = math.hypot(scatter * math.hypot(SIGNAL_DAYS**-0.5, len(reference) ** -0.5), between)
    grown = [one.growth_mm for one in recent if one.growth_mm is not None]
    growth = statistics.fmean(grown) if len(grown) == SIGNAL_DAYS else None
    error = None if growth is None else statistics.stdev(grown) / math.sqrt(len(grown))
    span = CONFIDENCE_Z * share * intensity
    return TreeSignal(intensity, max(0.0, intensity - span), intensity + span, trees, recent[-1].day, growth, error)


def against_plan(evidence: TreeEvidence, plan: TreePlan | None, today: int) -> TreeVerdict | None:
    """Trees and fruit held against the plan; None where nobody asked to follow them.

    Stressed: trunks shrink more than planned beyond their error, or fruit lags its path. Ahead: trunks shrink less than
    planned beyond their error and grow as planned or more, or fruit is ahead of its path. One of each is "apart".
    ``today`` is a day number; a fruit sample speaks for 14 days.
    """
    if plan is None:
        return None
    fresh = evidence.fruit is not None and today - evidence.fruit.day <= FRUIT_DAYS
    by_fruit, fruit_notice = _fruit_word(evidence.fruit if fresh and plan.fruit else None)
    if plan.intensity is None:
        return None if fruit_notice is None else TreeVerdict(by_fruit, fruit_notice)
    by_trunk, trunk_notice = _trunk(evidence.signal, plan)
    if by_trunk == "not known" and fruit_notice is not None:
        return TreeVerdict(by_fruit, fruit_notice)
    if {by_trunk, by_fruit} == {"stressed", "ahead"}:
        return TreeVerdict("apart", Notice("trees.apart", trunk=trunk_notice, fruit=fruit_notice))
    if by_trunk == "on plan" and by_fruit != "on plan" and fruit_notice is not None:
        return TreeVerdict(by_fruit, fruit_notice)
    return TreeVerdict(by_trunk, trunk_notice)


def _trunk(signal: TreeSignal | Notice, plan: TreePlan) -> tuple[Word, Notice]:
    if isinstance(signal, Notice) or plan.intensity is None:
        return "not known", Notice("trees.not_known", why=signal)
    return _trunk_word(signal, plan.intensity, plan.growth_mm_d)


def _fruit_word(fruit: FruitState | None) -> tuple[Word, Notice | None]:
    if fruit is None:
        return "on plan", None
    if abs(fruit.behind_mm) <= AGREE_SDS * fruit.error_mm:
        return "on plan", Notice("trees.fruit_on_path")
    code = "trees.fruit_behind" if fruit.behind_mm > 0 else "trees.fruit_ahead"
    word: Word = "stressed" if fruit.behind_mm > 0 else "ahead"
    return word, Notice(code, off_size=abs(fruit.behind_mm), on_day=fruit.day)


def _trunk_word(signal: TreeSignal, most: float, growth_mm_d: float | None) -> tuple[Word, Notice]:
    values = {"intensity": signal.intensity, "plan": most, "trees": signal.trees}
    if signal.low > most:
        return "stressed", Notice("trees.shrink_more", **values)
    if signal.high < most and _grows(signal, growth_mm_d):
        return "ahead", Notice("trees.shrink_less", **values, grown_size=signal.growth_mm_d)
    return "on plan", Notice("trees.on_plan", **values)


def _grows(signal: TreeSignal, planned_mm_d: float | None) -> bool:
    """Whether the trunks grow as much as planned; where no growth is planned, shrinkage alone speaks."""
    if planned_mm_d is None:
        return True
    return signal.growth_mm_d is not None and signal.growth_mm_d >= planned_mm_d
