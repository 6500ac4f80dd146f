"""A block's use held against that of its neighbours of the same crop."""

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.practice import practice
from embalse.core.wording import Notice

APART: Final = practice("use_apart")
SURE: Final = 2.0  # standard errors by which two ratios must differ (ours: one chance in twenty)
LEAST_ERROR: Final = 0.10  # of a ratio [-], as the crop-use factor's own least error
NEAREST: Final = 8  # neighbours looked at, the nearest in the farm's order (ours)


@dataclass(frozen=True)
class SeenUse:
    """Actual over calculated use of a block as its dry-down shows it, with its standard error [-]."""

    key: str
    name: str
    crop: str
    ratio: float
    error: float


def seen_use(analysis: BlockAnalysis) -> SeenUse | None:
    """What a block's sensors show of its use; None where it cannot be measured, or is not believed anyway."""
    course = analysis.water_use.course if analysis.water_use is not None else None
    if course is None or not course.use.plausible or course.use.observed is None:
        return None
    block = analysis.block
    return SeenUse(block.key, block.name, block.crop, course.use.observed, max(LEAST_ERROR, course.use.error))


def neighbours_of(key: str, crops: Sequence[tuple[str, str]]) -> list[str]:
    """Keys of the nearest blocks of the same crop, in the farm's order; ``crops`` are all blocks with their crops."""
    mine = next(crop for k, crop in crops if k == key)
    same = [k for k, crop in crops if crop == mine]
    place = same.index(key)
    others = [(abs(n - place), n, k) for n, k in enumerate(same) if k != key]
    return [k for _, _, k in sorted(sorted(others)[:NEAREST], key=lambda one: one[1])]


def apart_from(mine: SeenUse | None, others: Sequence[SeenUse]) -> Notice | None:
    """That a block's use lies apart from its neighbours', with what to check; None where it does not, or none tell.

    Parameters
    ----------
    mine : SeenUse or None
    others : sequence of SeenUse
        Neighbours of the same crop. Their middle counts.

    Examples
    --------
    >>> a, b = SeenUse("a", "A", "almond", 0.5, 0.1), SeenUse("b", "B", "almond", 1.0, 0.1)
    >>> apart_from(a, [b])["usual_fraction"]
    1.0
    """
    if mine is None or not others:
        return None
    usual = statistics.median(o.ratio for o in others)
    error = statistics.median(o.error for o in others)
    differs = abs(math.log(mine.ratio / usual))
    doubt = math.hypot(mine.error / mine.ratio, error / usual)
    if differs <= math.log(APART) or differs <= SURE * doubt:
        return None
    names = tuple(o.name for o in others[:3])
    return Notice("caution.use_apart", observed_fraction=mine.ratio, usual_fraction=usual, others=names)
