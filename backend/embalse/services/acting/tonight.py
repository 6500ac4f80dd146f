"""Last night and tonight: what ran and what is to run, for the Round, the run sheet and the phone."""

from collections.abc import Sequence
from typing import Final, Literal

from pydantic import Field

from embalse.core.acting.set_state import SetState
from embalse.core.acting.what_ran import Ran, cut_short
from embalse.core.quality.manual_readings import walking_order
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.acting.evidence import evidence_of, ran_of, said_of
from embalse.services.load import clock
from embalse.services.load.measured import measured_rates
from embalse.services.load.schemas import Content
from embalse.services.planning.arming import armed
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.planning.supplies import block_shifts
from embalse.services.reader import say
from embalse.services.readings.known_then import as_known_then
from embalse.store import controllers as controller_store
from embalse.store import farm as farm_store
from embalse.store.rows import FarmRows

DAY_S: Final = 86400
NOON_H: Final = 12  # hour a night ends at: what begins before the next one is tonight's (ours)
EARLY_S: Final = 3600  # seconds before its start from which a set can be started by hand (ours)
NOT_RUN: Final = frozenset({"failed"})


class NightSetOut(Content):
    """A set of last night or tonight, with what is known of it."""

    key: str
    block: str
    name: str
    shift: str
    valve: str
    tag: str
    supply: str
    supply_name: str
    start: str
    end: str
    hours: float
    net_mm: float = Field(description="on the part that is watered")
    gross_mm: float = Field(description="over the block")
    volume_m3: float
    flow_m3_h: float
    state: SetState
    note: str
    by_hand: bool
    armed: bool = Field(default=False, description="whether its supply may be opened automatically")
    pulses: int = 1
    sequence: int
    ran_start: str | None = None
    ran_end: str | None = None
    ran_hours: float | None = None
    ran_mm: float | None = Field(default=None, description="over the block")
    ran_m3: float | None = None
    water_from: Literal["", "measured", "flow × time", "depth"] = ""
    evidence: list[str] = Field(default=[], description="kinds of evidence there are of it")
    short_mm: float | None = Field(default=None, description="less than planned over the block; null where it is not")
    unsure: bool = Field(default=False, description="whether it is past its end and nobody said that it ran")


class ControllerOut(Content):
    """A controller, how it was last reached, and what its line said."""

    key: str
    name: str
    supply: str
    supply_name: str
    armed: bool
    reached: bool
    trouble: str
    seen: str | None
    clock_off_s: float | None
    pressure: bool | None
    flow_m3_h: float | None
    open_valves: list[str]


class TonightContent(Content):
    """Last night in a sentence and its sets; tonight's sets as they start, and in walking order."""

    as_of: str
    last_night: str = Field(description="empty where nothing was planned")
    tonight: str
    done: list[NightSetOut]
    sets: list[NightSetOut]
    walk: list[str] = Field(description="keys of tonight's sets in walking order")
    controllers: list[ControllerOut]
    flows: list[str] = Field(default=[], description="blocks whose measured flow falls or rises")


@as_known_then
def tonight_content(moment: str | None = None) -> TonightContent:
    """Last night and tonight at a farm-local moment (now if None)."""
    farm = clock.the_farm()
    zone, now = farm.time_zone, clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    today = times.local_day(now, zone)
    since, until = (times.instant_of(today + n, NOON_H, zone) for n in (-1, 1))
    kept = [p for p in planned_sets(zone, since) if p.state != "withdrawn"]
    over = [p for p in kept if p.end_at <= now or not p.live]
    ahead = [p for p in kept if p.live and p.end_at > now and p.start_at < until]
    done = [_out(p, rows, now) for p in over]
    sets = [_out(p, rows, now) for p in ahead]
    return TonightContent(
        as_of=times.iso(now, zone) or "",
        last_night=_last_night(done),
        tonight=_tonight(sets),
        done=done,
        sets=sets,
        walk=_walk(ahead, rows),
        controllers=[] if moment else controllers_out(now, zone, rows),
        flows=_flows(now, zone, rows),
    )


def _out(one: PlannedSet, rows: FarmRows, now: int) -> NightSetOut:
    part, zone = one.part, one.zone
    block = next((b for b in rows.blocks if b.key == part.block), None)
    shifts = block_shifts(part.block, now, zone)
    mine = [s for s in (shifts.shifts if shifts else []) if s.name == part.shift]
    supply = next((s.name for s in rows.supplies.values() if s.key == part.supply), part.supply)
    area = block.area_ha if block else 1.0
    gross = one.volume_m3 / (10 * area)
    evidence = evidence_of(one.key)
    ran = ran_of(one, evidence)
    found = NightSetOut(
        key=one.key,
        block=part.block,
        name=block.name if block else part.block,
        shift=part.shift,
        valve=part.valve,
        tag=mine[0].tag if mine else "",
        supply=part.supply,
        supply_name=supply,
        start=times.iso(one.start_at, zone) or "",
        end=times.iso(one.end_at, zone) or "",
        hours=(one.end_at - one.start_at) / 3600,
        net_mm=one.net_on_part_mm(area),
        gross_mm=gross,
        volume_m3=one.volume_m3,
        flow_m3_h=part.flow_m3_h,
        state=one.state,
        note=_note(one, ran),
        by_hand=_by_hand(one),
        armed=armed(part.supply, now, zone),
        pulses=part.pulses,
        sequence=part.sequence,
        evidence=[e.kind for e in evidence],
        unsure=one.live and one.end_at <= now and ran is None,
    )
    if ran is not None:
        found = found.model_copy(
            update={
                "ran_start": times.iso(ran.start_at, zone),
                "ran_end": times.iso(ran.end_at, zone),
                "ran_hours": ran.hours,
                "ran_mm": ran.gross_mm,
                "ran_m3": ran.volume_m3,
                "water_from": ran.volume_from,
                "short_mm": max(0.0, part.net_mm * (1 - ran.gross_mm / gross)) if _short(ran, gross) else None,
            }
        )
    return found


