"""Rounds by hand: the route with what was read last, and taking what a phone sends, however often it sends it."""

from collections.abc import Mapping
from typing import Annotated

import numpy as np
from pydantic import Field, StringConstraints

from embalse.core.quality.manual_readings import days_overdue, plausible, walking_order, why_ask_again
from embalse.core.wording import Notice
from embalse.ingest.reader import LIMITS, NO_LIMITS
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.intake.imports import FUTURE_TOLERANCE_S
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings import faults
from embalse.services.schema.base import Key, Note, Number, Part, RecordKey, When, Who
from embalse.services.schema.ground import StationRef
from embalse.services.schema.records import VisitPart
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.setup.stations import station_rows
from embalse.store import changes
from embalse.store import farm as farm_store
from embalse.store import imports as import_store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from embalse.store.rows import BlockRow, FarmRow, FarmRows, SensorRow, StationRow

DAY_S = 86400.0


class HandSensor(Content):
    """A depth to read: last value, and the limits beyond which a value is asked again (raw unit; null: none)."""

    key: str
    depth_cm: float
    type: str
    unit: str
    last: float | None
    last_at: str | None
    low: float | None
    high: float | None
    step: float | None


class HandStation(Content):
    """A station of the route, from the surface down."""

    ref: str
    name: str
    read_every_days: float | None
    days_since: float | None
    days_overdue: float
    water: str
    sensors: list[HandSensor]


class HandRoute(Content):
    """Stations in walking order; ``asked_for`` is false when no station has rounds by hand and all are listed."""

    asked_for: bool
    stations: list[HandStation]


class HandReading(Part):
    """A value read at a depth, in the sensor's raw unit; ``confirmed`` when the person kept it after being asked."""

    sensor: Key
    value: Number
    confirmed: bool = False


class HandEntry(Part):
    """What was read at one station at one moment. Its key makes sending it again harmless."""

    key: Annotated[RecordKey, StringConstraints(max_length=50)]
    station: StationRef
    at: When
    who: Who = ""
    note: Note = ""
    photo: Annotated[str, StringConstraints(max_length=64)] = ""
    readings: list[HandReading] = Field(max_length=60)


class HandAsked(Content):
    """A reading that was not stored, and why."""

    sensor: str
    value: float
    reason: Words


class HandReport(Content):
    """What became of an entry: new, known from before, asked again, or in conflict with what is stored."""

    new: int
    known: int
    asked: list[HandAsked]
    conflicts: list[HandAsked]


