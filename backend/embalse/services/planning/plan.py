"""The sets the blocks ask for, laid on the farm's supplies from a moment on."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from embalse.core.crop.yield_response import yield_response_factor
from embalse.core.planning.asking import HELD, SetPart, dry_days, due_in_days, parts_of, told_as_late
from embalse.core.planning.by_deadline import plan_by_deadline
from embalse.core.planning.solve import LIMIT_S, best_plan
from embalse.core.planning.water_side import Grid, Plan, SupplyLane, WantedSet, may_start
from embalse.core.planning.ways_out import WayOut, ways_out
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.load import clock
from embalse.services.load.schemas import BlockAdvice, Content
from embalse.services.reader import say
from embalse.store import farm as farm_store
from embalse.store.rows import BlockRow, FarmRows, SupplyRow

STEP_MIN: Final = 30  # minutes of a step
DAY_S, DAY_H = 86400, 24.0
WAYS_S: Final = 4.0  # seconds ways out may be looked for, all together
Flags = NDArray[np.bool_]


class PlannedSetOut(Content):
    """A set of the plan: its block, supply, start and end on the farm's clock, hours, flow, depths, and why."""

    block: str
    name: str
    part: int = Field(1, description="which of so many parts, of the block or of the time")
    parts: int = 1
    supply: str
    start: str
    end: str
    hours: float
    flow_m3_h: float
    volume_m3: float
    net_mm: float
    gross_mm: float
    cost: float = Field(description="in the farm's own currency; 0 without tariffs")
    due: str = Field(description="when the block reaches its trigger")
    late_h: float = Field(description="hours its middle comes after that; 0 when in time")
    late: bool = Field(description="whether that is worth telling: half a day or more")
    state: Literal["proposed"]
    why: str


class WayOutOut(Content):
    """A limit loosened and what comes of it."""

    supply: str
    what: Literal["hours", "flow"]
    by: float
    saves_mm_days: float
    fits: list[str]
    words: str


class UnfitOut(Content):
    """A block that wants water and finds no place, and what it lacks."""

    block: str
    name: str
    supply: str
    lacks: str
    left: int = Field(1, description="how many of its parts find no place")
    parts: int = 1


class HeldOut(Content):
    """A block that is to wait and see, and why: nothing is planned for it."""

    block: str
    name: str
    why: str


class LaneOut(Content):
    """A supply: its flow, null where not limited, hours it runs a day, and the hours its water is dear."""

    supply: str
    name: str
    flow_m3_h: float | None
    runs_h: float | None
    dear: list[list[str]] = Field(description="start and end of each span above the lowest price, farm-local")


class PlanContent(Content):
    """Sets on supplies over some days, what does not fit, and what would help. Nothing is opened by it."""

    as_of: str
    start: str
    end: str
    days: int
    lanes: list[LaneOut]
    step_min: int
    sets: list[PlannedSetOut]
    unfit: list[UnfitOut]
    held: list[HeldOut]
    ways_out: list[WayOutOut]
    cost: float
    proven: bool = Field(description="whether no other plan stresses the crops less")
    words: str


@dataclass(frozen=True)
class _Asked:
    """A block's advised set as the plan asks for it."""

    block: BlockAdvice
    supply: SupplyRow
    wanted: WantedSet
    part: SetPart


@dataclass(frozen=True)
class _Days:
    """The grid of a plan and the instant [s, UTC] it begins at, in the farm's zone."""

    grid: Grid
    start_at: int
    zone: str

    def at(self, step: int) -> int:
        return self.start_at + 60 * self.grid.step_min * step

    def instants(self) -> NDArray[np.int64]:
        return self.start_at + 60 * self.grid.step_min * np.arange(self.grid.steps)


