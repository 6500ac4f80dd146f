"""The sets the blocks ask for, laid on the farm's supplies from a moment on, beside what is approved already."""

import hashlib
import json
import pickle
from collections import OrderedDict
from dataclasses import dataclass
from threading import Lock
from typing import Any, Final, Literal

import numpy as np
from pydantic import Field

from embalse.core.acting.set_state import SetState
from embalse.core.planning.asking import told_as_late
from embalse.core.planning.binding import longest_free_h, what_binds
from embalse.core.planning.by_deadline import Loads, plan_by_deadline
from embalse.core.planning.solve import LIMIT_S, best_plan
from embalse.core.planning.water_side import Plan, SupplyLane, WantedSet, may_start
from embalse.core.planning.ways_out import WayOut, ways_out
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.kept_round import round_json
from embalse.services.load import clock
from embalse.services.load.schemas import BlockAdvice, Content, RoundContent
from embalse.services.planning.asked import Asked, asked_for, due_within, waits
from embalse.services.planning.planned import PlannedSet, holding, planned_sets, taken_of
from embalse.services.planning.supplies import (
    PlanDays,
    SupplySide,
    attended,
    lane_of,
    plan_days,
    season_left_m3,
    supply_sides,
    work_hours,
)
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store.rows import FarmRows

STEP_MIN: Final = 30  # minutes of a step
DAY_S = 86400
WAYS_S: Final = 4.0  # seconds ways out may be looked for, all together
KEPT_PLANS: Final = 8  # plans kept to be moved about on the page (ours: as many people as plan at once)
NIGHT_ENDS_H: Final = 12  # hours past midnight a night's sets may begin and still be called tonight's (ours)


class PlannedSetOut(Content):
    """A set of the plan: its block, supply, start and end on the farm's clock, hours, flow, depths, and why.

    ``key`` names it in this plan; an approved one keeps its key.
    """

    key: str
    block: str
    name: str
    shift: str = ""
    valve: str = ""
    tag: str = ""
    part: int = Field(default=1, description="which of so many parts, of the block or of the time")
    parts: int = 1
    pulses: int = Field(default=1, description="in how many pulses with pauses it is given")
    supply: str
    start: str
    end: str
    hours: float
    flow_m3_h: float
    volume_m3: float
    net_mm: float
    gross_mm: float
    cost: float = Field(description="in the farm's own currency; 0 without tariffs")
    due: str = Field(description="when the block reaches its trigger; empty where it is not known any more")
    late_h: float = Field(description="hours its middle comes after that; 0 when in time")
    late: bool = Field(description="whether that is worth telling: half a day or more")
    past_mm: float = Field(default=0.0, description="over the block past its trigger by then")
    state: Literal["proposed"] | SetState
    locked: bool = False
    by_hand: bool = False
    tonight: bool = Field(default=False, description="whether it starts before the next midday")
    group: str = ""
    note: str = Field(default="", description="what was said of it last")
    why: Words


class WayOutOut(Content):
    """A limit loosened and what comes of it."""

    supply: str
    what: Literal["hours", "flow", "people", "depth"]
    by: float
    saves_mm_days: float
    costs: float = Field(default=0.0, description="what the water costs more, in the farm's own currency")
    fits: list[str]
    words: Words


class UnfitOut(Content):
    """A block that wants water and finds no place, and what it lacks."""

    block: str
    name: str
    supply: str
    lacks: Words
    left: int = Field(default=1, description="how many of its parts find no place")
    parts: int = 1


class HeldOut(Content):
    """A block that is to wait and see, and why: nothing is planned for it."""

    block: str
    name: str
    why: Words


class LaneOut(Content):
    """A supply: its flow, null where not limited, hours it runs a day, when it does not run or its water is dear."""

    supply: str
    name: str
    kind: str = ""
    flow_m3_h: float | None
    runs_h: float | None
    dear: list[list[str]] = Field(description="start and end of each span above the lowest price, farm-local")
    closed: list[list[str]] = Field(
        default=[], description="start and end of each span in which it gives nothing: no turn"
    )
    left_m3: float | None = Field(default=None, description="of the water allowed this season")
    armed: bool = False
    controlled: bool = Field(default=False, description="whether a controller opens its valves")


