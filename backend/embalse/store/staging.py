"""Readings of an import in a file of their own, until all of it is known to be good; then moved, a part at a time."""

import contextlib
import fcntl
import re
import sqlite3
from collections.abc import Iterator, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Final

from embalse.store.database import database

MOVED_AT_ONCE: Final = 50_000
"""Readings moved in one transaction (ours): a twentieth of a second, so that whoever else writes soon has a turn."""
_NAME: Final = re.compile(r"\.import-(\d+)\.part$")
Key = tuple[int, int]
"""A sensor's id and an instant [s, UTC]."""


class Staging:
    """The file of one import: a reading is there once, by sensor and instant."""

    def __init__(self, path: Path) -> None:
        self._connection = sqlite3.connect(path, isolation_level=None)
        for pragma in ("journal_mode = off", "synchronous = off", "cache_size = -16000"):
            self._connection.execute(f"PRAGMA {pragma}")
        self._connection.execute(
            """CREATE TABLE IF NOT EXISTS staged (sensor_id INTEGER, ts INTEGER, raw REAL,
               PRIMARY KEY (sensor_id, ts)) WITHOUT ROWID"""
        )

    def insert_new(self, rows: Sequence[tuple[int, int, float]]) -> int:
        """Keep readings that are not there yet; returns how many were new."""
        before = self._connection.total_changes
        self._connection.execute("BEGIN")
        self._connection.executemany("INSERT OR IGNORE INTO staged VALUES (?, ?, ?)", rows)
        self._connection.execute("COMMIT")
        return int(self._connection.total_changes - before)

    def value(self, key: Key) -> float:
        """The value kept for a sensor and instant."""
        sql = "SELECT raw FROM staged WHERE sensor_id = ? AND ts = ?"
        return float(self._connection.execute(sql, key).fetchone()[0])

    def close(self) -> None:
        """Leave the file."""
        self._connection.close()


@contextlib.contextmanager
def held(job_id: int) -> Iterator[Path]:
    """The file of an import, there and marked as in use for as long as the import runs; gone afterwards."""
    path = Path(str(database.database)).with_suffix(f".import-{job_id}.part")
    with path.open("w") as marked:
        fcntl.flock(marked, fcntl.LOCK_EX | fcntl.LOCK_NB)
        try:
            yield path
        finally:
            path.unlink(missing_ok=True)
            path.with_name(f"{path.name}-journal").unlink(missing_ok=True)


def in_use(job_id: int) -> bool:
    """Whether some process still holds the file of an import."""
    path = Path(str(database.database)).with_suffix(f".import-{job_id}.part")
    if not path.exists():
        return False
    with path.open("a") as marked:
        try:
            fcntl.flock(marked, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return True
    return False


def left_behind() -> list[Path]:
    """Files of imports whose process is gone."""
    folder = Path(str(database.database)).parent
    found = [(path, _NAME.search(path.name)) for path in folder.glob("*.import-*.part")]
    return [path for path, name in found if name is not None and not in_use(int(name[1]))]


@contextlib.contextmanager
def attached(path: Path) -> Iterator[None]:
    """The file beside the farm's, on this thread's connection."""
    database.execute_sql("ATTACH DATABASE ? AS staging", (str(path),))
    try:
        yield
    finally:
        database.execute_sql("DETACH DATABASE staging")


def give_ids(ids: Sequence[tuple[int, int]]) -> None:
    """Sensors that were made meanwhile get their ids: pairs of the one they stood under and the one they have."""
    for old, new in ids:
        database.execute_sql("UPDATE staging.staged SET sensor_id = ? WHERE sensor_id = ?", (new, old))


def parts() -> list[tuple[Key, Key]]:
    """Spans of keys, first excluded and last included, that are moved one after another; at least one."""
    edges: list[Key] = [(-(2**40), -(2**40))]
    sql = """SELECT sensor_id, ts FROM staging.staged WHERE (sensor_id, ts) > (?, ?)
        ORDER BY sensor_id, ts LIMIT 1 OFFSET ?"""
    while True:
        row = database.execute_sql(sql, (*edges[-1], MOVED_AT_ONCE - 1)).fetchone()
        if row is None:
            edges.append((2**62, 2**62))
            return list(pairwise(edges))
        edges.append((row[0], row[1]))


def move(part: tuple[Key, Key], job_id: int) -> tuple[int, int]:
    """Move a part into the farm's readings, within the caller's transaction.

    Returns how many were new there, and how many contradict what was stored since the import began.
    """
    (after, upto) = part
    connection = database.connection()
    before: int = connection.total_changes
    span = "(sensor_id, ts) > (?, ?) AND (sensor_id, ts) <= (?, ?)"
    connection.execute(
        f"""INSERT OR IGNORE INTO main.reading (sensor_id, ts, raw, job_id)
            SELECT sensor_id, ts, raw, ? FROM staging.staged WHERE {span} ORDER BY sensor_id, ts""",
        (job_id, *after, *upto),
    )
    new = int(connection.total_changes - before)
    there = connection.execute(f"SELECT count(*) FROM staging.staged WHERE {span}", (*after, *upto)).fetchone()[0]
    if new == there:
        return new, 0
    other = connection.execute(
        f"""SELECT count(*) FROM staging.staged s JOIN main.reading r USING (sensor_id, ts)
            WHERE {span.replace("(sensor_id, ts)", "(s.sensor_id, s.ts)")} AND r.raw <> s.raw""",
        (*after, *upto),
    ).fetchone()[0]
    return new, int(other)
