"""Readings sent by devices: who may, what is taken, what is refused and why."""

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

from pydantic import BaseModel, Field

from embalse.core.practice import practice
from embalse.ingest.reader import LIMITS, NO_LIMITS
from embalse.services import times
from embalse.services.intake.imports import FUTURE_TOLERANCE_S
from embalse.services.load import clock
from embalse.services.readings import faults, judging
from embalse.services.tokens import token_hash
from embalse.store import farm as farm_store
from embalse.store import gateways as store
from embalse.store import imports as import_store
from embalse.store import readings as readings_store
from embalse.store import unjudged
from embalse.store.database import transaction
from embalse.store.errors import NotFound, Unauthorized
from embalse.store.rows import GatewayRow, SensorRow
from embalse.store.unjudged import UnjudgedRow

LARGEST_BATCH = 10_000
REFUSALS_TOLD = 100
EARLIEST_S = 0


class Sent(Protocol):
    """A reading as a device sends it: channel, instant as ISO text with an offset or epoch seconds, raw value."""

    @property
    def channel(self) -> str: ...
    @property
    def at(self) -> str | int: ...
    @property
    def value(self) -> float: ...


class RefusedReading(BaseModel):
    """A reading that was not taken: its place in the batch from 0, and why."""

    index: int
    channel: str
    reason: str


class IngestReport(BaseModel):
    """What became of a batch: everything in it is either new, known or refused."""

    new: int
    known: int
    refused: int
    refusals: list[RefusedReading] = Field(description="the first hundred")


class GatewayOut(BaseModel):
    """A device that sends readings."""

    key: str
    name: str
    stations: list[str]
    created: str
    revoked: bool
    last_seen: str | None
    battery_v: float | None
    battery_low: bool
    signal_dbm: float | None


def register(key: str, name: str, stations: Sequence[str]) -> str:
    """A new gateway; returns its token, which is shown this once and kept as a hash only.

    Raises
    ------
    Conflict
        If the key is taken.
    NotFound
        If a station is not there.
    """
    farm = clock.the_farm()
    rows = farm_store.farm_rows()
    known = {f"{b.key}/{s.key}" for b in rows.blocks for s in rows.stations.get(b.id, [])}
    missing = next((s for s in stations if s not in known), None)
    if missing is not None:
        raise NotFound("stations", f"there is no station '{missing}'")
    token = secrets.token_urlsafe(32)
    with transaction():
        store.create(key, name or key, token_hash(token), list(stations), clock.farm_now(farm))
    return token


def revoke(key: str) -> None:
    """A gateway's token opens nothing from now on; raises NotFound."""
    farm = clock.the_farm()
    with transaction():
        store.revoke(key, clock.farm_now(farm))


def gateways() -> list[GatewayOut]:
    """All gateways, with what they last said of themselves."""
    zone = clock.the_farm().time_zone
    return [
        GatewayOut(
            key=g.key,
            name=g.name,
            stations=store.stations_of(g),
            created=times.iso(g.created_at, zone) or "",
            revoked=g.revoked_at is not None,
            last_seen=times.iso(g.last_seen_at, zone),
            battery_v=g.battery_v,
            battery_low=g.battery_v is not None and g.battery_v < practice("battery_low_v"),
            signal_dbm=g.signal_dbm,
        )
        for g in store.gateways()
    ]


def gateway_of(token: str) -> GatewayRow:
    """The gateway a token belongs to; raises Unauthorized."""
    found = store.by_token_hash(token_hash(token)) if token else None
    if found is None:
        raise Unauthorized("token", "this token is not known, or no longer; make a new one on the Stations page")
    return found


def stations_of(gateway: GatewayRow) -> list[str]:
    """Stations a gateway may send for; all where there are none."""
    return store.stations_of(gateway)