class WorkerOut(Content):
    """Somebody who starts and stops sets by hand, and when they are on the farm within the plan."""

    name: str
    there: list[list[str]]


class PlanContent(Content):
    """Sets on supplies over some days, what does not fit, and what would help. Nothing is opened by it."""

    id: str = Field(description="of what is asked and approved: an approval names it, and is refused once it changed")
    as_of: str
    start: str
    end: str
    days: int
    lanes: list[LaneOut]
    people: list[WorkerOut]
    step_min: int
    sets: list[PlannedSetOut]
    unfit: list[UnfitOut]
    held: list[HeldOut]
    ways_out: list[WayOutOut]
    cost: float
    proven: bool = Field(description="whether no other plan stresses the crops less")
    words: Words


@dataclass(frozen=True)
class PlanBasis:
    """What a plan is made from, kept so that a set can be moved about without asking the blocks again."""

    id: str
    span: PlanDays
    rows: FarmRows
    sides: dict[str, SupplySide]
    asked: list[Asked]
    lanes: dict[str, SupplyLane]
    held: list[PlannedSet]
    blocks: list[BlockAdvice]
    now: int


_plans: "OrderedDict[str, PlanBasis]" = OrderedDict()
_solutions: "OrderedDict[str, tuple[Plan, list[WayOut]]]" = OrderedDict()
_lock = Lock()


def kept_basis(plan_id: str) -> PlanBasis | None:
    """What a plan shown before was made from; None where it is forgotten."""
    with _lock:
        return _plans.get(plan_id)


def _remember(basis: PlanBasis) -> None:
    with _lock:
        _plans[basis.id] = basis
        while len(_plans) > KEPT_PLANS:
            _plans.popitem(last=False)


@as_known_then
def plan_content(
    moment: str | None = None, days: int = 3, quick: bool = False, limit_s: float = LIMIT_S
) -> PlanContent:
    """The plan of the next days from a farm-local moment on (now if None), from the advice of all blocks.

    Sets of every block that is to start within these days, and its next ones. What is approved stands where it was
    approved. ``quick`` follows the deadlines alone and tells no ways out: at once, while the best is looked for, in
    ``limit_s`` seconds at the most. Raises as :func:`~embalse.services.advice.kept_round.round_json` does.
    """
    basis, lacking = plan_basis(moment, days)
    lanes, wanted, span = basis.lanes, [a.wanted for a in basis.asked], basis.span
    if quick:
        return _content(basis, lacking, plan_by_deadline(span.grid, lanes, wanted), [])
    return _content(basis, lacking, *_solved(basis, limit_s))


def _solved(basis: PlanBasis, limit_s: float) -> tuple[Plan, list[WayOut]]:
    """The best plan and its ways out, looked for once for the same question: a plan that is proven stays."""
    wanted = [a.wanted for a in basis.asked]
    question = hashlib.sha256(pickle.dumps([basis.span.grid, basis.lanes, wanted])).hexdigest()
    with _lock:
        known = _solutions.get(question)
    if known is not None:
        return known
    grid, lanes = basis.span.grid, basis.lanes
    plan = best_plan(grid, lanes, wanted, limit_s)
    ways = ways_out(grid, lanes, wanted, plan, WAYS_S)
    if not plan.quick and plan.gap == 0:
        with _lock:
            _solutions[question] = (plan, ways)
            while len(_solutions) > KEPT_PLANS:
                _solutions.popitem(last=False)
    return plan, ways


