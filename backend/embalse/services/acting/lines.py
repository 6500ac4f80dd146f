"""Pressure switches and meters that send through the telemetry door: evidence of sets run by hand."""

from collections.abc import Sequence
from typing import Annotated, Final

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.acting.line_watch import LineReading, longest_spell
from embalse.core.acting.shared_meter import Open, volumes_m3
from embalse.core.errors import CoreError
from embalse.services import times
from embalse.services.acting.evidence import keep_evidence, ran_of, settle
from embalse.services.intake.telemetry import REFUSALS_TOLD, IngestReport, RefusedReading
from embalse.services.load import clock
from embalse.services.planning.planned import PlannedSet, evidence_key, planned_sets
from embalse.services.schema.base import Key, Number
from embalse.services.schema.water import SetEvidencePart
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.database import transaction

BEFORE_S: Final = 2 * 3600  # seconds before a set from which on its line is looked at: people start early (ours)
AFTER_S: Final = 3 * 3600  # seconds after its end until which it is (ours)
FUTURE_S: Final = 900  # seconds a device's clock may be ahead: more would end sets that still run (ours)


class LineIn(BaseModel):
    """What a supply's line says at an instant (whole epoch seconds): pressure or none, and its meter."""

    model_config = ConfigDict(extra="forbid", defer_build=True)
    supply: Key
    at: Annotated[int, Field(ge=0, lt=2**37)]
    pressure: bool | None = None
    meter_m3: Annotated[Number, Field(ge=0)] | None = None


def accept_lines(lines: Sequence[LineIn], stations: Sequence[str] = ()) -> IngestReport:
    """Keep what lines said, and settle the sets it is about; the same again changes nothing.

    A line of no supply, of one whose blocks are not the sender's, or of the future is refused; the others are kept.
    ``stations`` are those a device may send for: all where empty.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    allowed = _supplies_of(stations)
    taken: list[LineIn] = []
    refusals = []
    for index, line in enumerate(lines):
        reason = "no supply of this gateway has this name" if line.supply not in allowed else ""
        if line.at > now + FUTURE_S:
            reason = "the time is in the future"
        if reason:
            refusals.append(RefusedReading(index=index, channel=line.supply, reason=reason))
        else:
            taken.append(line)
    with transaction():
        new = store.keep_lines([(ln.supply, ln.at, ln.pressure, ln.meter_m3) for ln in taken])
        if new:
            _settle(taken, now, farm.time_zone)
    return IngestReport(
        new=new, known=len(taken) - new, refused=len(refusals), refusals=refusals[:REFUSALS_TOLD]
    )  # fmt: skip


def _supplies_of(stations: Sequence[str]) -> set[str]:
    """Supplies a device may send for: those of its stations' blocks, all where it is bound to no station."""
    rows = farm_store.farm_rows()
    if not stations:
        return {s.key for s in rows.supplies.values()}
    blocks = {station.split("/", 1)[0] for station in stations}
    return {rows.supplies[b.supply_id].key for b in rows.blocks if b.key in blocks and b.supply_id is not None}


def _settle(lines: Sequence[LineIn], now: int, zone: str) -> None:
    first = min(line.at for line in lines)
    supplies = {line.supply for line in lines}
    last = max(line.at for line in lines)
    sets = [p for p in planned_sets(zone, first - AFTER_S) if p.part.supply in supplies and p.state != "withdrawn"]
    for one in sets:
        if one.start_at - BEFORE_S > last or "controller" in _kinds(one):
            continue
        found = _evidence(one, sets)
        if found is not None:
            keep_evidence(found)
            settle(one.key, now, by="line")


def _kinds(one: PlannedSet) -> set[str]:
    from embalse.services.acting.evidence import evidence_of

    return {e.kind for e in evidence_of(one.key)}


def _evidence(one: PlannedSet, sets: Sequence[PlannedSet]) -> SetEvidencePart | None:
    """What its line tells of a set: start and end where it was alone on it, water where its times are known."""
    span = (one.start_at - BEFORE_S, one.end_at + AFTER_S)
    told = [LineReading(*row) for row in store.lines(one.part.supply, *span)]
    beside = [p for p in sets if p.key != one.key and p.part.supply == one.part.supply
              and p.start_at < one.end_at and one.start_at < p.end_at]  # fmt: skip
    spell = None if beside else longest_spell(told, *span)
    start = None if spell is None else spell.start_at
    end = None if spell is None else spell.end_at
    if spell is None and beside:
        ran = ran_of(one)
        start, end = (None, None) if ran is None else (ran.start_at, ran.end_at)
    water = None
    if start is not None and end is not None:
        meter = [(r.at, r.meter_m3) for r in told if r.meter_m3 is not None]
        opened = [Open(one.key, start, end, one.part.flow_m3_h)]
        opened += [Open(p.key, p.start_at, p.end_at, p.part.flow_m3_h) for p in beside]
        try:
            water = volumes_m3(meter, opened)[one.key]
        except CoreError:
            water = None
    if spell is None and water is None:
        return None
    at = None if beside else start
    head = {"key": evidence_key(one.key, "switch"), "block": one.part.block, "planned": one.key, "kind": "switch"}
    body = {
        "start": None if at is None else times.local(at, one.zone),
        "end": None if beside or end is None else times.local(end, one.zone),
        "volume_m3": water,
    }
    if all(v is None for v in body.values()):
        return None
    return SetEvidencePart.model_validate(head | body)
