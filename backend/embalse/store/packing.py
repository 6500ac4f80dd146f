"""The farm's tables row by row: out of the file in one moment, and into an empty file, all of it or nothing."""

import contextlib
import secrets
import sqlite3
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from embalse.store.database import database, migrate, migration_scripts, transaction
from embalse.store.errors import Conflict, NewerDatabase

LEFT_OUT: Final = frozenset({"ended_session", "calendar_feed", "reading_token", "message", "sqlite_sequence"})
"""Tables that are secrets, or good for one machine only."""
SECRETS: Final[dict[str, frozenset[str]]] = {
    "person": frozenset({"password_hash", "session_key", "invite_hash", "invite_until"}),
    "gateway": frozenset({"token_hash"}),
    "controller": frozenset({"token"}),
}
APART: Final = {"photo": "data"}
"""A column that is a file of its own in a package."""
NAMES_PEOPLE: Final = ("change", "message_choice")
"""Packed tables whose rows name a person."""
ROWS_AT_ONCE: Final = 20_000

OF_BLOCK: Final = {
    "block": "key = :block",
    "soil": "id IN (SELECT soil_id FROM block WHERE key = :block)",
    "horizon": "soil_id IN (SELECT soil_id FROM block WHERE key = :block)",
    "system": "id IN (SELECT system_id FROM block WHERE key = :block)",
    "supply": "id IN (SELECT supply_id FROM block WHERE key = :block)",
    "record": "subject = :block OR substr(subject, 1, length(:block) + 1) = :block || '/'",
    "change": "subject = :block OR substr(subject, 1, length(:block) + 1) = :block || '/'",
    "device": "id IN (SELECT device_id FROM placement WHERE sensor_id IN ({sensors}))",
    "device_calibration": "device_id IN (SELECT device_id FROM placement WHERE sensor_id IN ({sensors}))",
    "import_job": "id IN (SELECT job_id FROM reading WHERE sensor_id IN ({sensors}))",
}
"""Rows of a table that belong to one block; tables that name a block, station or sensor go by that."""
SENSORS: Final = """SELECT id FROM sensor WHERE station_id IN
    (SELECT id FROM station WHERE block_id = (SELECT id FROM block WHERE key = :block))"""
OF_FARM: Final = frozenset({"farm", "rain", "eto", "import_profile"})
TIMED: Final = {
    "reading": "ts >= :first_at AND ts < :end_at", "set_log": "start_at >= :first_at AND start_at < :end_at",
    "fault": "end_at >= :first_at AND start_at < :end_at", "fault_gone": "end_at >= :first_at AND start_at < :end_at",
    "valve_event": "at >= :first_at AND at < :end_at", "line_reading": "at >= :first_at AND at < :end_at",
    **dict.fromkeys(("rain", "eto", "dawn", "hours", "kept_answer", "refill_call", "block_fit"),
                    "day >= :first_day AND day < :end_day"),
}  # fmt: skip
"""Rows of a table that lie in a span; those of the other tables hold for all seasons."""


@dataclass(frozen=True)
class Column:
    """A column of a table: its SQL type, whether it may be empty, its place in the primary key (0: none)."""

    name: str
    kind: str
    nullable: bool
    key: int


@dataclass(frozen=True)
class TableShape:
    """A table as it is packed: its columns without secrets, and the tables its columns point to."""

    name: str
    columns: tuple[Column, ...]
    points_to: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Cut:
    """What of the farm is packed: one block or all, a span of instants [s, UTC] and days, or everything."""

    block: str | None = None
    first: tuple[int, int] | None = None
    end: tuple[int, int] | None = None

    @property
    def values(self) -> dict[str, Any]:
        """Values of the conditions."""
        first, end = self.first or (-(2**62), -(2**62)), self.end or (2**62, 2**62)
        return {"block": self.block, "first_at": first[0], "first_day": first[1], "end_at": end[0], "end_day": end[1]}