def plan_basis(moment: str | None, days: int) -> tuple[PlanBasis, list[Any]]:
    """What a plan is made from, and the blocks that cannot ask. Raises as the Round's content does."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    span = plan_days(now, days, farm.time_zone, STEP_MIN)
    sides = supply_sides(rows, now, farm.time_zone)
    held = holding(now, farm.time_zone)
    content = RoundContent.model_validate_json(round_json(moment, with_working=False))
    found = asked_for(content.blocks, (rows, sides), span, held)
    lanes = {key: lane_of(side, span, taken_of(held), rows) for key, side in sides.items()}
    basis = PlanBasis(
        _id_of(found.sets, held, span, lanes), span, rows, sides, found.sets, lanes, held, content.blocks, now
    )
    _remember(basis)
    return basis, found.not_asked


def _id_of(asked: list[Asked], held: list[PlannedSet], span: PlanDays, lanes: dict[str, SupplyLane]) -> str:
    """A name for what is asked and approved: depths to the millimetre and times to five minutes, as people see them."""
    said = [
        (a.wanted.key, a.supply.row.key, a.part.minutes, round(a.wanted.flow_m3_h), a.shift.name if a.shift else "")
        for a in asked
    ]
    kept = [(p.key, p.start_at, p.end_at, p.state) for p in held]
    gives = [(k, lane.flow_m3_h.tolist(), lane.price.tolist(), lane.hours_a_day) for k, lane in lanes.items()]
    text = json.dumps([span.start_at, span.grid.steps, said, kept, gives])
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def _content(basis: PlanBasis, lacking: list[Any], plan: Plan, ways: list[WayOut]) -> PlanContent:
    span, asked, zone = basis.span, basis.asked, basis.span.zone
    left = [a for a in asked if plan.start_of(a.wanted.key) is None and a.round == 0]
    unfit = [UnfitOut(block=n.block.key, name=n.block.name, supply="", lacks=n.lacks) for n in lacking]
    for key in dict.fromkeys(one.block.key for one in left):
        mine = [one for one in left if one.block.key == key]
        unfit.append(_unfit(mine, lacks(mine[0], basis.lanes[mine[0].supply.row.key], span, _loads(basis, plan))))
    sets = [set_of(one, start, basis) for one in asked if (start := plan.start_of(one.wanted.key)) is not None]
    approved = [approved_of(p, basis) for p in _shown(basis)]
    sets = sorted([*approved, *_in_order(sets)], key=lambda s: (s.start, s.block))
    late, without = sum(s.late for s in sets), sum(u.left for u in unfit)
    return PlanContent(
        id=basis.id,
        as_of=times.iso(basis.now, zone) or "",
        start=times.iso(span.start_at, zone) or "",
        end=times.iso(span.at(span.grid.steps), zone) or "",
        days=span.grid.steps // span.grid.a_day,
        lanes=[_lane_out(side, basis) for side in basis.sides.values()],
        people=_people(span),
        step_min=span.grid.step_min,
        sets=sets,
        unfit=unfit,
        held=[
            HeldOut(block=b.key, name=b.name, why=b.reason) for b in basis.blocks if waits(b) and due_within(b, span)
        ],
        ways_out=[_way(w, basis) for w in ways],
        cost=plan.cost,
        proven=not plan.quick and plan.gap == 0,
        words=_words(sets, span, late, without),
    )


def _words(sets: list[PlannedSetOut], span: PlanDays, late: int, without: int) -> str:
    tonight = [s for s in sets if s.tonight and s.state not in ("done", "cut short", "failed", "by hand")]
    days = span.grid.steps // span.grid.a_day
    values: dict[str, Any] = {"late": late or None, "unfit": without or None, "days": days, "sets": len(sets)}
    if tonight:
        values |= {"tonight": len(tonight), "water_m3": sum(s.volume_m3 for s in tonight)}
        return say(Notice("plan.tonight", **values))
    return say(Notice("plan.sum", **values))


def _shown(basis: PlanBasis) -> list[PlannedSet]:
    """Planned sets that lie within the plan, running ones too."""
    end, since = basis.span.at(basis.span.grid.steps), basis.span.start_at
    kept = planned_sets(basis.span.zone, since)
    return [p for p in kept if p.start_at < end and p.end_at > since and p.state != "withdrawn"]


def _in_order(sets: list[PlannedSetOut]) -> list[PlannedSetOut]:
    """Sets as they start, the parts of a block numbered so too."""
    counts: dict[str, int] = {}
    ordered = sorted(sets, key=lambda s: (s.start, s.block))
    for one in ordered:
        counts[one.block] = counts.get(one.block, 0) + 1
        one.part = (counts[one.block] - 1) % one.parts + 1
    return ordered


def _lane_out(side: SupplySide, basis: PlanBasis) -> LaneOut:
    lane, span = basis.lanes[side.row.key], basis.span
    return LaneOut(
        supply=side.row.key,
        name=side.row.name,
        kind=side.rules.kind if side.rules else "",
        flow_m3_h=side.flow_m3_h,
        runs_h=lane.hours_a_day,
        dear=spans(lane.price > lane.price.min() + 1e-9, span),
        closed=spans((lane.flow_m3_h <= 0) & ~lane.runs_anyway(), span),
        left_m3=season_left_m3(side, basis.rows, span),
        **_acting(side.row.key, span),
    )


def _acting(supply: str, span: PlanDays) -> dict[str, bool]:
    from embalse.services.planning.arming import armed, controlled

    return {"armed": armed(supply, span.start_at, span.zone), "controlled": controlled(supply)}


def spans(inside: "np.typing.NDArray[np.bool_]", span: PlanDays) -> list[list[str]]:
    """Start and end of each run of steps, farm-local."""
    edges = np.concatenate([[False], inside, [False]])
    turns = np.flatnonzero(edges[1:] != edges[:-1])
    moments = [times.iso(span.at(int(step)), span.zone) or "" for step in turns]
    return [list(pair) for pair in zip(moments[::2], moments[1::2], strict=True)]


def _people(span: PlanDays) -> list[WorkerOut]:
    found = []
    for person in work_hours(span.start_at, span.zone):
        there = attended([person], span)
        if there is not None:
            found.append(WorkerOut(name=person.person, there=spans(there[:-1] & there[1:], span)))
    return found


def set_of(one: Asked, start: int, basis: PlanBasis) -> PlannedSetOut:
    """A proposed set that starts at a step."""
    advised, wanted, span = one.block.advised, one.wanted, basis.span
    assert advised is not None
    lane = basis.lanes[one.supply.row.key]
    minutes, volume = one.part.minutes, one.part.volume_m3
    due_at = span.start_at + round(wanted.due_days * DAY_S)
    late_h = max(0.0, (span.at(start) + 30 * minutes - due_at) / 3600)
    price = float(lane.price[start : start + wanted.steps].mean())
    return PlannedSetOut(
        key=wanted.key,
        block=one.block.key,
        name=one.block.name,
        shift=one.shift.name if one.shift else "",
        valve=one.shift.valve if one.shift else "",
        pulses=one.part.pulses,
        tag=one.shift.tag if one.shift else "",
        part=one.part.number,
        parts=one.part.of,
        supply=one.supply.row.key,
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
        late=told_as_late(late_h) and one.round == 0,
        past_mm=late_h / 24 * wanted.falls_mm_d if one.round == 0 else 0.0,
        state="proposed",
        by_hand=one.by_hand,
        tonight=_tonight(span.at(start), span),
        why=one.block.why,
    )


def _tonight(at: int, span: PlanDays) -> bool:
    """Whether an instant comes before the midday after the next midnight."""
    today = times.local_day(span.start_at, span.zone)
    return at < times.instant_of(today + 1, NIGHT_ENDS_H, span.zone)


def approved_of(planned: PlannedSet, basis: PlanBasis) -> PlannedSetOut:
    """A set that is kept, as the plan shows it."""
    part, span, zone = planned.part, basis.span, basis.span.zone
    names = {b.key: b.name for b in basis.rows.blocks}
    lane = basis.lanes.get(part.supply)
    hours = (planned.end_at - planned.start_at) / 3600
    inside = span.touched(planned.start_at, planned.end_at)
    price = float(lane.price[inside].mean()) if lane is not None and inside.any() else 0.0
    area = next((b.area_ha for b in basis.rows.blocks if b.key == part.block), 1.0)
    return PlannedSetOut(
        key=planned.key,
        block=part.block,
        name=names.get(part.block, part.block),
        shift=part.shift,
        valve=part.valve,
        pulses=part.pulses,
        supply=part.supply,
        start=times.iso(planned.start_at, zone) or "",
        end=times.iso(planned.end_at, zone) or "",
        hours=hours,
        flow_m3_h=part.flow_m3_h,
        volume_m3=planned.volume_m3,
        net_mm=planned.net_on_part_mm(area),
        gross_mm=planned.volume_m3 / (10 * (part.area_ha or area)),
        cost=price * planned.volume_m3,
        due="",
        late_h=0.0,
        late=False,
        state=planned.state,
        locked=part.locked,
        by_hand=not part.valve,
        tonight=_tonight(planned.start_at, span),
        group=part.group,
        note=part.events[-1].note,
        why=part.why,
    )


def _loads(basis: PlanBasis, plan: Plan) -> Loads:
    """What a plan lays on the supplies."""
    loads = Loads(basis.span.grid, basis.lanes)
    for one in basis.asked:
        start = plan.start_of(one.wanted.key)
        if start is not None:
            loads.lay(one.wanted, start)
    return loads


def lacks(one: Asked, lane: SupplyLane, span: PlanDays, loads: Loads) -> str:
    """What keeps a set from its place: too long, too much flow, nobody there, no time, or the others of its supply."""
    wanted, supply = one.wanted, one.supply.row.name
    if wanted.steps > span.grid.steps:
        return say(Notice("plan.too_long", hours=span.grid.hours(wanted.steps)))
    if not len(may_start(wanted, lane, span.grid)):
        code, values = _never(one, lane, span)
        return say(Notice(code, supply=supply, **values))
    if wanted.flow_m3_h < lane.least_m3_h:
        return say(Notice("plan.too_little", supply=supply, least_m3_h=lane.least_m3_h))
    past = max(0.0, span.grid.steps / span.grid.a_day - wanted.due_days) * wanted.falls_mm_d
    needs = {"needs_h": one.part.minutes / 60, "free_h": longest_free_h(loads, wanted)}
    late = {"past_mm": past if past >= 1 else None}
    return say(Notice(f"binds.{what_binds(loads, wanted)}", supply=supply, **needs, **late))


def _never(one: Asked, lane: SupplyLane, span: PlanDays) -> tuple[str, dict[str, Any]]:
    most = one.supply.flow_m3_h
    if most is not None and one.wanted.flow_m3_h > most + 1e-9:
        return "plan.too_much", {"needs_m3_h": one.wanted.flow_m3_h, "gives_m3_h": most}
    if one.wanted.attended is not None:
        unattended = WantedSet(**{**one.wanted.__dict__, "attended": None})
        if len(may_start(unattended, lane, span.grid)):
            return "plan.nobody", {}
    if one.supply.rules is not None and one.supply.rules.turns:
        return "plan.no_turn", {"hours": span.grid.hours(one.wanted.steps)}
    return "plan.no_time", {}


def _unfit(left: list[Asked], why: str) -> UnfitOut:
    one = left[0]
    return UnfitOut(
        block=one.block.key,
        name=one.block.name,
        supply=one.supply.row.key,
        lacks=why,
        left=len(left),
        parts=one.part.of,
    )


def _way(way: WayOut, basis: PlanBasis) -> WayOutOut:
    supply = basis.sides[way.supply].row.name
    keys = {key.split(" ", 1)[0] for key in way.fits}
    names = tuple(b.name for b in basis.blocks if b.key in keys)
    values: dict[str, Any] = {"supply": supply, "less_fraction": way.saves_share, "blocks": names or None}
    if way.what == "hours":
        words = Notice("plan.way_hours", more_h=way.by, **values)
    elif way.what == "people":
        words = Notice("plan.way_people", **values)
    elif way.what == "depth":
        words = Notice("plan.way_depth", less_depth_fraction=way.by, **values)
    else:
        words = Notice("plan.way_flow", more_fraction=way.by, **values)
    return WayOutOut(
        supply=way.supply,
        what=way.what,
        by=way.by,
        saves_mm_days=way.saves_mm_d,
        costs=way.costs,
        fits=sorted(keys),
        words=say(words),
    )
