"""Stations: where they are, how each stands, and everything that happened to them."""

import json
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from embalse.core.crop.stage_names import install_words
from embalse.core.install.depth_marks import DepthMark, marks_of
from embalse.core.install.logger_memory import memory_state
from embalse.core.install.procedures import procedure
from embalse.core.install.siting import zone_cautions
from embalse.core.install.take_out import take_out
from embalse.core.quality.settling import Settling
from embalse.core.root_zone.block import NO_DAYS, NO_VALUES, Moment, SensorReadings
from embalse.core.root_zone.block import Sensor as CoreSensor
from embalse.core.root_zone.block import Station as CoreStation
from embalse.core.root_zone.sensor_water import station_settling
from embalse.services import times
from embalse.services.document.export import station_part
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.harvest import harvest_day
from embalse.services.load.in_force import acceptance, in_force, stages_seen, unknown_depths
from embalse.services.load.zones import zones_of
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.practice import DepthSchemePart, LoggerMemoryPart
from embalse.services.setup.previews import crop_out
from embalse.services.setup.years import YearsOut, years_of
from embalse.store import devices as device_store
from embalse.store import farm as store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.errors import NotFound
from embalse.store.rows import BlockRow, FarmRow, FarmRows, RecordRow, SensorRow, StationRow

STATE_WORDS = {
    "planned": "planned, not in the ground",
    "installing": "being installed",
    "settling": "settling, not used for advice",
    "in use": "in use",
    "watched": "watched only, its depth is not known",
    "removed": "removed",
}


class StationLine(BaseModel):
    """A station in the list and on the map."""

    ref: str
    block: str
    block_name: str
    name: str
    longitude: float | None
    latitude: float | None
    state: str
    state_words: Words
    depths_cm: list[float]
    types: list[str]
    last_reading_at: str | None
    open_run: str | None
    window_state: str
    window: Words


class OutlineOut(BaseModel):
    """A block's outline for the map."""

    block: str
    name: str
    corners: list[list[float]]


class StationsContent(BaseModel):
    """Every station and outline of the farm."""

    stations: list[StationLine]
    outlines: list[OutlineOut]
    blocks_without: list[str]


class MarkOut(BaseModel):
    """How a depth is marked by the farm's scheme."""

    number: str
    colour: str
    knots: int | None


class CompanionOut(BaseModel):
    """What else is measured at a station, with its latest value in its own unit."""

    ref: str
    quantity: str
    depth_cm: float
    unit: str
    latest: float | None
    at: str | None


class ZoneLine(BaseModel):
    """A block this station stands for: whether it fits, why not, and why it was accepted though."""

    key: str
    name: str
    fits: bool
    differs: str
    accepted: str


class MemoryOut(BaseModel):
    """A logger read out by hand: until when, and in words."""

    key: str
    read_out_by: str
    due: bool
    words: Words
    holds: float
    every_min: float


class SensorSheet(BaseModel):
    """A sensor's place in a station: what is in it, since when, whether it has settled."""

    ref: str
    key: str
    depth_cm: float
    type: str
    channel: str
    raw_unit: str
    device: str | None
    serial: str
    since: str | None
    settled: bool
    settling_words: str
    depth_known: bool
    mark: MarkOut | None
    last_reading_at: str | None
    past_devices: list[str]
    years: YearsOut | None = None


class LogLine(BaseModel):
    """A line of a station's history."""

    at: str
    at_s: int
    who: str
    what: str
    note: str
    key: str
    kind: str
    photo: str


class StationSheet(BaseModel):
    """Everything of one station."""

    line: StationLine
    part: dict[str, Any]
    block_crop: str
    installed: str | None
    moved: str | None
    removed: str | None
    sensors: list[SensorSheet]
    stands_for: list[str]
    zone_cautions: list[str]
    log: list[LogLine]
    runs: list[str]
    checks: list[str]
    scheme: str
    zones: list[ZoneLine]
    companions: list[CompanionOut]
    memory: MemoryOut | None
    take_out: str
    take_out_by: str | None
    unknown: list[str]
    open_other: str | None
    open_other_title: Words


