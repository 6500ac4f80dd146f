"""Keeping the data: copies while the program runs, checks, and going back to a copy."""

import contextlib
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from embalse.store.database import database, migration_scripts, schema_version
from embalse.store.errors import NotFound, StoreError

PAGES_A_STEP = 2000


class BrokenCopy(StoreError):
    """A file that is no whole Embalse database."""


@dataclass(frozen=True)
class CheckReport:
    """What a check found: schema version, rows by table, and everything wrong, in words."""

    version: int
    rows: dict[str, int]
    troubles: tuple[str, ...]


def backup(source: Path, target: Path) -> Path:
    """Copy a database to another file while others read and write it; the copy is checked before it gets its name.

    Raises
    ------
    NotFound
        If there is no database.
    BrokenCopy
        If the copy is not whole.
    """
    if not source.exists():
        raise NotFound("database", f"there is no database {source.name}")
    if target.resolve() == source.resolve():
        raise StoreError("backup", "a copy cannot take the place of the database itself: give it another name")
    target.parent.mkdir(parents=True, exist_ok=True)
    unfinished = target.with_name(target.name + ".part")
    unfinished.unlink(missing_ok=True)
    try:
        with (
            contextlib.closing(sqlite3.connect(source)) as live,
            contextlib.closing(sqlite3.connect(unfinished)) as copy,
        ):
            live.backup(copy, pages=PAGES_A_STEP, sleep=0.01)
            copy.execute("PRAGMA journal_mode = delete")
        troubles = check(unfinished).troubles
        if troubles:
            raise BrokenCopy("backup", f"the copy is not whole: {troubles[0]}")
        unfinished.replace(target)
    finally:  # a full disk leaves no half of a copy behind
        unfinished.unlink(missing_ok=True)
    return target


def check(path: Path) -> CheckReport:
    """Integrity of a file, rows that point nowhere, imports left open, dawn values of sensors without readings.

    Raises
    ------
    NotFound
        If there is no such file.
    BrokenCopy
        If it is no database at all.
    """
    if not path.exists():
        raise NotFound("database", f"there is no file {path.name}")
    troubles: list[str] = []
    rows: dict[str, int] = {}
    try:
        with contextlib.closing(sqlite3.connect(f"file:{quote(str(path))}?mode=ro", uri=True)) as connection:
            found = [row[0] for row in connection.execute("PRAGMA integrity_check(20)")]
            troubles += [] if found == ["ok"] else found
            for table, row_id, parent, _ in connection.execute("PRAGMA foreign_key_check"):
                troubles.append(f"row {row_id} of {table} points to a {parent} that is not there")
            names = [row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            for name in sorted(n for n in names if not n.startswith("sqlite_")):
                rows[name] = connection.execute(f'SELECT count(*) FROM "{name}"').fetchone()[0]
            if "dawn" in rows:
                troubles += _orphans(connection)
    except sqlite3.DatabaseError as broken:
        raise BrokenCopy("database", f"{path.name} is no whole database: {broken}") from broken
    version = schema_version(path)
    if "farm" not in rows or version > migration_scripts()[-1][0]:
        troubles.append("this is not a database of this program, or of a later version of it")
    return CheckReport(version, rows, tuple(troubles))


def _orphans(connection: sqlite3.Connection) -> list[str]:
    lost = connection.execute(
        "SELECT count(*) FROM (SELECT DISTINCT sensor_id FROM dawn EXCEPT SELECT sensor_id FROM reading)"
    ).fetchone()[0]
    open_jobs = connection.execute("SELECT count(*) FROM import_job WHERE status = 'running'").fetchone()[0]
    half = connection.execute(
        """SELECT count(*) FROM reading WHERE job_id IN
           (SELECT id FROM import_job WHERE status NOT IN ('done', 'running'))"""
    ).fetchone()[0]
    found = [f"{lost} sensors have dawn values and no readings"] if lost else []
    found += [f"{half} readings belong to an import that did not finish"] if half else []
    return found + ([f"{open_jobs} imports are marked as running"] if open_jobs else [])


def restore(copy: Path, target: Path, aside: Path) -> None:
    """Make a database what a copy is; what was there is kept aside. Works while the program runs.

    Raises
    ------
    NotFound, BrokenCopy
        If the copy is not there or not whole.
    """
    troubles = check(copy).troubles
    if troubles:
        raise BrokenCopy("backup", f"the copy is not whole: {troubles[0]}")
    if target.exists():
        backup(target, aside)
    target.parent.mkdir(parents=True, exist_ok=True)
    with contextlib.closing(sqlite3.connect(copy)) as source, contextlib.closing(sqlite3.connect(target)) as live:
        source.backup(live)
        live.execute("PRAGMA journal_mode = wal")


def thin_out(folder: Path, keep: int) -> list[Path]:
    """Delete all but the newest ``keep`` copies of a folder; returns those deleted."""
    copies = sorted(folder.glob("embalse-*.db"), reverse=True)
    for old in copies[keep:]:
        old.unlink(missing_ok=True)
    return copies[keep:]


@dataclass(frozen=True)
class FiguresNow:
    """How many readings there are, when the newest was taken [s, UTC], and how many sensors wait to be looked at."""

    readings: int
    last_reading_at: int | None
    waiting: int


def version_now() -> int:
    """Schema version of the open database."""
    return int(database.execute_sql("PRAGMA user_version").fetchone()[0])


def figures_now() -> FiguresNow:
    """Figures of the open database, without going through its readings one by one."""
    counted = database.execute_sql("SELECT coalesce(sum(readings_new), 0) FROM import_job").fetchone()[0]
    newest = database.execute_sql(
        "SELECT max((SELECT max(ts) FROM reading WHERE sensor_id = s.id)) FROM sensor s"
    ).fetchone()[0]
    waiting = database.execute_sql("SELECT count(*) FROM unjudged").fetchone()[0]
    return FiguresNow(int(counted), newest, int(waiting))
