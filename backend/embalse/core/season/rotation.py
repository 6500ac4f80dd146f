"""What comes after a planting: the same again, or the crop the rotation puts there."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from typing import Final, Literal

from embalse.core.install.install_window import STAYING
from embalse.core.season.plantings import Planting, begins_with
from embalse.core.tables import crop_defaults
from embalse.core.wording import Notice

CUT: Final = frozenset({"alfalfa", "pasture", "turf"})
EPOCH: Final = date(1970, 1, 1).toordinal()


@dataclass(frozen=True)
class Proposal:
    """A planting proposed to follow: the one its values come from, its first day number, and why."""

    like: Planting
    first_day: int
    how: Literal["stays", "rotation", "other blocks", "same"]
    why: Notice


def stays(crop: str) -> bool:
    """Whether a crop's plants stand for years, and its sensors stay in the ground (no unit)."""
    return first_word(crop) in STAYING


def is_cut(crop: str) -> bool:
    """Whether a crop is cut and grows again, and has no harvest that ends its season (no unit)."""
    return first_word(crop) in CUT


def first_word(crop: str) -> str:
    """The first word of a crop's name in the library, or of the name as it is (no unit)."""
    found = crop_defaults(crop)
    return ((found.crop if found else crop.strip().lower()).split() or [""])[0]


def propose(own: Sequence[Planting], others: Sequence[Sequence[Planting]], after: int) -> Proposal | None:
    """What may follow on a block.

    Parameters
    ----------
    own : sequence of Planting
        The block's, in order.
    others : sequence of sequences of Planting
        Those of the other blocks, each in order.
    after : int
        Day number after which it is to begin.

    Returns
    -------
    Proposal or None
        A crop that stays comes again on its day of next year. Else the crop that followed this one here before; else
        the one that stood here before it, where two take turns; else the one that followed it most often on other
        blocks; else the same again. None where nothing was planted yet.
    """
    if not own:
        return None
    last = own[-1]
    if stays(last.crop) or begins_with(last.crop) == "leaf-out":
        return _like(last, after, "stays", Notice("next.stays", crop=last.crop))
    crops = [first_word(p.crop) for p in own]
    here = next((own[n + 1] for n in reversed(range(len(own) - 1)) if crops[n] == crops[-1]), None)
    if here is not None:
        return _like(here, after, "rotation", Notice("next.rotation", crop=here.crop, before=last.crop))
    if len(own) > 1 and crops[-2] != crops[-1]:
        return _like(own[-2], after, "rotation", Notice("next.turns", crop=own[-2].crop, before=last.crop))
    followed = [
        b for row in others for a, b in pairwise(row) if first_word(a.crop) == crops[-1]
    ]  # fmt: skip
    if followed:
        most, blocks = Counter(first_word(p.crop) for p in followed).most_common(1)[0]
        like = next(p for p in reversed(followed) if first_word(p.crop) == most)
        return _like(like, after, "other blocks", Notice("next.others", crop=like.crop, before=last.crop, times=blocks))
    return _like(last, after, "same", Notice("next.same", crop=last.crop))


def _like(
    planting: Planting, after: int, how: Literal["stays", "rotation", "other blocks", "same"], why: Notice
) -> Proposal:
    return Proposal(planting, next_anniversary(planting.first_day, after), how, why)


def next_anniversary(day: int, after: int) -> int:
    """The first day number later than ``after`` with a day's month and day of the month; 29 February goes to the 28th.

    Examples
    --------
    >>> next_anniversary(0, 364), next_anniversary(0, 365)
    (365, 730)
    """
    start, least = date.fromordinal(day + EPOCH), date.fromordinal(after + EPOCH)
    tries = (_in_year(start, year) for year in range(least.year, least.year + 3))
    return next(one.toordinal() - EPOCH for one in tries if one > least)


def _in_year(day: date, year: int) -> date:
    try:
        return day.replace(year=year)
    except ValueError:
        return day.replace(year=year, day=28)
