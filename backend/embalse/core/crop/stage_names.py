"""Growth stages by the names people use in the field, and what they mean for the calendar."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache, lru_cache
from itertools import accumulate

from embalse.core.crop.stages import STAGES, CropCalendar
from embalse.core.errors import CoreError, require
from embalse.core.tables import crop_defaults, table_rows
from embalse.core.wording import Notice

LEAST_DAYS = 1.0  # days a stage lasts at least when it is fitted to what was seen


@dataclass(frozen=True)
class StageName:
    """A stage by the trade's name: the stage of FAO-56 it belongs to, and whether that stage begins with it."""

    crop: str
    name: str
    stage: str
    begins: bool
    install: bool
    source: str


@cache
def _by_crop() -> dict[str, tuple[StageName, ...]]:
    found: dict[str, list[StageName]] = {}
    for row in table_rows("stage_names.csv"):
        name = StageName(
            row["crop"], row["name"], row["stage"], bool(row["begins"]), bool(row["install"]), row["source"]
        )
        found.setdefault(row["crop"], []).append(name)
    return {crop: tuple(names) for crop, names in found.items()}


@lru_cache(maxsize=256)
def stage_names(crop: str) -> tuple[StageName, ...]:
    """Names of the stages of a crop in order (common practice); the FAO-56 four where the trade's are not known."""
    found = crop_defaults(crop)
    name = crop.strip().lower() if found is None else found.crop
    listed = _by_crop()
    for known in (name, name.split()[0] if name else ""):
        if known in listed:
            return listed[known]
    return tuple(StageName(name, stage, stage, True, stage == "initial", "FAO-56, chapter 6") for stage in STAGES)


def stage_named(crop: str, name: str) -> StageName | None:
    """A stage of a crop by its name, None where the crop has none of that name (no unit)."""
    return next((one for one in stage_names(crop) if one.name == name), None)


def check_stage_name(crop: str, name: str) -> None:
    """Refuse a name (no unit) that is no stage of the crop; raises CoreError naming what may be said."""
    if stage_named(crop, name) is None:
        raise CoreError("stage", Notice("stage.unknown", crop=crop, names=tuple(n.name for n in stage_names(crop))))


def seen_calendar(calendar: CropCalendar, seen: Sequence[tuple[StageName, int]]) -> CropCalendar:
    """A calendar moved to what was seen in the field.

    Parameters
    ----------
    calendar : CropCalendar
    seen : sequence of (StageName, int)
        Stages with the day number they were seen on, in order of the days.

    Returns
    -------
    CropCalendar
        A name a stage begins with sets the first day of that stage to the day it was seen, whether the calendar had it
        earlier or later; another name only sees to it that its stage has begun and is not over. Later stages keep
        their lengths [days]. Days before planting are passed over.
    """
    lengths = list(calendar.lengths_days)
    last: tuple[StageName, int] | None = None
    for name, day in seen:
        if day < calendar.first_day:
            continue
        place = STAGES.index(name.stage)
        starts = [calendar.first_day, *(calendar.first_day + e for e in accumulate(lengths))]
        if place > 0 and (name.begins or starts[place] > day):
            lengths = _start_at(lengths, place, float(day - calendar.first_day))
        starts = [calendar.first_day, *(calendar.first_day + e for e in accumulate(lengths))]
        if place < len(STAGES) - 1 and starts[place + 1] <= day:
            lengths[place] = day + LEAST_DAYS - starts[place]
        last = (name, day)
    if last is None:
        return calendar
    source = Notice("source.stage_seen", stage=last[0].name, on_day=last[1], before=calendar.source)
    first, second, third, fourth = lengths
    return replace(calendar, lengths_days=(first, second, third, fourth), source=source)


def _start_at(lengths: list[float], place: int, days: float) -> list[float]:
    """Lengths with a stage beginning after so many days: the stage before it gives or takes, then those before that."""
    found = list(lengths)
    spare = days - sum(found[:place])
    for index in range(place - 1, -1, -1):
        changed = max(LEAST_DAYS, found[index] + spare)
        spare -= changed - found[index]
        found[index] = changed
        if spare == 0:
            break
    return found


def install_words(crop: str, name: str) -> tuple[str, Notice]:
    """Whether sensors may go in at a stage seen: state word and sentence; small plants recover (common practice).

    Raises
    ------
    CoreError
        If the crop has no stage of that name.
    """
    found = stage_named(crop, name)
    require(found is not None, "stage", f"'{name}' is no stage of {crop}")
    assert found is not None
    names = stage_names(crop)
    allowed = [n.name for n in names if n.install]
    if found.install:
        return "open", Notice("window.stage_open", stage=name, last=allowed[-1])
    if not allowed or names.index(found) < next(i for i, n in enumerate(names) if n.install):
        return "early", Notice("window.stage_early", stage=name, first=allowed[0] if allowed else "")
    return "closed", Notice("window.stage_closed", stage=name, last=allowed[-1])
