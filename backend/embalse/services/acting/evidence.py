"""What really ran: evidence of a set from whatever source, put together, and the set kept on record by it."""

import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final

from embalse.core.acting.set_state import MARGIN_S, SetState
from embalse.core.acting.shared_meter import Open, volumes_m3
from embalse.core.acting.what_ran import Evidence, Ran, Wanted, what_ran
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument, SetPart
from embalse.services.load.measured import measured_block_flow
from embalse.services.planning import planned as planned_store
from embalse.services.planning.planned import PlannedSet
from embalse.services.reader import reading_as, say
from embalse.services.schema.water import SetEvidencePart
from embalse.store import controllers as controller_store
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.controllers import ControllerRow, ValveEventRow
from embalse.store.errors import NotFound

KIND: Final = "set_evidence"
CLOSINGS: Final = frozenset({"closed", "closed: longest time", "closed: by hand", "closed: power lost"})
LOOK_BACK_S: Final = 3 * 3600  # before a set from which on its controller's meter is read (ours)
LEAST_LOGGED_MM: Final = 0.1  # below which nothing is put on record: the valve moved, no water came (ours)


def evidence_of(planned: str) -> list[SetEvidencePart]:
    """Evidence of a planned set, oldest first."""
    found = [json.loads(r.body) for r in record_store.records(KIND)] if not planned else _of(planned)
    return [SetEvidencePart.model_validate(body) for body in found if body["planned"] == planned]


def _of(planned: str) -> list[dict[str, Any]]:
    block = json.loads(record_store.record(planned_store.KIND, planned).body)["block"]
    return [json.loads(r.body) for r in record_store.records(KIND, block)]


def _as_core(part: SetEvidencePart, zone: str) -> Evidence:
    def at(moment: datetime | None) -> int | None:
        return None if moment is None else times.epoch(moment, zone)

    return Evidence(
        part.kind, at(part.start), at(part.end), part.hours, part.measured_m3(), part.gross_mm, at(part.no_pressure),
        part.failed,
    )  # fmt: skip


def ran_of(one: PlannedSet, found: Sequence[SetEvidencePart] | None = None) -> Ran | None:
    """What really ran of a planned set; None without evidence."""
    parts = evidence_of(one.key) if found is None else found
    mean_flow = one.volume_m3 * 3600 / (one.end_at - one.start_at)
    wanted = Wanted(one.start_at, one.end_at, mean_flow, _area(one.part.block))
    measured = None
    if _hangs_on_flow(parts) and one.part.pulses == 1:
        measured = measured_block_flow(one.part.block, one.part.area_ha, one.start_at)
    return what_ran(wanted, [_as_core(p, one.zone) for p in parts], measured)


def _hangs_on_flow(parts: Sequence[SetEvidencePart]) -> bool:
    """Whether water or time is worked out from a flow: what was measured at both ends needs none."""
    counted = any(p.measured_m3() is not None for p in parts)
    return bool(parts) and not (counted and any(p.start and p.end for p in parts))


def _area(block: str) -> float:
    return farm_store.farm_rows([block]).blocks[0].area_ha


def said_of(ran: Ran, zone: str) -> list[Notice]:
    """What differed from the plan, as it is told."""
    lost = []
    if ran.no_pressure_at is not None and ran.outcome != "done":
        at = times.local(ran.no_pressure_at, zone)
        lost = [Notice("ran.no_pressure", lost_clock_h=at.hour + at.minute / 60)]
    return [*lost, *ran.notices]


def keep_evidence(part: SetEvidencePart) -> None:
    """Keep a piece of evidence and settle the set it is about; the same again changes nothing.

    Raises DocumentErrors.
    """
    apply_document(FarmDocument(embalse=1, set_evidence=[part]))


def settle(key: str, now: int, *, by: str = "") -> PlannedSet:
    """Bring a planned set and the set on record to what the evidence says. Raises NotFound."""
    from embalse.services.load import clock

    one = planned_store.planned_set(key, clock.the_farm().time_zone)
    ran = ran_of(one)
    if ran is None:
        return one
    state: SetState = ran.outcome
    with reading_as("metric"):  # it is kept; whoever reads it later is told in their own units
        note = " ".join(say(n) for n in said_of(ran, one.zone))
    if state == "failed":
        note = next((e.note for e in evidence_of(key) if e.failed and e.note), note)
    at = max(min(now, ran.end_at or now), _last(one))
    one = planned_store.became(one, state, at, note, by) if state != one.state else _noted(one, note)
    return _logged(one, ran)


def _last(one: PlannedSet) -> int:
    return times.epoch(one.part.events[-1].at, one.zone)


def _noted(one: PlannedSet, note: str) -> PlannedSet:
    if not note or one.part.events[-1].note == note:
        return one
    events = [*one.part.events[:-1], one.part.events[-1].model_copy(update={"note": note})]
    part = one.part.model_copy(update={"events": events})
    planned_store.keep([part])
    return PlannedSet(part, one.start_at, one.end_at, one.zone)