def stations_content() -> StationsContent:
    """The list and the map; raises Conflict when no farm is set up."""
    farm = clock.the_farm()
    rows = store.farm_rows()
    readings = _readings(farm, rows)
    found = [_line(farm, rows, (b, s), readings) for b in rows.blocks for s in rows.stations.get(b.id, [])]
    outlines = [
        OutlineOut(block=key, name=name, corners=corners)
        for key, name, corners in (
            (b.key, b.name, json.loads(land.outline)) for b in rows.blocks for land in [store.land(b.key)[b.key]]
        )
        if corners
    ]
    without = [b.key for b in rows.blocks if not rows.stations.get(b.id)]
    return StationsContent(stations=found, outlines=outlines, blocks_without=without)


def _readings(farm: FarmRow, rows: FarmRows) -> dict[str, SensorReadings]:
    now = clock.farm_now(farm)
    day = times.local_day(now, farm.time_zone)
    latest = readings_store.latest(None, now)
    dawns = readings_store.dawns(None, day - 60, day)
    return {
        s.ref: _sensor_readings(latest.get(s.id), dawns.get(s.id, (NO_DAYS, NO_VALUES)))
        for group in rows.sensors.values()
        for s in group
    }


def _sensor_readings(
    latest: readings_store.Latest | None, dawns: tuple[NDArray[np.int64], NDArray[np.float64]]
) -> SensorReadings:
    at, raw = (latest.at, latest.raw) if latest is not None else (None, None)
    return SensorReadings(at, raw, *dawns)


def _moment(farm: FarmRow) -> Moment:
    now, zone = clock.farm_now(farm), farm.time_zone
    day = times.local_day(now, zone)
    return Moment(now, day, float(times.instant_of(day, times.DAWN_END_H, zone) - 86400 * day))


def _open_run(ref: str, kind: str = "install") -> str | None:
    for row in record_store.records("procedure_runs", ref):
        body = json.loads(row.body)
        if body["closed"] is None and procedure(body["procedure"]).kind == kind:
            return row.key
    return None


def _core_station(rows: FarmRows, ref: str, now: int) -> CoreStation | None:
    block_key, station_key = ref.split("/")
    block = next(b for b in core_blocks(rows, now) if b.key == block_key)
    return next((s for s in block.stations if s.key == station_key), None)


def _state(
    farm: FarmRow, rows: FarmRows, pair: tuple[BlockRow, StationRow], readings: Mapping[str, SensorReadings]
) -> str:
    block, station = pair
    now = clock.farm_now(farm)
    if station.removed_at is not None and station.removed_at <= now:
        return "removed"
    ref = f"{block.key}/{station.key}"
    heard = [readings[s.ref].latest_at for s in rows.sensors.get(station.id, [])]
    found = _core_station(rows, ref, now)
    if station.installed_at is None and not any(heard) and not (found and found.unknown):
        return "installing" if _open_run(ref) else "planned"
    if found is None:
        return "removed"
    if found.unknown and not found.sensors:
        return "watched"
    settling = station_settling(found, readings, _moment(farm))
    return "in use" if all(state.settled for state in settling.values()) else "settling"


def _settling(sensor: CoreSensor, states: Mapping[str, Settling]) -> tuple[bool, str]:
    state = states.get(sensor.key)
    if state is None:
        words = "settled" if sensor.since is not None else "no installation date: taken as settled"
        return True, words
    return state.settled, say(state.said)


def _line(
    farm: FarmRow, rows: FarmRows, pair: tuple[BlockRow, StationRow], readings: Mapping[str, SensorReadings]
) -> StationLine:
    block, station = pair
    sensors = rows.sensors.get(station.id, [])
    state = _state(farm, rows, pair, readings)
    heard = [readings[s.ref].latest_at for s in sensors]
    last = max((h for h in heard if h is not None), default=None)
    today = times.local(clock.farm_now(farm), farm.time_zone).date()
    planted = None if block.planting_date is None else today.fromisoformat(block.planting_date)
    crop = crop_out(block.crop, {}, planted, today)
    seen = stages_seen(block, rows, (clock.farm_now(farm), farm.time_zone))
    if seen:
        state_word, words = install_words(block.crop, seen[-1][0].name)
        crop = crop.model_copy(update={"window_state": state_word, "window": say(words)})
    return StationLine(
        ref=f"{block.key}/{station.key}",
        block=block.key,
        block_name=block.name,
        name=station.name,
        longitude=station.longitude,
        latitude=station.latitude,
        state=state,
        state_words=STATE_WORDS[state],
        depths_cm=[s.depth_cm for s in sensors],
        types=sorted({s.type for s in sensors}),
        last_reading_at=times.iso(last, farm.time_zone),
        open_run=_open_run(f"{block.key}/{station.key}"),
        window_state=crop.window_state,
        window=crop.window,
    )


