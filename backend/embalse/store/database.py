"""The SQLite file: opening it, and bringing its schema up to date without losing data."""

import contextlib
import importlib
import pkgutil
import sqlite3
from collections.abc import Iterator
from pathlib import Path

from peewee import DatabaseError, OperationalError, SqliteDatabase

from embalse.store import migrations
from embalse.store.errors import Conflict, Foreign, NewerDatabase

PRAGMAS = {
    "journal_mode": "wal",
    "foreign_keys": 1,
    "synchronous": "full",
    "busy_timeout": 10_000,
    "cache_size": -32_000,
    "temp_store": "memory",
}

FILE_TROUBLE = (DatabaseError, sqlite3.Error)
"""What the file itself refuses: locked, full, or not to be read; many rows at once go past peewee's own names."""
database = SqliteDatabase(None, pragmas=PRAGMAS)


def migration_scripts() -> list[tuple[int, str]]:
    """Versions and SQL of all migrations, oldest first."""
    names = sorted(m.name for m in pkgutil.iter_modules(migrations.__path__) if m.name.startswith("m"))
    return [(int(name[1:5]), importlib.import_module(f"{migrations.__name__}.{name}").STATEMENTS) for name in names]


def schema_version(path: Path) -> int:
    """Schema version of a file, 0 when it does not exist or is empty."""
    if not path.exists():
        return 0
    try:
        with contextlib.closing(sqlite3.connect(path)) as connection:
            return int(connection.execute("PRAGMA user_version").fetchone()[0])
    except sqlite3.DatabaseError as broken:
        words = "is damaged, or no database at all; go back to a copy with `embalse restore`"
        raise Foreign("database", f"{path.name} {words}") from broken


def _has_tables(path: Path) -> bool:
    if not path.exists():
        return False
    with contextlib.closing(sqlite3.connect(path)) as connection:
        return connection.execute("SELECT 1 FROM sqlite_master WHERE type = 'table' LIMIT 1").fetchone() is not None


def migrate(path: Path, scripts: list[tuple[int, str]] | None = None) -> Path | None:
    """Bring a file's schema up to date; a copy of a file that holds data is taken first.

    Each migration runs in one transaction with its version number, so a cut leaves the file at the version before.

    Returns
    -------
    Path or None
        The copy, when one was taken.

    Raises
    ------
    NewerDatabase
        If the file's version is above the last migration known here.
    Foreign
        If the file is damaged, or a database of another program.
    """
    known = scripts if scripts is not None else migration_scripts()
    version = schema_version(path)
    if not version and scripts is None and _has_tables(path):
        raise Foreign("database", f"{path.name} is a database of another program; nothing in it was touched")
    newest = known[-1][0]
    if version > newest:
        raise NewerDatabase("database", f"version {version} is newer than {newest}, the last this program knows")
    if version == newest:
        return None
    path.parent.mkdir(parents=True, exist_ok=True)
    copy = _copy(path, version) if version else None
    with contextlib.closing(sqlite3.connect(path, isolation_level=None)) as connection:
        connection.execute("PRAGMA journal_mode = wal")
        for number, statements in known:
            if number > version:
                connection.executescript(f"BEGIN IMMEDIATE; {statements} PRAGMA user_version = {number}; COMMIT;")
    return copy


def _copy(path: Path, version: int) -> Path:
    target = path.with_name(f"{path.stem}.before-v{version + 1}{path.suffix}")
    with contextlib.closing(sqlite3.connect(path)) as source, contextlib.closing(sqlite3.connect(target)) as copy:
        source.backup(copy)
    return target


def open_database(path: Path) -> Path | None:
    """Migrate the file and point the models at it; returns the copy taken before a migration, if any."""
    copy = migrate(path)
    if not database.is_closed():
        database.close()
    database.init(str(path), pragmas=PRAGMAS)
    return copy


@contextlib.contextmanager
def connection() -> Iterator[None]:
    """A connection for the current thread, closed again if it was opened here."""
    opened = database.connect(reuse_if_open=True)
    try:
        yield
    finally:
        if opened:
            database.close()


@contextlib.contextmanager
def transaction() -> Iterator[None]:
    """One write transaction: all of it or nothing; raises Conflict while a long import holds the file."""
    with connection():
        try:
            with database.atomic("IMMEDIATE"):
                yield
        except OperationalError as busy:
            if "locked" not in str(busy):
                raise
            raise Conflict(
                "database", "an import is being stored; nothing was lost, try again when it is done"
            ) from busy
