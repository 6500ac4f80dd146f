"""Approving, moving, locking and taking back sets of the plan; every change is checked again here."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from embalse.core.planning.checking import broken
from embalse.core.planning.water_side import SupplyLane, WantedSet
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.planning import planned as store
from embalse.services.planning.asked import Asked, may_run
from embalse.services.planning.plan import PlanBasis, PlanContent, kept_basis, plan_basis, plan_content
from embalse.services.planning.planned import PlannedSet
from embalse.services.planning.supplies import attended, block_shifts, lane_of, work_hours
from embalse.services.reader import Words, reading_as, say
from embalse.services.schema.base import When
from embalse.services.schema.water import PlannedSetPart, SetEventPart
from embalse.store import changes
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.database import transaction
from embalse.store.errors import Conflict


class Entry(BaseModel):
    """A body: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class PlaceIn(Entry):
    """A set of the plan and when it is to start."""

    key: Annotated[str, StringConstraints(max_length=80)]
    start: When


class DraftIn(Entry):
    """Sets as somebody has moved them, of the plan with this id; what is not named is not looked at."""

    plan: Annotated[str, StringConstraints(max_length=40)]
    sets: list[PlaceIn] = Field(max_length=2000)


class ApproveIn(DraftIn):
    """Sets to approve as they are shown; ``days`` of the plan they were shown in."""

    days: Annotated[int, Field(ge=1, le=10)] = 3


class ChangeIn(Entry):
    """A change of an approved set; ``sequence`` is the one it was shown with."""

    sequence: Annotated[int, Field(ge=0)] | None = None
    start: When | None = None
    locked: bool | None = None
    withdraw: bool = False
    note: Annotated[str, StringConstraints(max_length=400)] = ""


class BreaksOut(Content):
    """What a set's place breaks."""

    key: str
    code: str
    words: Words


class CheckOut(Content):
    """What is wrong with a draft, its cost and how late its sets come."""

    breaks: list[BreaksOut]
    cost: float


def check(body: DraftIn) -> CheckOut:
    """Look at sets somebody has moved, without asking the blocks again.

    Raises
    ------
    Conflict
        If the plan is not known any more: it is to be made again.
    """
    basis = kept_basis(body.plan)
    if basis is None:
        raise Conflict("plan", "this plan is not known any more: look at it again")
    wanted, starts, lanes = _draft(basis, body.sets)
    found = broken(basis.span.grid, lanes, wanted, starts)
    cost = sum(
        w.flow_m3_h * basis.span.grid.hours(w.steps) * float(lanes[w.supply].price[s : s + w.steps].mean())
        for w in wanted
        if 0 <= (s := starts[w.key]) < basis.span.grid.steps
    )
    return CheckOut(breaks=[_out(b.key, b.notice, basis) for b in found], cost=cost)


def _out(key: str, notice: Notice, basis: PlanBasis) -> BreaksOut:
    return BreaksOut(key=key, code=notice.code, words=say(_named(notice, basis)))


def _named(notice: Notice, basis: PlanBasis) -> Notice:
    """A notice with its supply called as people call it."""
    values: dict[str, Any] = dict(notice.values)
    if "supply" in values:
        values["supply"] = basis.sides[values["supply"]].row.name
    return Notice(notice.code, **values)


def _draft(
    basis: PlanBasis, sets: Sequence[PlaceIn]
) -> tuple[list[WantedSet], dict[str, int], Mapping[str, SupplyLane]]:
    """Sets of a draft as the core checks them; approved ones that are moved give their water back first."""
    asked = {a.wanted.key: a for a in basis.asked}
    held = {p.key: p for p in basis.held}
    wanted, starts, freed = [], {}, []
    for place in sets:
        if place.key in asked:
            one, minutes = asked[place.key].wanted, asked[place.key].part.minutes
        elif place.key in held:
            freed.append(place.key)
            one, minutes = _as_wanted(held[place.key], basis), held[place.key].minutes
        else:
            raise Conflict("plan", f"'{place.key}' is not in this plan any more: look at it again")
        starts[place.key], steps = basis.span.placed(times.epoch(place.start, basis.span.zone), minutes)
        wanted.append(replace(one, steps=steps))
    lanes: Mapping[str, SupplyLane] = basis.lanes
    if freed:
        rest = store.taken_of(p for p in basis.held if p.key not in freed)
        touched = {held[k].part.supply for k in freed}
        lanes = {
            key: lane_of(basis.sides[key], basis.span, rest, basis.rows) if key in touched else lane
            for key, lane in basis.lanes.items()
        }
    return wanted, starts, lanes