def station_rows(ref: str) -> tuple[FarmRows, BlockRow, StationRow]:
    """A station's rows with its block's; raises NotFound."""
    block_key, _, station_key = ref.partition("/")
    rows = store.farm_rows([block_key])
    block = rows.blocks[0]
    for station in rows.stations.get(block.id, []):
        if station.key == station_key:
            return rows, block, station
    raise NotFound("station", f"there is no station '{ref}'")


def station_sheet(ref: str) -> StationSheet:
    """Everything of one station; raises NotFound."""
    farm = clock.the_farm()
    zone, now = farm.time_zone, clock.farm_now(farm)
    rows, block, station = station_rows(ref)
    readings = _readings(farm, rows)
    line = _line(farm, rows, (block, station), readings)
    core = _core_station(rows, ref, now)
    stands_for = list(json.loads(station.stands_for))
    core_block = next(b for b in core_blocks(rows, now))
    out = take_out(core_block.crop, harvest_day(core_block), times.local_day(now, zone))
    marks = marks_of([s.depth_cm for s in rows.sensors.get(station.id, [])], *_scheme(now, zone))
    unknown = unknown_depths(rows, (now, zone))
    years = years_of(core, block.id, _moment(farm)) if core else {}
    other = next((k for kind in ("find", "prepare") if (k := _open_run(ref, kind)) is not None), None)
    return StationSheet(
        line=line,
        part=station_part(station, rows, zone),
        block_crop=block.crop,
        installed=times.iso(station.installed_at, zone),
        moved=times.iso(station.moved_at, zone),
        removed=times.iso(station.removed_at, zone),
        sensors=[
            _sensor(s, rows, (core, readings), farm).model_copy(
                update={"mark": _mark(mark), "depth_known": s.ref not in unknown, "years": years.get(s.key)}
            )
            for s, mark in zip(rows.sensors.get(station.id, []), marks, strict=True)
        ],
        stands_for=stands_for,
        zone_cautions=_zones(block.key, stands_for),
        log=_log(ref, farm),
        runs=[r.key for r in record_store.records("procedure_runs", ref)],
        checks=[r.key for r in record_store.records("channel_checks", ref)],
        scheme=_scheme(now, zone)[0],
        zones=_zone_lines(rows, ref, stands_for, (now, zone)),
        companions=_companions(rows, station, now, zone),
        memory=_memory(ref, now, zone),
        take_out=say(out.words),
        take_out_by=None if out.day is None else times.day_of(out.day).isoformat(),
        open_other=other,
        open_other_title=_title_of(other) if other else "",
        unknown=sorted(unknown_depths(rows, (now, zone)) & {s.ref for s in rows.sensors.get(station.id, [])}),
    )


def _title_of(run: str) -> str:
    return procedure(json.loads(record_store.record("procedure_runs", run).body)["procedure"]).title


def _mark(mark: DepthMark | None) -> MarkOut | None:
    return None if mark is None else MarkOut(number=mark.number, colour=mark.colour, knots=mark.knots)


def _scheme(now: int, zone: str) -> tuple[str, list[DepthMark]]:
    """The farm's scheme of depth marks in force at an instant [s, UTC]; without one the shallowest is 1."""
    bodies = [json.loads(r.body) for r in record_store.records("depth_schemes")]
    held = in_force(bodies, (now, zone))
    if not held:
        return "counted down", []
    part = DepthSchemePart.model_validate(held[-1])
    return part.scheme, part.core()


def _zone_lines(rows: FarmRows, ref: str, others: Sequence[str], at: tuple[int, str]) -> list[ZoneLine]:
    """The blocks a station stands for, each with what differs and why that was accepted."""
    if not others:
        return []
    everything = store.farm_rows()
    zones = zones_of(everything, core_blocks(everything, at[0]))
    home = zones[ref.split("/", maxsplit=1)[0]]
    found = []
    for key in (k for k in others if k in zones):
        differs = zone_cautions(home, [zones[key]])
        found.append(
            ZoneLine(
                key=key,
                name=zones[key].name,
                fits=not differs,
                differs=say(differs[0]) if differs else "",
                accepted=acceptance(key, ref, everything, at),
            )
        )
    return found


