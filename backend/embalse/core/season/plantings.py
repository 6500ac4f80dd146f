"""Plantings of a block, one after another: which one is in the ground, and when a cut crop starts again."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final, Literal

from embalse.core.errors import CoreError
from embalse.core.tables import crop_defaults
from embalse.core.wording import Notice

LEAFING: Final = frozenset(
    {
        "almond",
        "apple/cherry/pear",
        "apricot/peach",
        "avocado",
        "citrus",
        "olive",
        "pistachio",
        "walnut",
        "kiwi",
        "grape",
    }
)
"""Crops whose season begins with leaf-out or bud break, not with planting."""


@dataclass(frozen=True)
class Harvest:
    """A harvest or a cutting as it happened: day number, what it brought [t/ha], and whether it ends the planting."""

    day: int
    kind: Literal["harvest", "cutting"]
    yield_t_ha: float | None = None
    ends: bool = False
    key: str = ""


@dataclass(frozen=True)
class Planting:
    """A planting: crop, variety, day number it was planted or leafed out, and what differs from the library."""

    key: str
    crop: str
    first_day: int
    variety: str = ""
    purpose: str = ""
    values: Mapping[str, float] = field(default_factory=dict)
    root_depth_cm: float | None = None
    allowable_fraction: float | None = None
    yield_aim_t_ha: float | None = None
    harvests: tuple[Harvest, ...] = ()

    @property
    def last_day(self) -> int | None:
        """Day number of the harvest that ended it, None while it stands."""
        return next((h.day for h in self.harvests if h.ends), None)

    @property
    def yield_t_ha(self) -> float | None:
        """What it brought together [t/ha], None where nobody entered it."""
        told = [h.yield_t_ha for h in self.harvests if h.yield_t_ha is not None]
        return sum(told) if told else None

    def starts_on(self, day: int) -> int:
        """The day number its calendar starts from: the last cutting by a day, else its first day."""
        cut = [h.day for h in self.harvests if h.kind == "cutting" and h.day <= day and not h.ends]
        return max(cut, default=self.first_day)


def planting_on(plantings: Sequence[Planting], day: int) -> Planting | None:
    """The planting in the ground on a day number, None on bare ground.

    A planting stands from its first day to the harvest that ended it, or until the next one is planted.
    """
    begun = [p for p in plantings if p.first_day <= day]
    if not begun:
        return None
    last = max(begun, key=lambda p: p.first_day)
    return None if last.last_day is not None and last.last_day < day else last


def last_day_of(plantings: Sequence[Planting], one: Planting) -> int | None:
    """The last day number on which one of a block's plantings stood, None while it stands.

    That of the harvest that ended it, or the eve of the next planting.
    """
    later = min((p.first_day for p in plantings if p.first_day > one.first_day), default=None)
    ends = [day for day in (one.last_day, None if later is None else later - 1) if day is not None]
    return min(ends, default=None)


def check_plantings(plantings: Sequence[Planting], harvests: Sequence[Harvest]) -> None:
    """Refuse two plantings begun on one day (day numbers), or a harvest before any planting; raises CoreError."""
    days = [p.first_day for p in plantings]
    if len(set(days)) < len(days):
        raise CoreError("valid_from", Notice("planting.same_day"))
    if harvests and min(h.day for h in harvests) < min(days, default=math.inf):
        raise CoreError("valid_from", Notice("planting.harvest_before"))


def begins_with(crop: str) -> Literal["leaf-out", "planting"]:
    """How the first day of a crop's season is called (no unit).

    Examples
    --------
    >>> begins_with("almond"), begins_with("tomato")
    ('leaf-out', 'planting')
    """
    found = crop_defaults(crop)
    name = crop.strip().lower() if found is None else found.crop
    return "leaf-out" if name.split()[0:1] and name.split()[0] in LEAFING else "planting"
