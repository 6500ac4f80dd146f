"""Faults of sensors and suspicions of stations: found by rule, decided by people."""

from collections import defaultdict
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any

from embalse.core.quality.faults import BY_READING, KEPT_OUT, Fault
from embalse.core.wording import as_json
from embalse.store import changes, models
from embalse.store.database import database
from embalse.store.errors import NotFound
from embalse.store.rows import FaultRow, SuspicionRow
from embalse.store.select import select

_again: ContextVar[int | None] = ContextVar("again", default=None)
_OUT = ", ".join(f"'{name}'" for name in sorted(KEPT_OUT))
_COLUMNS = "id, sensor_id, fault, start_at, end_at, known_at, readings, reason, verdict, note, who, decided_at, size"


def of_sensor(sensor_id: int, start: int, end: int) -> list[FaultRow]:
    """Faults of a sensor that touch a span [s, UTC], oldest first."""
    sql = f"SELECT {_COLUMNS} FROM fault WHERE sensor_id = ? AND end_at >= ? AND start_at <= ? ORDER BY start_at, fault"
    return select(sql, FaultRow, (sensor_id, start, end))


def kept_out_spans(sensor_id: int, start: int, end: int) -> list[tuple[int, int]]:
    """Spans of readings of a sensor that are not to be used [s, UTC]."""
    sql = f"""SELECT start_at, end_at FROM fault WHERE sensor_id = ? AND end_at >= ? AND start_at <= ?
        AND fault IN ({_OUT}) AND verdict <> 'overruled'"""
    return [(row[0], row[1]) for row in database.execute_sql(sql, (sensor_id, start, end))]


def lasting(now: int, since: int) -> dict[int, list[FaultRow]]:
    """Faults not overruled that were known by ``now`` and reach past ``since`` [s, UTC], by sensor."""
    sql = f"""SELECT {_COLUMNS} FROM fault WHERE end_at >= ? AND start_at <= ? AND known_at <= ?
        AND verdict <> 'overruled' ORDER BY sensor_id, start_at"""
    found: dict[int, list[FaultRow]] = defaultdict(list)
    for row in select(sql, FaultRow, (since, now, now)):
        found[row.sensor_id].append(row)
    return dict(found)


@contextmanager
def judged_again(now: int) -> Iterator[None]:
    """What is found inside is found by a set-up changed at an instant [s, UTC]: it was not known before."""
    token = _again.set(now)
    try:
        yield
    finally:
        _again.reset(token)


def replace(
    sensor_id: int, span: tuple[int, int], found: Iterable[Fault], classes: frozenset[str] = BY_READING
) -> bool:
    """Make the faults of some classes that touch a span [s, UTC] these; what a person decided stays.

    Says whether anything changed.
    """
    start, end = span
    before = {(f.fault, f.start_at): f for f in of_sensor(sensor_id, start, end) if f.fault in classes}
    wanted = {(f.fault, f.start_at): f for f in found}
    decided = [f for f in before.values() if f.verdict]
    changed = False
    for key, old in before.items():
        if key not in wanted and not old.verdict:
            _take_away(old)
            changed = True
    for key, new in wanted.items():
        old_row = before.get(key)
        if old_row is not None:
            values = {"end_at": new.end_at, "readings": new.readings, "reason": as_json(new.reason), "size": new.size}
            if any(getattr(old_row, name) != value for name, value in values.items()):
                models.FaultFound.update(**values).where(models.FaultFound.id == old_row.id).execute()
                changed = True
        elif not any(f.fault == new.fault and f.start_at <= new.end_at and new.start_at <= f.end_at for f in decided):
            models.FaultFound.create(
                sensor=sensor_id, fault=new.fault, start_at=new.start_at, end_at=new.end_at,
                known_at=max(new.known_at, _again.get() or new.known_at),
                readings=new.readings, reason=as_json(new.reason), size=new.size,
            )  # fmt: skip
            changed = True
    return changed


def _take_away(old: FaultRow) -> None:
    gone_at = _again.get()
    if gone_at is not None:
        sql = """INSERT INTO fault_gone (sensor_id, fault, start_at, end_at, known_at, gone_at, readings, reason, size)
            SELECT sensor_id, fault, start_at, end_at, known_at, ?, readings, reason, size FROM fault WHERE id = ?"""
        database.execute_sql(sql, (gone_at, old.id))
    models.FaultFound.delete().where(models.FaultFound.id == old.id).execute()


def add_late(sensor_id: int, found: Fault) -> None:
    """Keep that readings came late; one that touches another of its kind is told as one."""
    for old in of_sensor(sensor_id, found.start_at - 86400, found.end_at + 86400):
        if old.fault == found.fault:
            start, end = min(old.start_at, found.start_at), max(old.end_at, found.end_at)
            values = {"start_at": start, "end_at": end, "readings": old.readings + found.readings}
            models.FaultFound.update(**values).where(models.FaultFound.id == old.id).execute()
            return
    models.FaultFound.create(
        sensor=sensor_id, fault=found.fault, start_at=found.start_at, end_at=found.end_at, known_at=found.known_at,
        readings=found.readings, reason=as_json(found.reason),
    )  # fmt: skip


def fault(fault_id: int) -> FaultRow:
    """A fault by id; raises NotFound."""
    found = select(f"SELECT {_COLUMNS} FROM fault WHERE id = ?", FaultRow, (fault_id,))
    if not found:
        raise NotFound("fault", f"there is no fault {fault_id}")
    return found[0]


def decide(table: str, row_id: int, values: dict[str, Any]) -> None:
    """Write what a person says of a fault or a suspicion; raises NotFound."""
    model: Any = {"fault": models.FaultFound, "suspicion": models.Suspicion}[table]
    row = model.get_or_none(id=row_id)
    if row is None:
        raise NotFound(table, f"there is no {table} {row_id}")
    before = {"verdict": row.verdict, "note": row.note}
    model.update(**values).where(model.id == row_id).execute()
    of = {"fault": row.fault, "start_at": row.start_at} if table == "fault" else {"depths": [row.upper, row.lower]}
    after = {name: values[name] for name in before if name in values}
    changes.note("verdicts", changes.subject_of(row), "decided", before, {**of, **after})


def suspicions(station_id: int | None = None) -> list[SuspicionRow]:
    """Suspicions of a station, or of all."""
    only, parameters = ("WHERE station_id = ?", [station_id]) if station_id is not None else ("", [])
    columns = "id, station_id, upper, lower, against, wettings, words, last_at, verdict, note, who"
    return select(f"SELECT {columns} FROM suspicion {only} ORDER BY id", SuspicionRow, parameters)


def replace_suspicions(station_id: int, rows: list[dict[str, Any]]) -> None:
    """Make a station's suspicions these; what a person decided, and since when they were known, stays."""
    before = {(s.upper, s.lower): s for s in suspicions(station_id)}
    wanted = {(r["upper"], r["lower"]): r for r in rows}
    for key, old in before.items():
        if key not in wanted and not old.verdict:
            models.Suspicion.delete().where(models.Suspicion.id == old.id).execute()
    for key, new in wanted.items():
        if key in before:
            models.Suspicion.update(**new).where(models.Suspicion.id == before[key].id).execute()
        else:
            models.Suspicion.create(station=station_id, found_at=new["last_at"], **new)


def forget_suspicions(station_id: int) -> None:
    """Forget a station's suspicions, after its channels were swapped."""
    models.Suspicion.delete().where(models.Suspicion.station == station_id).execute()
