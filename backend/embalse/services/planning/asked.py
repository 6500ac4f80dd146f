"""What the blocks ask for: their sets in parts, from the advice, over the days of a plan."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime

from embalse.core.crop.yield_response import yield_response_factor
from embalse.core.delivery.set_parts import SetPart, parts_of
from embalse.core.planning.asking import EARLY_DAYS, HELD, dry_days, due_in_days, further_due_days, parts_promised
from embalse.core.planning.water_side import WantedSet
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load.schemas import BlockAdvice
from embalse.services.planning.planned import PlannedSet
from embalse.services.planning.supplies import Flags, PlanDays, SupplySide, attended, block_shifts, night, work_hours
from embalse.services.reader import say
from embalse.services.schema.water import BlockShiftsPart, ShiftPart
from embalse.store.rows import BlockRow, FarmRows

DAY_S = 86400
ANY = "*"  # a set that names none of its block's shifts


@dataclass(frozen=True)
class Asked:
    """A part of a block's advised set as the plan asks for it; ``round`` 0 is the set advised now, 1 the next."""

    block: BlockAdvice
    supply: SupplySide
    wanted: WantedSet
    part: SetPart
    shift: ShiftPart | None = None
    round: int = 0
    by_hand: bool = False


@dataclass(frozen=True)
class NotAsked:
    """A block that wants water but cannot ask for it, and what it lacks."""

    block: BlockAdvice
    lacks: str


@dataclass(frozen=True)
class AskedFor:
    """Everything asked for, and what cannot be."""

    sets: list[Asked]
    not_asked: list[NotAsked]


def asked_for(
    blocks: list[BlockAdvice], of: tuple[FarmRows, dict[str, SupplySide]], span: PlanDays, held: list[PlannedSet]
) -> AskedFor:
    """What the blocks ask for within the plan's days.

    What is approved is not asked for again: a part of a block with an approved set asks for the next one only. One that
    uses up its set within the days asks for the next ones too.
    """
    rows, sides = of
    by_key = {row.key: row for row in rows.blocks}
    people = attended(work_hours(span.start_at, span.zone), span)
    found, lacking = [], []
    for block in blocks:
        if block.advised is None or waits(block):
            continue
        mine = [p for p in held if p.part.block == block.key]
        if not mine and not due_within(block, span):
            continue
        row = by_key[block.key]
        supply = None if row.supply_id is None else sides[rows.supplies[row.supply_id].key]
        minutes = block.advised.all_sets_min or block.advised.set_time_min
        if supply is None or not minutes:
            if not mine:
                code = "plan.no_supply" if supply is None else "plan.no_rate"
                lacking.append(NotAsked(block, say(Notice(code))))
            continue
        found += list(_of_block(_Block(block, row, supply, block_shifts(block.key, span.start_at, span.zone)),
                                mine, span, people))  # fmt: skip
    return AskedFor(found, lacking)


@dataclass(frozen=True)
class _Block:
    advice: BlockAdvice
    row: BlockRow
    supply: SupplySide
    shifts: BlockShiftsPart | None


def _of_block(one: _Block, held: list[PlannedSet], span: PlanDays, people: Flags | None) -> Iterator[Asked]:
    advised = one.advice.advised
    assert advised is not None
    use = one.advice.use_mm_d.mid if one.advice.use_mm_d else 1.0
    mid = one.advice.refill.days.mid if one.advice.refill else 0.0
    due = due_in_days(mid, one.advice.depletion_mm, one.advice.trigger_mm, use)
    parts = _parts(one, span)
    promised = _promised(parts, held, span.start_at)
    days, by_zone = span.grid.steps / span.grid.a_day, _due_by_zone(one.advice, span)
    for number, due_then in enumerate(further_due_days(due, advised.net_mm, use, one.advice.wetted_fraction, days)):
        for part, shift in parts:
            due_part = by_zone.get(shift.name, due_then) if shift is not None and number == 0 else due_then
            if by_zone and due_part >= days:
                continue
            name = next((n for n in (shift.name if shift else "", ANY) if promised[n] > 0), None)
            if name is not None:
                promised[name] -= 1
                continue
            wanted = _wanted(one, (part, len(parts)), span, due_part, number)
            if number == 0 and shift is not None and shift.name in by_zone:
                wanted = replace(wanted, earliest=max(wanted.earliest, _with_room(due_part, span)))
            if people is not None and one.shifts is not None and one.shifts.by_hand:
                wanted = replace(wanted, attended=people, ends_within=part.minutes % span.grid.step_min > 0)
            by_hand = one.shifts is not None and one.shifts.by_hand
            yield Asked(one.advice, one.supply, wanted, part, shift, number, by_hand)