def _logged(one: PlannedSet, ran: Ran) -> PlannedSet:
    """The set on record as it really ran: written when it is over, written anew when better evidence comes."""
    if ran.end_at is None:
        return one
    before = one.part.logged
    start = times.local(ran.start_at, one.zone)
    if before is not None and (ran.gross_mm < LEAST_LOGGED_MM or before != start):
        _unlog(one.part.block, times.epoch(before, one.zone))
    if ran.gross_mm < LEAST_LOGGED_MM or ran.hours <= 0:
        return _with_log(one, None)
    gross = min(500.0, round(ran.gross_mm, 2))
    note = f"{one.part.shift or 'planned'}: {one.state}"
    part = SetPart(block=one.part.block, start=start, hours=round(ran.hours, 4), gross_mm=gross, note=note)
    apply_document(FarmDocument(embalse=1, sets=[part]))
    return _with_log(one, start)


def _unlog(block: str, start_at: int) -> None:
    block_id = farm_store.farm_rows([block]).blocks[0].id
    try:
        farm_store.set_deleted("set", {"block_id": block_id, "start_at": start_at}, times.now_utc())
    except NotFound:
        return


def _with_log(one: PlannedSet, start: datetime | None) -> PlannedSet:
    if one.part.logged == start:
        return one
    part = one.part.model_copy(update={"logged": start})
    planned_store.keep([part])
    return PlannedSet(part, one.start_at, one.end_at, one.zone)


def evidence_from_controller(
    one: PlannedSet, row: ControllerRow, now: int, *, shut: bool = False
) -> SetEvidencePart | None:
    """What a controller's log tells of a planned set; None where it tells nothing yet.

    ``shut`` says that the controller shows its valve closed now.
    """
    events = controller_store.events(row.id, one.start_at - LOOK_BACK_S, max(now, one.end_at) + LOOK_BACK_S)
    mine = [e for e in events if e.command.startswith(f"{one.key}|") or (e.valve == one.part.valve and not e.command)]
    opened = next((e for e in mine if e.what == "opened" and e.command.startswith(f"{one.key}|")), None)
    refused = next((e for e in mine if e.what == "did not open"), None)
    if opened is None:
        if refused is None:
            return None
        return _part(one, failed=True, note="the valve did not open")
    openings = [e for e in mine if e.what == "opened" and e.command.startswith(f"{one.key}|")]
    closings = [_closing(mine, e) for e in openings]
    closed = closings[-1]
    over = closed is not None and (len(openings) >= one.part.pulses or now >= one.end_at)
    end = closed.at if closed is not None and over else None
    if closed is None and shut and now > one.end_at + MARGIN_S:
        end = one.end_at  # the log lost its closing; the valve is closed and had no longer
    lost = next((e.at for e in events if e.what == "pressure lost" and opened.at <= e.at <= (end or now)), None)
    back = next((e.at for e in events if e.what == "pressure back" and lost is not None and e.at > lost), None)
    until = end if end is not None else now
    if lost is not None and back is not None and back < until:
        lost = None  # it came back: what the meter counted tells how much was missing
    water = _metered(one, events, openings, end) if end is not None else None
    note = "" if closed is None or closed.what == "closed" else closed.what
    bars = [e.value for e in events if e.what == "bar" and e.value is not None and opened.at <= e.at <= until]
    bar = sum(bars) / len(bars) if bars else None
    return _part(one, start=opened.at, end=end, volume_m3=water, no_pressure=lost, pressure_bar=bar, note=note)


def _part(one: PlannedSet, **known: Any) -> SetEvidencePart:
    values: dict[str, Any] = {
        name: times.local(value, one.zone) if name in ("start", "end", "no_pressure") and value is not None else value
        for name, value in known.items()
    }
    key = planned_store.evidence_key(one.key, "controller")
    head = {"key": key, "block": one.part.block, "planned": one.key, "kind": "controller"}
    return SetEvidencePart.model_validate(head | values)


def _closing(events: list[ValveEventRow], opened: ValveEventRow) -> ValveEventRow | None:
    return next((e for e in events if e.what in CLOSINGS and e.valve == opened.valve and e.seq > opened.seq), None)


def _metered(one: PlannedSet, events: list[ValveEventRow], openings: list[ValveEventRow], end: int) -> float | None:
    meter = [(e.at, e.value) for e in events if e.what == "meter" and e.value is not None]
    spans: list[Open] = []
    for event in (e for e in events if e.what == "opened"):
        closed = _closing(events, event)
        other = event.command.split("|")[0]
        flow = one.part.flow_m3_h if event in openings else _flow_of(other, one.part.flow_m3_h, one.zone)
        last = closed.at if closed is not None else end
        spans.append(Open(str(event.seq), event.at, last, flow))
    try:
        found = volumes_m3(meter, spans)
    except ValueError:
        return None
    mine = [found[str(e.seq)] for e in openings]
    return None if any(v is None for v in mine) else sum(v or 0.0 for v in mine)


def _flow_of(key: str, otherwise: float, zone: str) -> float:
    try:
        return planned_store.planned_set(key, zone).part.flow_m3_h
    except NotFound:
        return otherwise
