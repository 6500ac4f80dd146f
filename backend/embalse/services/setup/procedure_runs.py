"""Guided procedures under way: how a run stands, closing it, and channel checks."""

import json
from datetime import datetime
from typing import Any

from pydantic import BaseModel, Field

from embalse.core.errors import require
from embalse.core.install.channel_check import Touch, channel_check, swaps
from embalse.core.install.procedures import (
    Done,
    RunState,
    SensorPlace,
    Step,
    entered_channels,
    found_sensors,
    measured_depths_cm,
    procedure,
    procedures,
    run_state,
)
from embalse.services import times
from embalse.services.load import clock
from embalse.services.reader import Words, say, say_all
from embalse.services.readings import faults
from embalse.services.schema.practice import SensorFindingPart
from embalse.services.schema.records import ChannelCheckPart, ProcedureRunPart
from embalse.services.setup.stations import station_rows
from embalse.store import farm as store
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict


class StepOut(BaseModel):
    """A step of a procedure."""

    step: str
    scope: str
    entry: str
    title: Words
    why: Words
    caution: Words
    unit: str
    low: float | None
    high: float | None
    timer_min: float | None
    required: bool
    source: Words
    options: list[str]


class ProcedureOut(BaseModel):
    """A procedure with its steps."""

    procedure: str
    title: Words
    about: Words
    subject: str
    kind: str
    source: Words
    steps: list[StepOut]


class ProceduresContent(BaseModel):
    """Every procedure there is."""

    procedures: list[ProcedureOut]


def procedures_content() -> ProceduresContent:
    """The procedures as the pages offer them."""
    return ProceduresContent(
        procedures=[
            ProcedureOut(**{**vars(p), "steps": [_step_out(s) for s in p.steps]}) for p in procedures().values()
        ]
    )


def _step_out(step: Step) -> StepOut:
    return StepOut(**{**vars(step), "options": list(step.options)})


class RunStepOut(BaseModel):
    """A step of a run, with what was entered."""

    id: str
    step: StepOut
    sensor: str | None
    depth_cm: float | None
    outcome: str = Field(description="open, done, passed or failed")
    words: Words
    value: float | str | None
    at: str | None
    who: str
    note: str
    photo: str


class RunContent(BaseModel):
    """A run of a procedure: its steps, what is missing, what failed, the verdict."""

    key: str
    title: Words
    about: Words
    kind: str
    subject: str
    subject_name: str
    run: dict[str, Any]
    steps: list[RunStepOut]
    next_id: str | None
    gaps: list[str]
    failures: list[str]
    notices: list[str]
    verdict: str
    closed: str | None


def _part(key: str) -> ProcedureRunPart:
    return ProcedureRunPart.model_validate(json.loads(record_store.record("procedure_runs", key).body))


def _places(part: ProcedureRunPart) -> tuple[list[SensorPlace], str]:
    if part.station is None:
        return [], part.device or ""
    rows, block, station = station_rows(part.station)
    places = [SensorPlace(s.key, s.depth_cm, s.raw_unit) for s in rows.sensors.get(station.id, [])]
    return places, f"{block.name}, {station.name}"


def state_of(part: ProcedureRunPart) -> RunState:
    """How a run stands."""
    zone = clock.the_farm().time_zone
    done = {id_: Done(d.value, times.epoch(d.at, zone), d.who) for id_, d in part.done.items()}
    return run_state(procedure(part.procedure), _places(part)[0], done)


