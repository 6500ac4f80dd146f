"""Spans of readings that are stored and not looked at yet; nothing is advised from them until they are."""

from collections.abc import Iterable
from dataclasses import dataclass

from embalse.store.database import database


@dataclass(frozen=True)
class UnjudgedRow:
    """A sensor's span of new readings [s, UTC], and whether its station's order of wettings is to be held again."""

    sensor_id: int
    start_at: int
    end_at: int
    suspect: bool


def add(rows: Iterable[UnjudgedRow]) -> None:
    """Note spans to be looked at; a sensor's span grows over those it had."""
    sql = """INSERT INTO unjudged (sensor_id, start_at, end_at, suspect) VALUES (?, ?, ?, ?)
        ON CONFLICT (sensor_id) DO UPDATE SET start_at = MIN(start_at, excluded.start_at),
          end_at = MAX(end_at, excluded.end_at), suspect = MAX(suspect, excluded.suspect)"""
    values = [(r.sensor_id, r.start_at, r.end_at, int(r.suspect)) for r in rows]
    database.connection().executemany(sql, values)


def unjudged(sensor_id: int | None = None) -> list[UnjudgedRow]:
    """What waits to be looked at, of a sensor or of all."""
    only, parameters = ("WHERE sensor_id = ?", (sensor_id,)) if sensor_id is not None else ("", ())
    found = database.execute_sql(f"SELECT sensor_id, start_at, end_at, suspect FROM unjudged {only}", parameters)
    return [UnjudgedRow(row[0], row[1], row[2], bool(row[3])) for row in found]


def done(sensor_id: int) -> None:
    """A sensor's new readings were looked at."""
    database.execute_sql("DELETE FROM unjudged WHERE sensor_id = ?", (sensor_id,))


def looked_at_up_to(sensor_id: int, at: int) -> None:
    """A sensor's new readings before ``at`` [s, UTC] were looked at; the others still wait."""
    database.execute_sql("UPDATE unjudged SET start_at = ? WHERE sensor_id = ?", (at, sensor_id))