def plan_content(
    moment: str | None = None, days: int = 3, quick: bool = False, limit_s: float = LIMIT_S
) -> PlanContent:
    """The plan of the next days from a farm-local moment on (now if None), from the advice of all blocks.

    A set each: of every block that is to start within these days. ``quick`` follows the deadlines alone and tells no
    ways out: at once, while the best is looked for, in ``limit_s`` seconds at the most. Raises as
    :func:`~embalse.services.advice.advise.round_content` does.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    content = round_content(moment, with_working=False)
    span = _days(now, days, farm.time_zone)
    asked, unfit = _asked(content.blocks, rows, span)
    lanes = {s.key: _lane(s, span) for s in rows.supplies.values()}
    wanted = [a.wanted for a in asked]
    plan = plan_by_deadline(span.grid, lanes, wanted) if quick else best_plan(span.grid, lanes, wanted, limit_s)
    left = [one for one in asked if plan.start_of(one.wanted.key) is None]
    for key in dict.fromkeys(one.block.key for one in left):
        mine = [one for one in left if one.block.key == key]
        unfit.append(_unfit(mine, _lacks(mine[0], lanes[mine[0].supply.key], span)))
    ways = [] if quick else ways_out(span.grid, lanes, wanted, plan, WAYS_S)
    sets = [_set(one, plan, lanes[one.supply.key], span) for one in asked if plan.start_of(one.wanted.key) is not None]
    sets = _in_order(sets)
    late, without = sum(s.late for s in sets), sum(u.left for u in unfit)
    return PlanContent(
        as_of=content.as_of,
        start=times.iso(span.start_at, farm.time_zone) or "",
        end=times.iso(span.at(span.grid.steps), farm.time_zone) or "",
        days=days,
        lanes=[_lane_out(s, lanes[s.key], span) for s in rows.supplies.values()],
        step_min=span.grid.step_min,
        sets=sets,
        unfit=unfit,
        held=[h for b in content.blocks if (h := _held(b)) is not None and _due_within(b, span)],
        ways_out=[_way(w, rows, content.blocks) for w in ways],
        cost=plan.cost,
        proven=not plan.quick and plan.gap == 0,
        words=say(Notice("plan.sum", sets=len(sets), days=days, late=late or None, unfit=without or None)),
    )


def _in_order(sets: list[PlannedSetOut]) -> list[PlannedSetOut]:
    """Sets as they start, the parts of a block numbered so too."""
    counts: dict[str, int] = {}
    ordered = sorted(sets, key=lambda s: (s.start, s.block))
    for one in ordered:
        counts[one.block] = one.part = counts.get(one.block, 0) + 1
    return ordered


def _days(now: int, days: int, zone: str) -> _Days:
    step_s = 60 * STEP_MIN
    start = -(-now // step_s) * step_s
    first = int(times.local_seconds([start], zone)[0]) % DAY_S // step_s
    return _Days(Grid(STEP_MIN, days * DAY_S // step_s, first), start, zone)


def _lane(supply: SupplyRow, span: _Days) -> SupplyLane:
    minutes = times.local_seconds(span.instants(), span.zone) % DAY_S // 60
    price = np.zeros(span.grid.steps)
    for tariff in json.loads(supply.tariffs):
        begin, end = (int(tariff[k][:2]) * 60 + int(tariff[k][3:5]) for k in ("start", "end"))
        inside = (minutes >= begin) & (minutes < end) if begin < end else (minutes >= begin) | (minutes < end)
        price[inside] = tariff["price"]
    flow = np.full(span.grid.steps, np.inf if supply.flow_m3_h is None else supply.flow_m3_h)
    return SupplyLane(supply.key, flow, price, _runs_h(supply))


def _lane_out(supply: SupplyRow, lane: SupplyLane, span: _Days) -> LaneOut:
    above = np.concatenate([[False], lane.price > lane.price.min() + 1e-9, [False]])
    turns = np.flatnonzero(above[1:] != above[:-1])
    moments = [times.iso(span.at(int(step)), span.zone) or "" for step in turns]
    return LaneOut(
        supply=supply.key,
        name=supply.name,
        flow_m3_h=supply.flow_m3_h,
        runs_h=lane.hours_a_day,
        dear=[list(pair) for pair in zip(moments[::2], moments[1::2], strict=True)],
    )


def _runs_h(supply: SupplyRow) -> float | None:
    """Hours a day a supply runs; None where it runs all day."""
    return None if supply.hours_per_day is None or supply.hours_per_day >= DAY_H else supply.hours_per_day


def _asked(blocks: list[BlockAdvice], rows: FarmRows, span: _Days) -> tuple[list[_Asked], list[UnfitOut]]:
    """What the blocks ask for within the plan's days, and those that ask but cannot be laid, with the reason."""
    by_key = {row.key: row for row in rows.blocks}
    asked, unfit = [], []
    for block in blocks:
        if block.advised is None or _held(block) is not None or not _due_within(block, span):
            continue
        row = by_key[block.key]
        supply = None if row.supply_id is None else rows.supplies[row.supply_id]
        minutes = block.advised.all_sets_min or block.advised.set_time_min
        if supply is None or not minutes:
            code = "plan.no_supply" if supply is None else "plan.no_rate"
            unfit.append(UnfitOut(block=block.key, name=block.name, supply="", lacks=say(Notice(code)), left=1))
            continue
        pivots = block.advised.timer_fraction is not None
        limits = (supply.flow_m3_h, _runs_h(supply))
        parts = parts_of(
            block.advised.volume_m3, minutes, limits, goes_over=pivots, sets=block.advised.sets, step_min=STEP_MIN
        )
        asked += [_Asked(block, supply, _wanted(block, row, (supply, part), span), part) for part in parts]
    return asked, unfit


def _held(block: BlockAdvice) -> HeldOut | None:
    """Why a block is to wait and see: by a person's order, or because rain is to do the set's work; None if neither."""
    if block.ordered == "water":
        return None
    waits = block.ordered == "hold" or any(n.code in HELD for n in block.notices)
    return HeldOut(block=block.key, name=block.name, why=block.reason) if waits else None