def _short(ran: Ran, gross_mm: float) -> bool:
    return ran.end_at is not None and cut_short(ran.gross_mm, gross_mm)


def _note(one: PlannedSet, ran: Ran | None) -> str:
    told = [] if ran is None or ran.outcome == "failed" else said_of(ran, one.zone)
    return " ".join(say(n) for n in told) or one.part.events[-1].note


def _by_hand(one: PlannedSet) -> bool:
    row = controller_store.of_supply(one.part.supply)
    return row is None or one.part.valve not in row.valves


def _last_night(done: Sequence[NightSetOut]) -> str:
    """Last night in a sentence: how many ran, and what did not run as planned."""
    if not done:
        return ""
    ran = [s for s in done if s.state in ("done", "cut short", "by hand") and (s.ran_hours or 0) > 0]
    odd = tuple(_odd(s) for s in done if s.state in ("cut short", "failed") or s.unsure or s.short_mm)
    return say(Notice("night.ran", ran=len(ran), planned=len(done), odd=odd or None))


def _odd(one: NightSetOut) -> Notice:
    name = f"{one.name}, {one.shift}" if one.shift else one.name
    if one.unsure:
        return Notice("night.unsure", name=name)
    if one.state == "failed" or not one.ran_hours:
        return Notice("night.failed", name=name, why=one.note or None)
    short = one.short_mm if one.short_mm and one.short_mm >= 0.5 else None
    return Notice("night.short", name=name, ran_h=one.ran_hours, planned_h=one.hours, why=one.note or None,
                  short_mm=short)  # fmt: skip


def _tonight(sets: Sequence[NightSetOut]) -> str:
    if not sets:
        return say(Notice("night.none"))
    running = sum(s.state == "running" for s in sets)
    waiting = next((s for s in sets if s.by_hand and s.state == "approved"), None)
    clock_h = None if waiting is None else int(waiting.start[11:13]) + int(waiting.start[14:16]) / 60
    left = len(sets) - running
    return say(Notice("night.ahead", running=running or None, left=left or None, wait_clock_h=clock_h,
                      water_m3=sum(s.volume_m3 for s in sets)))  # fmt: skip


def _flows(now: int, zone: str, rows: FarmRows) -> list[str]:
    """Blocks whose measured flow falls or rises at steady pressure."""
    names = {b.key: b.name for b in rows.blocks}
    found = [(names.get(key, key), flow) for key, flow in measured_rates(now, zone).items() if flow.trend is not None]
    return [say(Notice(f"flow.{flow.trend}", name=name, change_fraction=abs(flow.trend_share))) for name, flow in found]


def _walk(sets: Sequence[PlannedSet], rows: FarmRows) -> list[str]:
    """Sets in the order somebody would walk to them: by the places of their blocks' stations."""
    places: dict[str, tuple[float, float] | None] = {}
    for block in rows.blocks:
        found = [
            (s.longitude, s.latitude)
            for s in rows.stations.get(block.id, [])
            if s.longitude is not None and s.latitude is not None
        ]
        places[block.key] = found[0] if found else None
    order = walking_order([places.get(p.part.block) for p in sets])
    return [sets[n].key for n in order]


def controllers_out(now: int, zone: str, rows: FarmRows) -> list[ControllerOut]:
    """Controllers with what they last said."""
    from embalse.services.acting.stepping import controller_says

    names = {s.key: s.name for s in rows.supplies.values()}
    found = []
    for row in controller_store.controllers():
        said = controller_says(row)
        found.append(
            ControllerOut(
                key=row.key,
                name=row.name,
                supply=row.supply,
                supply_name=names.get(row.supply, row.supply),
                armed=armed(row.supply, now, zone),
                reached=row.seen_at is not None and not row.trouble,
                trouble=row.trouble,
                seen=times.iso(row.seen_at, zone),
                clock_off_s=row.clock_off_s,
                pressure=said.line.pressure if said else None,
                flow_m3_h=said.line.flow_m3_h if said else None,
                open_valves=[v.valve for v in said.valves if v.open] if said else [],
            )
        )
    return found