def run_content(key: str) -> RunContent:
    """A run as its page shows it; raises NotFound."""
    part = _part(key)
    zone = clock.the_farm().time_zone
    chosen, state = procedure(part.procedure), state_of(part)
    steps = []
    for one in state.steps:
        entry = part.done.get(one.id)
        steps.append(
            RunStepOut(
                id=one.id,
                step=_step_out(one.step),
                sensor=one.sensor.key if one.sensor else None,
                depth_cm=one.sensor.depth_cm if one.sensor else None,
                outcome=one.outcome,
                words=say(one.words),
                value=entry.value if entry else None,
                at=times.iso(times.epoch(entry.at, zone), zone) if entry else None,
                who=entry.who if entry else "",
                note=entry.note if entry else "",
                photo=entry.photo if entry else "",
            )
        )
    return RunContent(
        key=key,
        title=chosen.title,
        about=chosen.about,
        kind=chosen.kind,
        subject=part.station or part.device or "",
        subject_name=_places(part)[1],
        run=part.model_dump(mode="json"),
        steps=steps,
        next_id=state.next_id,
        gaps=say_all(state.gaps),
        failures=say_all(state.failures),
        notices=say_all(state.notices),
        verdict=state.verdict,
        closed=None if part.closed is None else times.iso(times.epoch(part.closed, zone), zone),
    )


def close_run(key: str, even_failed: bool = False, at: datetime | None = None) -> RunContent:
    """Close a run and carry what it found over to its station: depths, channels, place, the day it went in.

    ``at`` is when it was finished, now if absent: a logbook may be typed in later.

    Raises
    ------
    NotFound
        If there is no such run.
    Conflict
        If it is closed already, steps are open (a depth unmeasured, a channel shared), or a value failed and
        ``even_failed`` is not set.
    CoreError
        If ``at`` lies ahead.
    """
    part = _part(key)
    if part.closed is not None:
        raise Conflict("run", "it is closed already")
    state = state_of(part)
    if state.gaps:
        raise Conflict("run", "it cannot be closed: " + say(state.gaps))
    if state.failures and not even_failed:
        raise Conflict("run", "a value is outside its limits: " + say(state.failures))
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    if at is not None:
        finished = times.epoch(at, farm.time_zone)
        require(finished <= now, "at", "lies ahead of the farm's clock")
        now = finished
    with transaction():
        if procedure(part.procedure).kind == "install" and part.station is not None:
            _carry_over(part, state, now)
        if procedure(part.procedure).kind == "find" and part.station is not None:
            _keep_found(part, state, now)
        if part.procedure == "remove" and part.station is not None:
            _take_out(part.station, now)
        body = {**part.model_dump(mode="json"), "closed": times.iso(now, farm.time_zone)}
        store.put("record", {"kind": "procedure_runs", "key": key}, {"body": body})
    return run_content(key)


def _carry_over(part: ProcedureRunPart, state: RunState, now: int) -> None:
    rows, _, station = station_rows(part.station or "")
    depths, channels = measured_depths_cm(state.steps), entered_channels(state.steps)
    if len(set(depths.values())) < len(depths):
        raise Conflict("run", "two sensors are measured at the same depth")
    sensors = rows.sensors.get(station.id, [])
    places = {
        s.id: {"depth_cm": depths.get(s.key, s.depth_cm), "channel": channels.get(s.key, s.channel)} for s in sensors
    }
    store.rearrange_sensors(places)
    values_of_station: dict[str, Any] = {"installed_at": now, "removed_at": None}
    place = next((d for id_, d in part.done.items() if id_ == "place"), None)
    if place is not None and place.latitude is not None:
        values_of_station |= {"longitude": place.longitude, "latitude": place.latitude}
    store.put("station", {"id": station.id}, values_of_station)


def _keep_found(part: ProcedureRunPart, state: RunState, now: int) -> None:
    """What was found out of each sensor, dated; a depth that was dug for becomes the sensor's."""
    farm = clock.the_farm()
    rows, _, station = station_rows(part.station or "")
    by_key = {s.key: s for s in rows.sensors.get(station.id, [])}
    found = found_sensors(state.steps)
    depths = {by_key[place.key].id: verdict.depth_cm for place, verdict in found if verdict.depth_cm is not None}
    places = {s.id: {"depth_cm": depths.get(s.id, s.depth_cm), "channel": s.channel} for s in by_key.values()}
    if len({p["depth_cm"] for p in places.values()}) < len(places):
        raise Conflict("run", "two sensors are found at the same depth")
    store.rearrange_sensors(places)
    for number, (place, verdict) in enumerate(found):
        kind = part.done.get(f"{place.key}:kind")
        body = SensorFindingPart(
            key=f"{part.key}-{number}"[-80:],
            valid_from=times.local(now, farm.time_zone).date(),
            entered=times.local(now, farm.time_zone),
            sensor=f"{part.station}/{place.key}",
            depth_cm=verdict.depth_cm if verdict.may_advise else None,
            kind="" if kind is None else str(kind.value),
            note=say_all(verdict.notices)[0],
        ).model_dump(mode="json")
        values = {"subject": body["sensor"], "body": body, "deleted_at": None}
        store.put("record", {"kind": "sensor_findings", "key": body["key"]}, values)