class Snapshot:
    """The farm's file as it is at one moment; writers go on meanwhile."""

    def __init__(self, path: Path) -> None:
        self._file = sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)
        self._file.execute("BEGIN")
        self.version = int(self._file.execute("PRAGMA user_version").fetchone()[0])

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()

    def shapes(self) -> list[TableShape]:
        """All tables that are packed, those pointed to before those that point."""
        return _shapes(self._file)

    def rows(self, shape: TableShape, cut: Cut) -> Iterator[tuple[Any, ...]]:
        """Rows of a table in the order of its primary key."""
        names = ", ".join(_named(c.name) for c in shape.columns)
        keys = [c.name for c in sorted(shape.columns, key=lambda c: c.key) if c.key] or ["rowid"]
        only = _condition(shape, cut)
        if only == "0":
            return
        if cut.block is not None and shape.name == "change":
            names = names.replace('"person_id"', "NULL")
        sql = f'SELECT {names} FROM "{shape.name}" {"WHERE " + only if only else ""} ORDER BY {", ".join(keys)}'
        cursor = self._file.execute(sql, cut.values)
        cursor.arraysize = ROWS_AT_ONCE
        while found := cursor.fetchmany():
            yield from found

    def photos(self) -> Iterator[tuple[str, bytes]]:
        """Key and content of every photo."""
        for key, data in self._file.execute("SELECT key, data FROM photo ORDER BY key"):
            yield str(key), bytes(data)


def _column_rows(file: sqlite3.Connection, name: str) -> list[tuple[Any, ...]]:
    return file.execute(f'PRAGMA table_info("{name}")').fetchall()


def _named(column: str) -> str:
    return f'"{column}"'


def _condition(shape: TableShape, cut: Cut) -> str:
    """What a row must be, as SQL; empty for every row, '0' for none."""
    found = []
    if cut.block is not None and shape.name not in OF_FARM:
        names = {c.name for c in shape.columns}
        block = "(SELECT id FROM block WHERE key = :block)"
        if shape.name in OF_BLOCK:
            found.append(OF_BLOCK[shape.name].format(sensors=SENSORS))
        elif "sensor_id" in names:
            found.append(f"sensor_id IN ({SENSORS})")
        elif "station_id" in names:
            found.append(f"station_id IN (SELECT id FROM station WHERE block_id = {block})")
        elif "block_id" in names:
            found.append(f"block_id = {block}")
        else:
            return "0"
    if (cut.first or cut.end) and shape.name in TIMED:
        found.append(TIMED[shape.name])
    return " AND ".join(f"({one})" for one in found)


