"""When sensors come out: before the harvester, by a date that follows the crop."""

from dataclasses import dataclass
from typing import Literal

from embalse.core.install.install_window import STAYING
from embalse.core.practice import practice
from embalse.core.tables import crop_defaults
from embalse.core.wording import Notice


@dataclass(frozen=True)
class TakeOut:
    """When a station comes out: day number, None where it stays or nobody knows, and how near that is."""

    day: int | None
    state: Literal["stays", "not known", "later", "soon", "past"]
    words: Notice


def take_out(crop: str, harvest_day: int | None, today: int) -> TakeOut:
    """When a block's stations come out, by the end of its crop's calendar or the day of harvest entered (day numbers).

    Crops that stay in the ground keep their sensors (common practice, no source).
    """
    found = crop_defaults(crop)
    name = crop if found is None else found.crop
    if name.split()[:1] and name.split()[0] in STAYING:
        return TakeOut(None, "stays", Notice("take_out.stays"))
    if harvest_day is None:
        return TakeOut(None, "not known", Notice("take_out.unknown"))
    day = harvest_day - round(practice("out_before_days"))
    if today > day:
        return TakeOut(day, "past", Notice("take_out.past", on_day=day, harvest_day=harvest_day))
    state: Literal["soon", "later"] = "soon" if day - today <= practice("out_warn_days") else "later"
    return TakeOut(day, state, Notice("take_out.by", on_day=day, harvest_day=harvest_day))
