"""Groups by hand: blocks watered one after another, kept by name and laid again with one key."""

import json
from datetime import datetime, time, timedelta
from typing import Annotated

from pydantic import Field, StringConstraints

from embalse.core.errors import CoreError
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import MOVING, core_blocks
from embalse.services.load.schemas import Content
from embalse.services.planning import planned as store
from embalse.services.planning.approving import Entry, lay_by_hand
from embalse.services.planning.supplies import block_shifts
from embalse.services.reader import say
from embalse.services.schema.base import Day
from embalse.services.schema.water import PlannedSetPart, SetEventPart, SetGroupPart, minutes_of
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.errors import NotFound
from embalse.store.rows import FarmRows

M2_HA = 10.0


class LayIn(Entry):
    """A group to be laid on a day; ``approve`` keeps its sets, else they are only looked at."""

    group: Annotated[str, StringConstraints(max_length=60)]
    day: Day
    approve: bool = False


class GroupSetOut(Content):
    """A set of a group, and what its place breaks."""

    key: str
    block: str
    name: str
    start: str
    end: str
    flow_m3_h: float
    gross_mm: float
    volume_m3: float
    breaks: list[str]


class GroupContent(Content):
    """A group laid on a day."""

    group: str
    name: str
    kept: bool = Field(description="whether its sets are approved now")
    sets: list[GroupSetOut]


def groups() -> list[SetGroupPart]:
    """Groups kept by name."""
    return [SetGroupPart.model_validate(json.loads(r.body)) for r in record_store.records("set_groups")]


def lay(body: LayIn) -> GroupContent:
    """Lay a group on a day: its blocks one after another from its start on, the delay between them.

    Raises
    ------
    NotFound
        If there is no such group, or a block of it is gone.
    CoreError
        If a block has no supply or rate, or is watered in moves.
    Conflict
        If its sets are to be approved and one breaks a limit.
    """
    group = next((g for g in groups() if g.key == body.group), None)
    if group is None:
        raise NotFound("group", f"there is no group '{body.group}'")
    farm = clock.the_farm()
    rows = farm_store.farm_rows(group.blocks)
    moment = datetime.combine(body.day, time(minutes_of(group.start) // 60, minutes_of(group.start) % 60))
    start_at = times.epoch(moment, farm.time_zone)
    taken = {r.key for r in record_store.records(store.KIND)}
    parts = []
    for block in group.blocks:
        part = _part(block, group, (rows, start_at, farm.time_zone), taken)
        taken.add(part.key)
        parts.append(part)
        start_at = times.epoch(part.end, farm.time_zone) + round(60 * group.delay_min)
    laid = lay_by_hand(parts, farm.time_zone, keep_it=body.approve)
    names = {b.key: b.name for b in rows.blocks}
    return GroupContent(
        group=group.key, name=group.name, kept=body.approve,
        sets=[_out(part, names, [say(n) for n in notices]) for part, notices in laid],
    )  # fmt: skip


def _part(key: str, group: SetGroupPart, at: tuple[FarmRows, int, str], taken: set[str]) -> PlannedSetPart:
    rows, start_at, zone = at
    row = next(b for b in rows.blocks if b.key == key)
    block = next(b for b in core_blocks(rows, clock.farm_now(clock.the_farm())) if b.key == key)
    if row.supply_id is None:
        raise CoreError("blocks", Notice("group.no_supply", block=row.name))
    if block.system is None or not block.system.rate_mm_h:
        raise CoreError("blocks", Notice("group.no_rate", block=row.name))
    if block.system.kind in MOVING:
        raise CoreError("blocks", Notice("group.moving", block=row.name))
    flow = block.system.rate_mm_h * M2_HA * row.area_ha
    asked = group.minutes
    minutes = 60 * (group.gross_mm or 0.0) / block.system.rate_mm_h if asked is None else asked
    minutes = 5 * max(1, round(minutes / 5))
    shifts = block_shifts(key, start_at, zone)
    only = shifts.shifts[0] if shifts is not None and len(shifts.shifts) == 1 else None
    start = times.local(start_at, zone)
    gross = block.system.rate_mm_h * minutes / 60
    now = times.local(clock.farm_now(clock.the_farm()), zone)
    return PlannedSetPart(
        key=store.new_key(key, group.key, start, taken),
        block=key,
        supply=rows.supplies[row.supply_id].key,
        shift=only.name if only else "",
        valve=only.valve if only else "",
        start=start,
        end=start + timedelta(minutes=minutes),
        flow_m3_h=flow,
        area_ha=row.area_ha,
        net_mm=min(500.0, gross * block.system.efficiency_fraction),
        gross_mm=min(500.0, gross),
        why=say(Notice("group.why", name=group.name)),
        group=group.name,
        events=[SetEventPart(at=now, state="approved", by=actor().who)],
    )


def _out(part: PlannedSetPart, names: dict[str, str], breaks: list[str]) -> GroupSetOut:
    hours = (part.end - part.start).total_seconds() / 3600
    return GroupSetOut(
        key=part.key, block=part.block, name=names.get(part.block, part.block), start=part.start.isoformat(),
        end=part.end.isoformat(), flow_m3_h=part.flow_m3_h, gross_mm=part.gross_mm, volume_m3=part.flow_m3_h * hours,
        breaks=breaks,
    )  # fmt: skip