def route() -> HandRoute:
    """The round by hand, in walking order."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = farm_store.farm_rows()
    here = [
        (block, station)
        for block in rows.blocks
        for station in rows.stations.get(block.id, [])
        if station.removed_at is None or station.removed_at > now
    ]
    wanted = [pair for pair in here if pair[1].read_every_days is not None]
    latest = readings_store.latest(None, now)
    chosen = wanted or here
    places = [None if s.longitude is None or s.latitude is None else (s.longitude, s.latitude) for _, s in chosen]
    stations = [_station(chosen[i], rows, latest, (farm, now)) for i in walking_order(places)]
    return HandRoute(asked_for=bool(wanted), stations=stations)


def _station(
    pair: tuple[BlockRow, StationRow], rows: FarmRows, latest: Mapping[int, readings_store.Latest],
    moment: tuple[FarmRow, int],
) -> HandStation:  # fmt: skip
    block, station = pair
    farm, now = moment
    sensors = rows.sensors.get(station.id, [])
    heard = [latest[s.id].at for s in sensors if s.id in latest]
    since = None if not heard else (now - max(heard)) / DAY_S
    every = station.read_every_days
    return HandStation(
        ref=f"{block.key}/{station.key}",
        name=f"{block.name}, {station.name}",
        read_every_days=every,
        days_since=None if since is None else round(since, 2),
        days_overdue=0.0 if every is None or since is None else round(days_overdue(since, every), 2),
        water=_water(block.key, now),
        sensors=[_sensor(s, latest.get(s.id), farm.time_zone) for s in sensors],
    )


WATER_SAID_H = 24
"""How long after a set its end is said beside a reading [h]: a reading within the day still moves (common practice)."""


LONGEST_SET_DAYS = 10  # days a set may run and still be found here: as long as the log takes one


def _water(block: str, now: int) -> str:
    """Whether water is on, or was lately, to stand beside what is read; empty where it was not."""
    sets = readings_store.sets(block, now - 86400 * LONGEST_SET_DAYS, now)
    ends = [s.end_at for s in sets if s.end_at > now - 3600 * WATER_SAID_H]
    if not ends:
        return ""
    hours = (max(ends) - now) / 3600
    return say(Notice("hand.water_on", left_h=hours) if hours > 0 else Notice("hand.water_was", ago_h=-hours))


def _sensor(row: SensorRow, latest: readings_store.Latest | None, zone: str) -> HandSensor:
    limits = plausible(row.type, row.raw_unit)  # type: ignore[arg-type]
    low, high, step = (v if np.isfinite(v) else None for v in (limits.low, limits.high, limits.step))
    return HandSensor(
        key=row.key,
        depth_cm=row.depth_cm,
        type=row.type,
        unit=row.raw_unit,
        last=None if latest is None else latest.raw,
        last_at=None if latest is None else times.iso(latest.at, zone),
        low=low,
        high=high,
        step=step,
    )


def accept(entry: HandEntry) -> HandReport:
    """Store what was read by hand, with its note, in one transaction; sending the entry again changes nothing.

    An implausible value that nobody confirmed is not stored but asked again; a value that differs from the one
    stored for its sensor and minute is a conflict and not stored either.

    Raises
    ------
    NotFound
        If the station is not there.
    DocumentErrors
        If a sensor is not there, a value impossible, or the time ahead.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows, block, station = station_rows(entry.station)
    sensors = {s.key: s for s in rows.sensors.get(station.id, [])}
    at = times.epoch(entry.at, farm.time_zone)
    _check(entry, sensors, at, now)
    before = readings_store.latest(block.id, at - 1)
    asked = [a for a in (_asked(r, sensors[r.sensor], before) for r in entry.readings) if a is not None]
    again = {a.sensor for a in asked}
    with transaction():
        day = times.day_of(times.local_day(at, farm.time_zone)).isoformat()
        job = import_store.day_job(f"read by hand {day}", now)
        found = [(sensors[r.sensor].id, at, r.value, job) for r in entry.readings if r.sensor not in again]
        new = readings_store.insert_new(found)
        stored = readings_store.stored_values(found) if new < len(found) else {}
        conflicts = [
            HandAsked(sensor=r.sensor, value=r.value, reason=f"{stored[key][0]:g} is stored for this minute already")
            for r in entry.readings
            if (key := (sensors[r.sensor].id, at)) in stored and stored[key][0] != r.value
        ]
        known = len(found) - new - len(conflicts)
        import_store.add_to_job(job, new, known, len(conflicts))
        if new:
            changes.note("hand readings", entry.station, "stored", {}, {"at": at, "readings": new})
            faults.check_new([row[0] for row in found], at, at, [block.key])
            faults.note_late({row[0]: [at] for row in found}, now)
        if entry.note or entry.photo:
            apply_document(FarmDocument(embalse=1, visits=[_visit(entry)]))
    return HandReport(new=new, known=known, asked=asked, conflicts=conflicts)


def _check(entry: HandEntry, sensors: Mapping[str, SensorRow], at: int, now: int) -> None:
    errors = []
    if at > now + FUTURE_TOLERANCE_S or at < 0:
        errors.append(PathError(path="at", reason="the time is in the future, or before 1970"))
    if not entry.readings and not entry.note and not entry.photo:
        errors.append(PathError(path="readings", reason="there is nothing to store"))
    seen: set[str] = set()
    for index, reading in enumerate(entry.readings):
        sensor = sensors.get(reading.sensor)
        if sensor is None or reading.sensor in seen:
            reason = "the station has no such sensor" if sensor is None else "the sensor is named twice"
            errors.append(PathError(path=f"readings[{index}].sensor", reason=reason))
            continue
        seen.add(reading.sensor)
        low, high = LIMITS.get(sensor.raw_unit, NO_LIMITS)
        if not low <= reading.value <= high:
            reason = f"{reading.value:g} {sensor.raw_unit} is outside {low:g} to {high:g}"
            errors.append(PathError(path=f"readings[{index}].value", reason=reason))
    if errors:
        raise DocumentErrors(errors)


def _asked(reading: HandReading, row: SensorRow, before: Mapping[int, readings_store.Latest]) -> HandAsked | None:
    last = before[row.id].raw if row.id in before else None
    why = why_ask_again(reading.value, last, plausible(row.type, row.raw_unit))  # type: ignore[arg-type]
    if not why or reading.confirmed:
        return None
    return HandAsked(sensor=reading.sensor, value=reading.value, reason=why)


def _visit(entry: HandEntry) -> VisitPart:
    return VisitPart(
        key=f"hand-{entry.key}", station=entry.station, at=entry.at, who=entry.who, what="visit",
        note=entry.note, photo=entry.photo,
    )  # fmt: skip
