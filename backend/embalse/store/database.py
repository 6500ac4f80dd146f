"""The SQLite file: opening it, and bringing its schema up to date without losing data."""

import contextlib
import importlib
import pkgutil
import sqlite3
import threading
import time
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
PATIENCE_S = 10.0
"""How long a writer waits for its turn."""
ASK_AGAIN_S = 0.003
"""Pause between two questions whether another process still writes."""
_turn = threading.Lock()


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
    """One write transaction: all of it or nothing; raises Conflict where nobody else lets it write for a while."""
    with connection():
        if database.in_transaction():
            with database.atomic():
                yield
            return
        with _turn_to_write(), contextlib.ExitStack() as stack:
            _begin(stack)
            yield


@contextlib.contextmanager
def _turn_to_write() -> Iterator[None]:
    """Writers of this process one after another; whoever waits is next as soon as another is done."""
    if not _turn.acquire(timeout=PATIENCE_S):
        raise _busy()
    try:
        yield
    finally:
        _turn.release()


def _begin(stack: contextlib.ExitStack) -> None:
    """Begin to write, asked for often: SQLite itself asks ten times a second, and a short pause would be missed."""
    end = time.monotonic() + PATIENCE_S
    database.execute_sql("PRAGMA busy_timeout = 0")
    try:
        while True:
            try:
                stack.enter_context(database.atomic("IMMEDIATE"))
                return
            except OperationalError as busy:
                if "locked" not in str(busy):
                    raise
                if time.monotonic() > end:
                    raise _busy() from busy
            time.sleep(ASK_AGAIN_S)
    finally:
        database.execute_sql(f"PRAGMA busy_timeout = {PRAGMAS['busy_timeout']}")


def _busy() -> Conflict:
    return Conflict("database", "others are storing much; nothing was lost, try again in a minute")