def _as_wanted(one: PlannedSet, basis: PlanBasis) -> WantedSet:
    """An approved set, or one made by hand, with what its block and its people allow."""
    span, block = basis.span, one.part.block
    advice = next((b for b in basis.blocks if b.key == block), None)
    shifts = block_shifts(block, span.start_at, span.zone)
    earliest, allowed = (0, None) if advice is None else may_run(advice, shifts, span)
    people = None
    if shifts is not None and shifts.by_hand:
        people = attended(work_hours(span.start_at, span.zone), span)
    return WantedSet(
        one.key, one.part.supply, one.part.flow_m3_h, 1, earliest=earliest, block=block, allowed=allowed,
        attended=people,
    )  # fmt: skip


@contextmanager
def _fresh_basis(days: int) -> Iterator[PlanBasis]:
    """What a plan is made from, and the turn to write: made before others are kept waiting, again only if need be.

    Its words are kept with the sets that are approved, so they are in the farm's units, whoever approves.
    """
    entered = changes.last_id()
    basis = _in_the_farms_units(days)
    with transaction():
        if changes.last_id() != entered:
            basis = _in_the_farms_units(days)
        yield basis


def _in_the_farms_units(days: int) -> PlanBasis:
    with reading_as("us" if clock.the_farm().units == "us" else "metric"):
        return plan_basis(None, days)[0]


def approve(body: ApproveIn) -> PlanContent:
    """Approve sets of a plan as they were shown; returns the plan as it is then.

    Raises
    ------
    Conflict
        If the plan has changed since it was shown, or a set breaks a limit where it is: nothing is approved then.
    """
    with _fresh_basis(body.days) as basis:
        if basis.id != body.plan:
            raise Conflict("plan", "the plan has changed since it was shown: look at it again, then approve")
        _refuse_broken(basis, body.sets)
        asked = {a.wanted.key: a for a in basis.asked}
        taken = {r.key for r in record_store.records(store.KIND)}
        parts = []
        for place in body.sets:
            if place.key not in asked:
                raise Conflict("sets", "this set is approved already: move it instead")
            part = _part(asked[place.key], place, basis, taken)
            taken.add(part.key)
            parts.append(part)
        store.keep(parts)
    return plan_content(None, body.days, quick=True)


def _refuse_broken(basis: PlanBasis, sets: Sequence[PlaceIn]) -> None:
    wanted, starts, lanes = _draft(basis, sets)
    found = broken(basis.span.grid, lanes, wanted, starts)
    if found:
        said = _out(found[0].key, found[0].notice, basis)
        names = {a.wanted.key: a.block.name for a in basis.asked} | {p.key: p.part.block for p in basis.held}
        raise Conflict("sets", f"{names.get(said.key, said.key)}: {said.words}")


