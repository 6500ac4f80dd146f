"""Closing a season step by step: the last water, the sensors out and seen to, the harvest, what comes next."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from embalse.core.practice import practice
from embalse.core.wording import Notice

State = Literal["done", "now", "later", "not needed"]


@dataclass(frozen=True)
class StationEnd:
    """A station at a season's end: whether it stays, and the day numbers it is to come out by and came out on.

    ``run`` is how its pulling and cleaning stands. ``put_by``, ``to_repair`` and ``thrown_out`` count its sensors.
    """

    ref: str
    name: str
    stays: bool
    out_by: int | None
    out_on: int | None
    run: Literal["none", "open", "closed"] = "none"
    put_by: int = 0
    to_repair: int = 0
    thrown_out: int = 0


@dataclass(frozen=True)
class SeasonEnd:
    """A block's season as it stands at its end; day numbers, None where not known.

    ``cut`` says that the crop is cut and grows again.
    ``finishes`` says whether the crop can finish on what is stored, ``short_mm`` what is still to be given where that
    is known. ``harvest_day`` is expected, ``ended_day`` was entered. ``next_day`` is the first day of a planting that
    is entered already.
    """

    stays: bool
    cut: bool
    harvest_day: int | None
    ended_day: int | None
    finishes: bool
    short_mm: float | None
    stations: tuple[StationEnd, ...]
    next_day: int | None
    today: int


@dataclass(frozen=True)
class ClosingStep:
    """A step of closing a season."""

    code: Literal["water", "harvest", "out", "clean", "next"]
    state: State
    words: Notice


def closing_steps(end: SeasonEnd) -> list[ClosingStep]:
    """How each step of closing a season stands, in the order they are taken (day numbers)."""
    return [_water(end), _out(end), _clean(end.stations), _harvest(end), _next(end)]


def next_step(steps: Sequence[ClosingStep]) -> ClosingStep | None:
    """The first step that is to be done now, None where none is."""
    return next((s for s in steps if s.state == "now"), None)


def _water(end: SeasonEnd) -> ClosingStep:
    if end.ended_day is not None and not end.stays:
        return ClosingStep("water", "done", Notice("closing.over", on_day=end.ended_day))
    if end.finishes:
        return ClosingStep("water", "now", Notice("closing.stop"))
    if end.short_mm is None:
        return ClosingStep("water", "later", Notice("closing.end_unknown"))
    return ClosingStep("water", "later", Notice("closing.short", short_mm=end.short_mm))


def _out(end: SeasonEnd) -> ClosingStep:
    if not end.stations:
        return ClosingStep("out", "not needed", Notice("closing.no_stations"))
    still = [s for s in end.stations if s.out_on is None]
    if all(s.stays for s in still):
        code = "closing.stay" if still else "closing.all_out"
        return ClosingStep("out", "not needed" if still else "done", Notice(code, stations=len(end.stations)))
    days = [s.out_by for s in still if s.out_by is not None]
    if end.ended_day is not None:
        return ClosingStep("out", "now", Notice("closing.out_late", stations=len(still)))
    if not days:
        return ClosingStep("out", "later", Notice("closing.out_unknown", stations=len(still)))
    near = min(days) - end.today <= practice("out_warn_days")
    return ClosingStep(
        "out", "now" if near else "later", Notice("closing.out_by", stations=len(still), on_day=min(days))
    )


def _clean(stations: Sequence[StationEnd]) -> ClosingStep:
    out = [s for s in stations if s.out_on is not None or s.run != "none"]
    if not out:
        state: State = "not needed" if all(s.stays for s in stations) else "later"
        return ClosingStep("clean", state, Notice("closing.clean_later"))
    unseen = [s for s in out if s.run != "closed"]
    if unseen:
        names = tuple(s.name for s in unseen)
        return ClosingStep("clean", "now", Notice("closing.clean_now", names=names))
    counts = {name: sum(getattr(s, name) for s in out) for name in ("put_by", "to_repair", "thrown_out")}
    return ClosingStep("clean", "done", Notice("closing.cleaned", **counts))


def _harvest(end: SeasonEnd) -> ClosingStep:
    if end.ended_day is not None:
        return ClosingStep("harvest", "done", Notice("closing.harvested", on_day=end.ended_day))
    if end.cut:
        return ClosingStep("harvest", "not needed", Notice("closing.cut"))
    if end.harvest_day is None:
        return ClosingStep("harvest", "later", Notice("closing.harvest_unknown"))
    state: State = "now" if end.today >= end.harvest_day else "later"
    return ClosingStep("harvest", state, Notice("closing.harvest_on", on_day=end.harvest_day))


def _next(end: SeasonEnd) -> ClosingStep:
    if end.next_day is not None:
        return ClosingStep("next", "done", Notice("closing.next_entered", on_day=end.next_day))
    over = end.ended_day is not None or (not end.cut and end.harvest_day is not None and end.today >= end.harvest_day)
    return ClosingStep("next", "now" if over else "later", Notice("closing.next_open"))