def _shapes(file: sqlite3.Connection) -> list[TableShape]:
    names = [r[0] for r in file.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
    found = {}
    for name in names:
        if name in LEFT_OUT:
            continue
        hidden = SECRETS.get(name, frozenset()) | {APART.get(name, "")}
        columns = tuple(
            Column(row[1], row[2], not row[3] and not row[5], row[5])
            for row in _column_rows(file, name)
            if row[1] not in hidden
        )
        points = tuple(sorted((r[3], r[2]) for r in file.execute(f'PRAGMA foreign_key_list("{name}")')))
        found[name] = TableShape(name, columns, points)
    ordered: list[TableShape] = []
    while len(ordered) < len(found):
        done = {s.name for s in ordered}
        ordered += [s for n, s in found.items() if n not in done and all(t in done or t == n for _, t in s.points_to)]
    return ordered


class Filling:
    """A new file beside the farm's, filled table by table and taken over once all of it is sound."""

    TROUBLE: Final = (sqlite3.Error, OverflowError)

    def __init__(self, path: Path, version: int) -> None:
        scripts = migration_scripts()
        if version > scripts[-1][0]:
            words = f"version {version} is newer than {scripts[-1][0]}, the last this program knows"
            raise NewerDatabase("package", words)
        self.path = path
        self.remove()
        migrate(path, [s for s in scripts if s[0] <= version])
        self._file = sqlite3.connect(path, isolation_level=None)
        self._file.execute("PRAGMA journal_mode = off")
        self._file.execute("PRAGMA synchronous = off")
        self._file.execute("PRAGMA foreign_keys = off")
        self._file.execute("BEGIN")
        self.shapes = {s.name: s for s in _shapes(self._file)}

    def put(self, table: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> None:
        """Store rows; secrets that must be there are made up, so that nothing opens by them."""
        made_up: dict[str, Callable[[], str]] = {
            "session_key": secrets.token_hex,
            "token_hash": secrets.token_hex,
            "token": str,
        }
        lacking = [n for n in SECRETS.get(table, ()) if n in made_up]
        names = ", ".join(_named(n) for n in (*columns, *lacking))
        marks = ", ".join("?" * (len(columns) + len(lacking)))
        more = ((*row, *(made_up[n]() for n in lacking)) for row in rows) if lacking else rows
        self._file.executemany(f'INSERT INTO "{table}" ({names}) VALUES ({marks})', more)

    def finish(self) -> None:
        """Bring the file up to date, and see that every row points at one that is there; raises Conflict."""
        self._file.execute("COMMIT")
        lost = self._file.execute("PRAGMA foreign_key_check").fetchone()
        self._file.close()
        if lost is not None:
            raise Conflict("package", f"a row of {lost[0]} points at a row of {lost[2]} that is not there")
        migrate(self.path)

    def take_over(self) -> None:
        """Move everything into the open, empty database in one transaction; people who are there already stay."""
        database.execute_sql("ATTACH ? AS packed", (str(self.path),))
        try:
            with transaction():
                if database.execute_sql("SELECT 1 FROM main.farm").fetchone():
                    raise Conflict("farm", "there is a farm here already: a package is read into an empty database")
                _move()
        finally:
            database.execute_sql("DETACH packed")

    def remove(self) -> None:
        """Take the file away."""
        with contextlib.suppress(AttributeError, sqlite3.Error):
            self._file.close()
        for end in ("", "-wal", "-shm", "-journal"):
            Path(f"{self.path}{end}").unlink(missing_ok=True)


def _move() -> None:
    database.execute_sql("PRAGMA defer_foreign_keys = 1")
    names = [
        r[0]
        for r in database.execute_sql("SELECT name FROM packed.sqlite_master WHERE type = 'table'").fetchall()
        if r[0] not in LEFT_OUT
    ]
    people, changes = (_highest("main", t) for t in ("person", "change"))
    if people:
        _beside_those_there(_highest("packed", "change") if changes else 0)
    for name in names:
        columns = ", ".join(_named(r[1]) for r in database.execute_sql(f'PRAGMA packed.table_info("{name}")'))
        database.execute_sql(f'INSERT INTO main."{name}" ({columns}) SELECT {columns} FROM packed."{name}"')


def _highest(schema: str, table: str) -> int:
    return int(database.execute_sql(f'SELECT coalesce(max(id), 0) FROM {schema}."{table}"').fetchone()[0])


def _beside_those_there(changes: int) -> None:
    """Who made this database keeps the way in: packed people of the same sign-in give way, the others come after."""
    database.execute_sql("UPDATE main.change SET id = -id")
    database.execute_sql("UPDATE main.change SET id = ? - id", (changes,))
    most = _highest("main", "person")
    same = database.execute_sql(
        "SELECT p.id, m.id FROM packed.person p JOIN main.person m ON m.sign_in = p.sign_in COLLATE NOCASE"
    ).fetchall()
    away = 10**9
    database.execute_sql("UPDATE packed.person SET id = id + ?", (away + most,))
    for table in NAMES_PEOPLE:
        database.execute_sql(f"UPDATE packed.{table} SET person_id = person_id + ?", (away + most,))
    for packed, here in same:
        for table in NAMES_PEOPLE:
            values = (here, packed + away + most)
            database.execute_sql(f"UPDATE packed.{table} SET person_id = ? WHERE person_id = ?", values)
        database.execute_sql("DELETE FROM packed.person WHERE id = ?", (packed + away + most,))
    database.execute_sql("UPDATE packed.person SET id = id - ?", (away,))
    for table in NAMES_PEOPLE:
        sql = f"UPDATE packed.{table} SET person_id = person_id - ? WHERE person_id > ?"
        database.execute_sql(sql, (away, away))