def _part(one: Asked, place: PlaceIn, basis: PlanBasis, taken: set[str]) -> PlannedSetPart:
    advised, zone = one.block.advised, basis.span.zone
    if advised is None:
        raise Conflict("plan", f"{one.block.name} asks for nothing any more: look at the plan again")
    start_at = times.epoch(place.start, zone)
    volume = one.part.volume_m3
    gross = volume / (10 * one.block.area_ha)
    now = clock.farm_now(clock.the_farm())
    start = times.local(start_at, zone)
    shift = one.shift.name if one.shift else ""
    return PlannedSetPart(
        key=store.new_key(one.block.key, shift, start, taken),
        block=one.block.key,
        supply=one.supply.row.key,
        shift=shift,
        valve=one.shift.valve if one.shift else "",
        pulses=one.part.pulses,
        flowing_min=one.part.flowing_min,
        start=start,
        end=times.local(start_at + 60 * one.part.minutes, zone),
        flow_m3_h=one.wanted.flow_m3_h,
        area_ha=one.shift.area_ha if one.shift else one.block.area_ha,
        net_mm=gross * advised.net_mm / advised.gross_mm if advised.gross_mm else 0.0,
        gross_mm=gross,
        why=one.block.why,
        events=[SetEventPart(at=times.local(now, zone), state="approved", by=actor().who)],
    )


def change(key: str, body: ChangeIn) -> None:
    """Move, lock or take back an approved set.

    Raises
    ------
    NotFound
        If there is no such set, or it is over.
    Conflict
        If it was changed since it was shown, runs already, is locked, or breaks a limit at its new place.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    with transaction():
        one = _unchanged(key, body.sequence, farm.time_zone)
        if body.withdraw:
            _not_begun(one)
            store.became(one, "withdrawn", now, body.note)
            return
        if body.locked is not None:
            store.keep([one.part.model_copy(update={"locked": body.locked})])
    if body.start is not None:
        _move(key, body, now, farm.time_zone)


def _unchanged(key: str, sequence: int | None, zone: str) -> PlannedSet:
    one = store.planned_set(key, zone)
    store.must_be_live(one)
    if sequence is not None and sequence != one.part.sequence:
        raise Conflict("set", "somebody has moved this set since it was shown: look at it again")
    return one


def _not_begun(one: PlannedSet) -> None:
    if one.state != "approved":
        raise Conflict("set", f"this set is {one.state}: stop it instead")


def _move(key: str, body: ChangeIn, now: int, zone: str) -> None:
    start_at = times.epoch(body.start or times.local(now, zone), zone)
    if start_at < now:
        raise Conflict("start", "this lies in the past")
    with _fresh_basis(_days_to(start_at + store.planned_set(key, zone).seconds, now)) as basis:
        one = _unchanged(key, body.sequence, zone)
        _not_begun(one)
        if one.part.locked:
            raise Conflict("set", "this set is locked: unlock it first")
        _refuse_broken(basis, [PlaceIn(key=key, start=times.local(start_at, zone))])
        store.keep([store.moved(one, start_at)])


def _days_to(end_at: int, now: int) -> int:
    """Days of a plan that holds an instant [s, UTC], ten at the most."""
    return min(10, max(1, -(-(end_at - now) // store.DAY_S) + 1))


def lay_by_hand(
    sets: Sequence[PlannedSetPart], zone: str, *, keep_it: bool
) -> list[tuple[PlannedSetPart, list[Notice]]]:
    """Check sets made by hand against supplies, people and what is approved; keep them where nothing breaks.

    Returns each set with what it breaks. With ``keep_it`` nothing is kept where anything breaks: raises Conflict.
    """
    now = clock.farm_now(clock.the_farm())
    with _fresh_basis(_days_to(max(times.epoch(p.end, zone) for p in sets), now)) as basis:
        wanted, starts = [], {}
        for part in sets:
            one = store.planned_of(part.model_dump(mode="json"), zone)
            starts[part.key], steps = basis.span.placed(one.start_at, one.minutes)
            wanted.append(replace(_as_wanted(one, basis), steps=steps))
        found = broken(basis.span.grid, basis.lanes, wanted, starts)
        by_key: dict[str, list[Notice]] = {p.key: [] for p in sets}
        for each in found:
            by_key[each.key].append(_named(each.notice, basis))
        if keep_it:
            if found:
                raise Conflict("sets", say(by_key[found[0].key][0]))
            store.keep(list(sets))
    return [(p, by_key[p.key]) for p in sets]