def _promised(parts: list[tuple[SetPart, ShiftPart | None]], held: list[PlannedSet], now: int) -> Counter[str]:
    """How many parts of a block its approved and running sets water, by shift; ANY where that is none of its shifts."""
    part_m3: dict[str, float] = {}
    for part, shift in parts:
        part_m3.setdefault(shift.name if shift else "", part.volume_m3)
    mean_m3 = sum(part.volume_m3 for part, _ in parts) / max(len(parts), 1)
    found: Counter[str] = Counter()
    for one in held:
        name = one.part.shift if one.part.shift in part_m3 else ANY
        to_come = one.volume_m3 * min(1.0, max(0, one.end_at - now) / max(one.end_at - one.start_at, 1))
        found[name] += parts_promised(to_come, part_m3.get(name, mean_m3))
    return found


def _parts(one: _Block, span: PlanDays) -> list[tuple[SetPart, ShiftPart | None]]:
    """By its shifts where they are entered, else by what its supply can give."""
    advised = one.advice.advised
    assert advised is not None
    minutes = advised.all_sets_min or advised.set_time_min or 0
    limits = (one.supply.flow_m3_h, one.supply.runs_h)
    fill = 0 if one.shifts is None else round(one.shifts.fill_min)
    if one.shifts is not None and len(one.shifts.shifts) > 1:
        flow, area = advised.volume_m3 / (minutes / 60), sum(s.area_ha for s in one.shifts.shifts)
        of_zone = _by_zone(one)
        move = round(one.shifts.move_min)
        found: list[tuple[SetPart, ShiftPart | None]] = []
        for shift in one.shifts.shifts:
            share, times_all = shift.area_ha / area, of_zone.get(shift.name, 1.0)
            mine = 5 * round(minutes * times_all / 5)
            if mine <= 0:
                continue
            whole = parts_of(advised.volume_m3 * share * times_all, mine, (None, one.supply.runs_h), sets=advised.sets,
                             step_min=span.grid.step_min)  # fmt: skip
            found += [
                (replace(p, minutes=p.minutes + fill + move, flow_m3_h=flow * share,
                         depth_share=p.depth_share * times_all), shift)
                for p in whole
            ]  # fmt: skip
        return [(replace(p, number=n + 1, of=len(found)), s) for n, (p, s) in enumerate(found)]
    parts = parts_of(
        advised.volume_m3, minutes, limits, goes_over=advised.timer_fraction is not None, sets=advised.sets,
        step_min=span.grid.step_min,
    )  # fmt: skip
    only = one.shifts.shifts[0] if one.shifts is not None else None
    if advised.pulses is not None:
        whole_min = 5 * round(60 * advised.pulses.total_h / 5)
        parts = [replace(p, minutes=whole_min, pulses=advised.pulses.count, flowing_min=p.minutes) for p in parts]
        return [(p, only) for p in parts]
    return [(replace(p, minutes=p.minutes + fill), only) for p in parts]