def _take_out(ref: str, now: int) -> None:
    rows, _, station = station_rows(ref)
    store.put("station", {"id": station.id}, {"removed_at": now})
    for sensor in rows.sensors.get(station.id, []):
        for placement in rows.placements.get(sensor.id, []):
            if placement.until is None:
                where = {"sensor_id": sensor.id, "since": placement.since}
                store.put("placement", where, {"until": max(now, placement.since + 1)})


class TouchOut(BaseModel):
    """What a touched sensor showed."""

    sensor: str
    depth_cm: float
    channel: str
    moved: str | None
    agrees: bool
    words: Words


class SwapOut(BaseModel):
    """Two sensors whose channels are the wrong way round."""

    one: str
    other: str


class ChannelCheckContent(BaseModel):
    """A channel check with its verdict and the swaps it offers."""

    key: str
    station: str
    at: str
    swapped: bool
    touches: list[TouchOut]
    swaps: list[SwapOut]


def channel_check_content(key: str) -> ChannelCheckContent:
    """A channel check as its page shows it; raises NotFound."""
    part = ChannelCheckPart.model_validate(json.loads(record_store.record("channel_checks", key).body))
    zone = clock.the_farm().time_zone
    rows, _, station = station_rows(part.station)
    sensors = {s.key: s for s in rows.sensors.get(station.id, [])}
    written = part.channels or {k: s.channel for k, s in sensors.items()}
    verdicts = channel_check(
        [Touch(t.sensor, written.get(t.sensor, ""), t.before, t.after) for t in part.touches if t.sensor in sensors]
    )
    return ChannelCheckContent(
        key=key,
        station=part.station,
        at=times.iso(times.epoch(part.at, zone), zone) or "",
        swapped=part.swapped,
        touches=[
            TouchOut(
                sensor=v.sensor, depth_cm=sensors[v.sensor].depth_cm, channel=v.channel, moved=v.moved,
                agrees=v.agrees, words=say(v.words),
            )
            for v in verdicts
        ],
        swaps=[] if part.swapped else [SwapOut(one=a, other=b) for a, b in swaps(verdicts)],
    )  # fmt: skip


def make_swaps(key: str, with_readings: bool = True) -> ChannelCheckContent:
    """Exchange the channels of the pairs a check found, and their readings since they went in; raises Conflict.

    The raw values stay as received; only whose they are changes, and the check's record says so.
    """
    with transaction():  # what is to swap is asked inside: of two at once the second finds nothing
        content = channel_check_content(key)
        if not content.swaps:
            raise Conflict("check", "this check found nothing to swap")
        rows, _, station = station_rows(content.station)
        sensors = {s.key: s for s in rows.sensors.get(station.id, [])}
        for pair in content.swaps:
            first, second = sensors[pair.one], sensors[pair.other]
            store.put("sensor", {"id": first.id}, {"channel": second.channel})
            store.put("sensor", {"id": second.id}, {"channel": first.channel})
            if with_readings:
                readings_store.exchange(first.id, second.id, station.installed_at or 0)
                faults.recheck([first.id, second.id])
                fault_store.forget_suspicions(station.id)
        body = json.loads(record_store.record("channel_checks", key).body)
        body |= {"swapped": True, "channels": body["channels"] or {k: s.channel for k, s in sensors.items()}}
        store.put("record", {"kind": "channel_checks", "key": key}, {"body": body})
    return channel_check_content(key)