def accept(
    gateway: GatewayRow, batch: Sequence[Sent], battery_v: float | None = None, signal_dbm: float | None = None
) -> IngestReport:
    """Take a batch, in one transaction; sending it again changes nothing. It is looked at for faults right after.

    Late and unordered readings are taken. A value that differs from the one stored for its sensor and time is
    refused, as is an unknown channel, an impossible value, or a time that lies ahead.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    channels = _channels(store.stations_of(gateway))
    with transaction():
        day = times.day_of(times.local_day(now, farm.time_zone)).isoformat()
        job = import_store.day_job(f"telemetry {gateway.key} {day}", now)
        taken = _sorted_out(batch, channels, (now + FUTURE_TOLERANCE_S, job))
        rows, refusals = taken.rows, taken.refusals
        late = _late(rows, gateway.created_at, now)
        new = readings_store.insert_new(rows)
        known = len(rows) - new
        if known:
            contradicted = _contradicted(rows, taken.places, batch)
            known -= len(contradicted)
            refusals += contradicted
        import_store.add_to_job(job, new, known, len(refusals))
        said = {"battery_v": battery_v, "signal_dbm": signal_dbm}
        store.seen(gateway.id, {"last_seen_at": now, **{k: v for k, v in said.items() if v is not None}})
        if new:
            unjudged.add(_to_be_looked_at(rows))
            faults.note_late(late, now)
    if new:
        judging.look_soon()
    told = sorted(refusals, key=lambda r: r.index)[:REFUSALS_TOLD]
    return IngestReport(new=new, known=known, refused=len(refusals), refusals=told)


def _channels(stations: Sequence[str]) -> dict[str, SensorRow]:
    """Sensors by channel and by reference, of the stations the gateway may send for; an ambiguous channel is none."""
    found: dict[str, SensorRow] = {}
    twice: set[str] = set()
    for sensor in farm_store.sensors(companions=None):
        if stations and sensor.ref.rsplit("/", 1)[0] not in stations:
            continue
        for name in {sensor.channel, sensor.ref} - {""}:
            twice |= {name} if name in found else set()
            found[name] = sensor
    return {name: sensor for name, sensor in found.items() if name not in twice}


Rows = list[tuple[int, int, float, int]]


@dataclass(frozen=True)
class SortedOut:
    """Readings of a batch that may be stored with their places in it, and those that are refused."""

    rows: Rows
    places: list[int]
    refusals: list[RefusedReading]


def _sorted_out(batch: Sequence[Sent], channels: Mapping[str, SensorRow], bounds: tuple[int, int]) -> SortedOut:
    latest, job = bounds
    rows: Rows = []
    places: list[int] = []
    refusals: list[RefusedReading] = []
    for index, sent in enumerate(batch):
        sensor = channels.get(sent.channel)
        reason = "no sensor of this gateway has this channel, or more than one has" if sensor is None else ""
        at = 0
        if sensor is not None:
            at, reason = _instant(sent.at, latest)
            low, high = LIMITS.get(sensor.raw_unit, NO_LIMITS)
            if not reason and not low <= sent.value <= high:
                reason = f"{sent.value:g} {sensor.raw_unit} is outside {low:g} to {high:g}"
        if reason or sensor is None:
            refusals.append(RefusedReading(index=index, channel=sent.channel[:80], reason=reason))
        else:
            rows.append((sensor.id, at, sent.value, job))
            places.append(index)
    return SortedOut(rows, places, refusals)


def _instant(at: str | int, latest: int) -> tuple[int, str]:
    if isinstance(at, int):
        instant = at
    else:
        try:
            moment = datetime.fromisoformat(at)
        except ValueError:
            return 0, "the time is neither ISO text nor epoch seconds"
        if moment.tzinfo is None:
            return 0, "the time needs an offset, like 2026-07-14T06:00:00Z"
        instant = int(moment.timestamp())
    if instant > latest:
        return 0, "the time is in the future"
    return instant, "" if instant >= EARLIEST_S else "the time lies before 1970"


def _contradicted(rows: Rows, places: Sequence[int], batch: Sequence[Sent]) -> list[RefusedReading]:
    stored = readings_store.stored_values(rows)
    return [
        RefusedReading(
            index=index,
            channel=batch[index].channel[:80],
            reason=f"another value is stored for this time: {stored[(sensor, at)][0]:g}",
        )
        for (sensor, at, value, _), index in zip(rows, places, strict=True)
        if stored[(sensor, at)][0] != value
    ]


def _late(rows: Rows, since: int, now: int) -> dict[int, list[int]]:
    """Instants [s, UTC] by sensor of readings more than a day old that are not stored yet.

    What a device took before it was known here is history, not late.
    """
    old = [row for row in rows if since <= row[1] < now - faults.LATE_S]
    known = readings_store.stored_values(old) if old else {}
    found: dict[int, list[int]] = {}
    for sensor_id, at, _, _ in old:
        if (sensor_id, at) not in known:
            found.setdefault(sensor_id, []).append(at)
    return found


def _to_be_looked_at(rows: Rows) -> list[UnjudgedRow]:
    """Spans of what arrived, by sensor; the order of wettings is held once a day, with the first batch."""
    spans: dict[int, tuple[int, int]] = {}
    for sensor_id, at, _, _ in rows:
        low, high = spans.get(sensor_id, (at, at))
        spans[sensor_id] = min(low, at), max(high, at)
    start, end = min(s[0] for s in spans.values()), max(s[1] for s in spans.values())
    suspect = end - start >= 86400 or end // 86400 != (end - 3600) // 86400
    return [UnjudgedRow(sensor_id, *span, suspect) for sensor_id, span in spans.items()]
