"""Every table of the pages as CSV, with units in its head."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any, Final, Literal, get_args

from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.advice.ledger import ledger_content
from embalse.services.advice.profile_page import profile_content
from embalse.services.advice.skill import skill_content
from embalse.services.load import clock
from embalse.services.planning.plan_table import as_csv
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.setup.fault_review import faults_content
from embalse.services.setup.register import bench_content
from embalse.services.setup.stations import stations_content
from embalse.services.spatial.nodes import nodes_content
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store

Name = Literal[
    "round", "zones", "visits", "stations", "nodes", "faults", "wettings", "demand", "skill", "devices", "sets",
    "weather",
]  # fmt: skip
NAMES: Final[tuple[Name, ...]] = get_args(Name)
DAYS: Final = 28
READINGS_DAYS: Final = 7
CHUNK: Final = 5000


@dataclass(frozen=True)
class Asked:
    """What a table is asked for: a moment, a block where it needs one, and how many days back."""

    moment: str | None
    block: str | None
    days: int

    @property
    def one_block(self) -> str:
        """The block, which must be given; raises DocumentErrors."""
        if self.block is None:
            raise DocumentErrors([PathError(path="block", reason="say of which block")])
        return self.block


Table = tuple[tuple[str, ...], Iterable[tuple[Any, ...]]]


def table_csv(name: Name, asked: Asked) -> str:
    """A table as CSV text.

    Raises
    ------
    Conflict
        If no farm is set up.
    NotFound
        If there is no such block.
    DocumentErrors
        If it is of one block, and none is given.
    """
    return as_csv(*TABLES[name](asked))


def _round(asked: Asked) -> Table:
    head = (
        "block", "name", "crop", "area [ha]", "group", "depletion [mm of wetted soil]", "error [mm]",
        "trigger [mm of wetted soil]", "use [mm/day]", "days to refill", "earliest [days]", "latest [days]", "start by",
        "net [mm]", "gross [mm]", "minutes", "water [m3]", "reason", "what binds",
    )  # fmt: skip
    keys = None if asked.block is None else [asked.block]
    rows = (
        (b.key, b.name, b.crop, b.area_ha, b.group, _mm(b.depletion_mm), _mm(b.depletion_error_mm), _mm(b.trigger_mm),
         _mm(b.use_mm_d.mid if b.use_mm_d else None), *(_days(b.refill.days) if b.refill else ("", "", "")),
         b.start_by_at or "",
         *((_mm(b.advised.net_mm), _mm(b.advised.gross_mm), b.advised.set_time_min or "", round(b.advised.volume_m3))
           if b.advised else ("", "", "", "")), b.reason, b.binding)
        for b in round_content(asked.moment, keys, with_working=False).blocks
    )  # fmt: skip
    return head, rows


def _days(days: Any) -> tuple[Any, ...]:
    return tuple("" if v is None else round(v, 2) for v in (days.mid, days.low, days.high))


def _mm(value: float | None) -> float | str:
    return "" if value is None else round(value, 1)


def _zones(asked: Asked) -> Table:
    head = ("block", "zone", "area [ha]", "depletion [mm of wetted soil]", "error [mm]", "stations", "net [mm]",
            "gross [mm]", "minutes", "due", "part", "note")  # fmt: skip
    keys = None if asked.block is None else [asked.block]
    rows = (
        (b.key, z.name, round(z.area_ha, 2), _mm(z.depletion_mm), _mm(z.error_mm), z.stations, _mm(z.net_mm),
         _mm(z.gross_mm), z.set_time_min or "", z.due_at or "", z.shift, z.why_not or z.by)
        for b in round_content(asked.moment, keys, with_working=False).blocks
        for z in b.zones
    )  # fmt: skip
    return head, rows


def _visits(asked: Asked) -> Table:
    found = round_content(asked.moment, with_working=False).to_see
    return ("station", "name", "sensor", "why", "by hand"), (
        (v.station, v.name, v.sensor, v.why, "yes" if v.by_hand else "") for v in found
    )


def _stations(asked: Asked) -> Table:
    head = ("station", "block", "name", "longitude", "latitude", "depths [cm]", "state", "last reading")
    rows = (
        (s.ref, s.block, s.name, s.longitude, s.latitude, " ".join(f"{d:g}" for d in s.depths_cm), s.state,
         s.last_reading_at or "")
        for s in stations_content().stations
        if asked.block in (None, s.block)
    )  # fmt: skip
    return head, rows


def _nodes(asked: Asked) -> Table:
    head = ("station", "name", "last heard", "every [min]", "expected in 7 days", "missed", "battery [V]",
            "signal [dBm]", "season's end")  # fmt: skip
    rows = (
        (n.station, n.name, n.last_heard or "", n.every_min or "", n.expected or "", n.missed or 0,
         "" if n.battery_v is None else n.battery_v, "" if n.signal_dbm is None else n.signal_dbm,
         ", ".join(n.end_done))
        for n in nodes_content(asked.one_block, asked.moment).nodes
    )  # fmt: skip
    return head, rows


def _faults(asked: Asked) -> Table:
    keys = None if asked.block is None else [asked.block]
    found = faults_content(keys, asked.days, asked.moment).faults
    return ("sensor", "fault", "start", "end", "readings", "left out", "verdict", "who", "reason", "note"), (
        (f.sensor, f.fault, f.start, f.end, f.readings, "yes" if f.kept_out else "", f.verdict, f.who, f.reason, f.note)
        for f in found
    )


def _wettings(asked: Asked) -> Table:
    head = ("station", "start", "end", "gain [mm of wetted soil]", "reach [cm]", "below the roots [mm]", "from what",
            "expected [mm]", "suspect")  # fmt: skip
    found = profile_content(asked.one_block, asked.moment, asked.days).wettings
    rows = (
        (w.station, w.start, w.end, _mm(w.gain_mm), round(w.reach_cm), _mm(w.below_mm),
         " and ".join(f"{x.kind} {x.depth_mm:.1f} mm" for x in w.from_what), _mm(w.expected_mm), w.suspect)
        for w in found
    )  # fmt: skip
    return head, rows


def _demand(asked: Asked) -> Table:
    head = ("day", "when", "ETo [mm]", "lowest [mm]", "highest [mm]", "Kc", "ETc [mm]", "rain [mm]",
            "effective rain [mm]", "chance of rain", "used [mm of wetted soil]", "expected [mm of wetted soil]",
            "how")  # fmt: skip
    rows = (
        (d.day, d.when, _mm(d.eto_mm), _mm(d.eto_low_mm), _mm(d.eto_high_mm), "" if d.kc is None else round(d.kc, 2),
         _mm(d.etc_mm), _mm(d.rain_mm), _mm(d.effective_rain_mm),
         "" if d.rain_chance is None else round(d.rain_chance, 2), _mm(d.used_mm), _mm(d.expected_mm), d.how)
        for d in ledger_content(asked.one_block, asked.moment, asked.days).days
    )  # fmt: skip
    return head, rows


def _skill(asked: Asked) -> Table:
    content = skill_content(asked.one_block, asked.moment).model_dump()
    calls = next(v for v in content.values() if isinstance(v, list))
    head = tuple(calls[0]) if calls else ("day",)
    return head, (tuple("" if v is None else v for v in c.values()) for c in calls)


def _devices(asked: Asked) -> Table:
    del asked  # the register is the farm's, and of today
    head = ("device", "type", "serial", "batch", "cost", "bought on", "shelf", "state", "where", "note")
    return head, (
        (d.key, d.type, d.serial, d.batch, "" if d.cost is None else d.cost, d.bought_on or "", d.shelf, d.state,
         d.where, d.note)
        for d in bench_content().devices
    )  # fmt: skip


@as_known_then
def _given(moment: str | None, block: str | None, days: int) -> list[tuple[Any, ...]]:
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    return [
        (row.block_key, times.iso(row.start_at, farm.time_zone), times.iso(row.end_at, farm.time_zone),
         round((row.end_at - row.start_at) / 3600, 3), row.gross_mm, row.note)
        for row in readings_store.sets(block, now - 86400 * days, now)
    ]  # fmt: skip


def _sets(asked: Asked) -> Table:
    return ("block", "start", "end", "hours", "gross [mm]", "note"), _given(asked.moment, asked.block, asked.days)


def _weather(asked: Asked) -> Table:
    farm = clock.the_farm()
    today = times.local_day(clock.as_of(farm, asked.moment), farm.time_zone)
    span = (today - asked.days, today)
    rain = dict(readings_store.rain(*span))
    eto = {day: (mm, note) for day, mm, note in readings_store.eto(*span)}
    warmth = {day: (high, low) for day, high, low in readings_store.temperatures(*span)}
    head = ("day", "ETo [mm]", "rain [mm]", "highest [degC]", "lowest [degC]", "note")
    rows = (
        (times.day_of(day).isoformat(), eto.get(day, ("", ""))[0], rain.get(day, ""), *warmth.get(day, ("", "")),
         eto.get(day, ("", ""))[1])
        for day in range(span[0], span[1] + 1)
        if day in eto or day in rain
    )  # fmt: skip
    return head, rows


TABLES: Final[dict[Name, Callable[[Asked], Table]]] = {
    "round": _round, "zones": _zones, "visits": _visits, "stations": _stations, "nodes": _nodes, "faults": _faults,
    "wettings": _wettings, "demand": _demand, "skill": _skill, "devices": _devices, "sets": _sets,
    "weather": _weather,
}  # fmt: skip


def readings_csv(block: str, first: date | None, last: date | None) -> Iterator[str]:
    """Raw readings of a block's sensors as CSV, piece by piece; the last seven days where no days are given.

    Raises
    ------
    Conflict
        If no farm is set up.
    NotFound
        If there is no such block.
    """
    farm = clock.the_farm()
    zone = farm.time_zone
    rows = farm_store.farm_rows([block])
    today = times.local_day(clock.farm_now(farm), zone)
    begin = times.day_number(first) if first else today - READINGS_DAYS
    end = times.day_number(last) if last else today
    span = (times.instant_of(begin, 0, zone), times.instant_of(end + 1, 0, zone) - 1)
    sensors = [
        one
        for station in rows.stations.get(rows.blocks[0].id, [])
        for sensor in rows.sensors.get(station.id, [])
        for one in (sensor, *rows.companions.get(sensor.id, []))
    ]

    def pieces() -> Iterator[str]:
        yield as_csv(("sensor", "quantity", "depth [cm]", "time", "raw", "raw unit"), [])
        for sensor in sensors:
            at, raw = readings_store.between(sensor.id, *span)
            for n in range(0, len(at), CHUNK):
                told = zip(at[n : n + CHUNK].tolist(), raw[n : n + CHUNK].tolist(), strict=True)
                yield as_csv((), (
                    (sensor.ref, sensor.quantity, sensor.depth_cm, times.iso(ts, zone), value, sensor.raw_unit)
                    for ts, value in told
                )).split("\n", 1)[1]  # fmt: skip

    return pieces()