def _by_zone(one: _Block) -> dict[str, float]:
    """Depth of every part that waters zones of its own, as a share of the block's [-], by the part's name."""
    advised = one.advice.advised
    found: dict[str, tuple[float, float]] = {}
    for zone in one.advice.zones:
        if zone.shift and zone.gross_mm is not None and advised is not None and advised.gross_mm > 0:
            volume, area = found.get(zone.shift, (0.0, 0.0))
            found[zone.shift] = (volume + zone.gross_mm * zone.area_ha, area + zone.area_ha)
    gross = advised.gross_mm if advised is not None else 1.0
    return {name: volume / area / gross for name, (volume, area) in found.items() if area > 0}


def _due_by_zone(block: BlockAdvice, span: PlanDays) -> dict[str, float]:
    """When parts that water zones of their own are due [days from the plan's beginning]: with their first zone."""
    found: dict[str, float] = {}
    for zone in block.zones:
        if zone.shift and zone.due_at is not None:
            due = (instant(zone.due_at) - span.start_at) / DAY_S
            found[zone.shift] = min(due, found.get(zone.shift, due))
    return found


def _wanted(one: _Block, of: tuple[SetPart, int], span: PlanDays, due: float, number: int) -> WantedSet:
    part, count = of
    use = one.advice.use_mm_d.mid if one.advice.use_mm_d else 1.0
    earliest, allowed = may_run(one.advice, one.shifts, span)
    if number > 0:
        earliest = max(earliest, _with_room(due, span))
    return WantedSet(
        key=f"{one.advice.key} {part.number}/{part.of}" + (f" +{number}" if number else ""),
        supply=one.supply.row.key,
        flow_m3_h=part.flow_m3_h,
        steps=max(1, -(-part.minutes // span.grid.step_min)),
        earliest=max(0, earliest),
        due_days=due,
        falls_mm_d=max(use * one.advice.wetted_fraction, 0.1),
        weight=(yield_response_factor(one.advice.crop) or 1.0) / count,
        allowed=allowed,
        block=one.advice.key,
    )


def _with_room(due: float, span: PlanDays) -> int:
    """The step from which on a set that is due then [days from the plan's beginning] finds room in the soil."""
    return round((due - EARLY_DAYS) * span.grid.a_day)


def may_run(block: BlockAdvice, shifts: BlockShiftsPart | None, span: PlanDays) -> tuple[int, Flags | None]:
    """The step from which on a block may have water, and those in which it may: all where None."""
    waits_until = [] if block.wait_until_at is None else [instant(block.wait_until_at)]
    if shifts is not None and shifts.turn_until is not None:
        waits_until.append(times.epoch(shifts.turn_until, span.zone))
    wait = max([0, *(at - span.start_at for at in waits_until)])
    allowed = _dry_kept(block, span)
    if shifts is not None and shifts.night_only:
        allowed = night(span) if allowed is None else allowed & night(span)
    return -(-wait // (60 * span.grid.step_min)), allowed


def _dry_kept(block: BlockAdvice, span: PlanDays) -> Flags | None:
    """Steps outside the keep-dry periods the advice names."""
    allowed = None
    days = times.wall_seconds(span.instants(), span.zone) // DAY_S
    for last, until in dry_days([(n.code, n.values) for n in block.notices]):
        dry = days > last if last is not None else days > -1
        if until is not None:
            dry = dry & (days <= until)
        allowed = ~dry if allowed is None else allowed & ~dry
    return allowed


def waits(block: BlockAdvice) -> bool:
    """Whether a block is to wait and see: by a person's order, or because rain is to do the set's work."""
    if block.ordered == "water":
        return False
    return block.ordered == "hold" or any(n.code in HELD for n in block.notices)


def due_within(block: BlockAdvice, span: PlanDays) -> bool:
    """Whether a block is to start within the plan's days, or a zone of it that is watered by itself."""
    if block.group == "act" or any(d < span.grid.steps / span.grid.a_day for d in _due_by_zone(block, span).values()):
        return True
    start = block.start_by_at
    return start is not None and instant(start) < span.at(span.grid.steps)


def instant(iso: str) -> int:
    """Instant of a farm-local text with its offset [s, UTC]."""
    return int(datetime.fromisoformat(iso).timestamp())