def _companions(rows: FarmRows, station: StationRow, now: int, zone: str) -> list[CompanionOut]:
    """What else is measured at a station: temperature, salinity, trunk, air, leaf wetness, water on."""
    found = []
    for sensor in rows.sensors.get(station.id, []):
        for one in rows.companions.get(sensor.id, []):
            ts, values = readings_store.between(one.id, now - 7 * 86400, now)
            last = None if not len(ts) else (int(ts[-1]), float(values[-1]))
            found.append(
                CompanionOut(
                    ref=one.ref,
                    quantity=one.quantity,
                    depth_cm=one.depth_cm,
                    unit=one.raw_unit,
                    latest=None if last is None else last[1],
                    at=None if last is None else times.iso(last[0], zone),
                )
            )
    return found


def _memory(ref: str, now: int, zone: str) -> MemoryOut | None:
    """How the memory of a station's logger stands, None where it is not read out by hand."""
    held = in_force([json.loads(r.body) for r in record_store.records("logger_memories", ref)], (now, zone))
    if not held:
        return None
    part = LoggerMemoryPart.model_validate(held[-1])
    told = memory_state(times.day_number(part.read_out), part.holds, part.every_min, times.local_day(now, zone))
    return MemoryOut(
        key=part.key,
        read_out_by=times.day_of(told.read_out_by).isoformat(),
        due=told.due,
        words=say(told.words),
        holds=part.holds,
        every_min=part.every_min,
    )


def _sensor(
    row: SensorRow, rows: FarmRows, basis: tuple[CoreStation | None, Mapping[str, SensorReadings]], farm: FarmRow
) -> SensorSheet:
    station, readings = basis
    core = next((s for s in station.sensors if s.key == row.ref), None) if station else None
    settled, words = True, "removed"
    if core and station:
        settled, words = _settling(core, station_settling(station, readings, _moment(farm)))
    placed = rows.placements.get(row.id, [])
    present = next((p for p in reversed(placed) if p.until is None), None)
    serials = {d.key: d.serial for d in device_store.devices(with_deleted=True)}
    return SensorSheet(
        ref=row.ref,
        key=row.key,
        depth_cm=row.depth_cm,
        type=row.type,
        channel=row.channel,
        raw_unit=row.raw_unit,
        device=present.device_key if present else None,
        serial=serials.get(present.device_key, "") if present else "",
        since=times.iso(core.since if core else None, farm.time_zone),
        settled=settled,
        settling_words=words,
        depth_known=True,
        mark=None,
        last_reading_at=times.iso(readings[row.ref].latest_at, farm.time_zone),
        past_devices=[p.device_key for p in placed if p is not present],
    )


def _zones(home: str, others: Sequence[str]) -> list[str]:
    if not others:
        return []
    farm = clock.the_farm()
    rows = store.farm_rows()
    zones = zones_of(rows, core_blocks(rows, clock.farm_now(farm)))
    return say_all(zone_cautions(zones[home], [zones[key] for key in others if key in zones]))


def _log(ref: str, farm: FarmRow) -> list[LogLine]:
    lines = [_log_line(row, farm.time_zone) for row in record_store.records(None, ref)]
    return sorted((line for line in lines if line), key=lambda line: line.at_s, reverse=True)


def _log_line(row: RecordRow, zone: str) -> LogLine | None:
    body = json.loads(row.body)
    if row.kind == "visits":
        moment, who, what = body["at"], body["who"], body["what"]
    elif row.kind == "procedure_runs":
        moment, state = (body["closed"], "done") if body["closed"] else (body["started"], "begun")
        what = f"{say(procedure(body['procedure']).title)}: {say(state)}"
        who = next((d["who"] for d in body["done"].values() if d["who"]), "")
    elif row.kind == "channel_checks":
        moment, who = body["at"], body["who"]
        what = say("channel check: swap made" if body["swapped"] else "channel check")
    else:
        return None
    at = times.parse_moment(moment, zone)
    return LogLine(
        at=times.iso(at, zone) or "",
        at_s=at,
        who=who,
        what=what,
        note=body["note"],
        key=row.key,
        kind=row.kind,
        photo=body.get("photo", ""),
    )