def _due_within(block: BlockAdvice, span: _Days) -> bool:
    if block.group == "act":
        return True
    start = block.start_by_at
    return start is not None and _instant(start) < span.at(span.grid.steps)


def _instant(iso: str) -> int:
    return int(datetime.fromisoformat(iso).timestamp())


def _wanted(block: BlockAdvice, row: BlockRow, of: tuple[SupplyRow, SetPart], span: _Days) -> WantedSet:
    supply, part = of
    use = block.use_mm_d.mid if block.use_mm_d else 1.0
    mid = block.refill.days.mid if block.refill else 0.0
    due = due_in_days(mid, block.depletion_mm, block.trigger_mm, use)
    wait = 0 if block.wait_until_at is None else _instant(block.wait_until_at) - span.start_at
    return WantedSet(
        key=f"{block.key} {part.number}/{part.of}",
        supply=supply.key,
        flow_m3_h=part.flow_m3_h,
        steps=-(-part.minutes // span.grid.step_min),
        earliest=max(0, -(-wait // (60 * span.grid.step_min))),
        due_days=due,
        falls_mm_d=max(use * block.wetted_fraction, 0.1),
        weight=(yield_response_factor(row.crop) or 1.0) / part.of,
        allowed=_may_run(block, span),
        block=block.key,
    )


def _may_run(block: BlockAdvice, span: _Days) -> Flags | None:
    """Steps outside the keep-dry periods the advice names."""
    allowed = None
    days = times.local_seconds(span.instants(), span.zone) // DAY_S
    for last, until in dry_days([(n.code, n.values) for n in block.notices]):
        dry = np.ones(len(days), dtype=bool)
        if last is not None:
            dry &= days > last
        if until is not None:
            dry &= days <= until
        allowed = ~dry if allowed is None else allowed & ~dry
    return allowed


def _set(one: _Asked, plan: Plan, lane: SupplyLane, span: _Days) -> PlannedSetOut:
    advised, wanted = one.block.advised, one.wanted
    start = plan.start_of(wanted.key)
    assert advised is not None and start is not None
    minutes, volume = one.part.minutes, wanted.flow_m3_h * one.part.minutes / 60
    due_at = span.start_at + round(wanted.due_days * DAY_S)
    late_h = max(0.0, (span.at(start) + 30 * minutes - due_at) / 3600)
    price = float(lane.price[start : start + wanted.steps].mean())
    return PlannedSetOut(
        block=one.block.key,
        name=one.block.name,
        part=one.part.number,
        parts=one.part.of,
        supply=one.supply.key,
        start=times.iso(span.at(start), span.zone) or "",
        end=times.iso(span.at(start) + 60 * minutes, span.zone) or "",
        hours=minutes / 60,
        flow_m3_h=wanted.flow_m3_h,
        volume_m3=volume,
        net_mm=advised.net_mm * one.part.depth_share,
        gross_mm=advised.gross_mm * one.part.depth_share,
        cost=price * volume,
        due=times.iso(due_at, span.zone) or "",
        late_h=late_h,
        late=told_as_late(late_h),
        state="proposed",
        why=one.block.why,
    )


def _lacks(one: _Asked, lane: SupplyLane, span: _Days) -> str:
    """What keeps a set from its place: too long, too much flow, no time it may run, or the others of its supply."""
    wanted = one.wanted
    if wanted.steps > span.grid.steps:
        code, values = "plan.too_long", {"hours": span.grid.hours(wanted.steps)}
    elif not len(may_start(wanted, lane, span.grid)):
        code, values = "plan.no_time", {}
    else:
        code, values = "plan.taken", {}
    return say(Notice(code, supply=one.supply.name, **values))


def _unfit(left: list[_Asked], lacks: str) -> UnfitOut:
    one = left[0]
    return UnfitOut(
        block=one.block.key,
        name=one.block.name,
        supply=one.supply.key,
        lacks=lacks,
        left=len(left),
        parts=one.part.of,
    )


def _way(way: WayOut, rows: FarmRows, blocks: list[BlockAdvice]) -> WayOutOut:
    supply = next(s.name for s in rows.supplies.values() if s.key == way.supply)
    keys = {key.rsplit(" ", 1)[0] for key in way.fits}
    names = tuple(b.name for b in blocks if b.key in keys)
    values: dict[str, Any] = {"supply": supply, "less_fraction": way.saves_share, "blocks": names or None}
    if way.what == "hours":
        words = Notice("plan.way_hours", more_h=way.by, **values)
    else:
        words = Notice("plan.way_flow", more_fraction=way.by, **values)
    return WayOutOut(
        supply=way.supply, what=way.what, by=way.by, saves_mm_days=way.saves_mm_d, fits=sorted(keys), words=say(words)
    )
