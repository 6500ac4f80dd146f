"""Taking back what was just entered: rows as they were before some lines of the trail, and lines that say so."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from embalse.store import changes
from embalse.store.database import database
from embalse.store.undoing import TABLE_OF, undo_line


@dataclass(frozen=True)
class Line:
    """One line of the trail with the row it is about; ``row_id`` is None where nothing can be undone."""

    id: int
    person_id: int | None
    who: str
    kind: str
    subject: str
    what: str
    before: dict[str, Any]
    after: dict[str, Any]
    of_table: str
    row_id: int | None


def lines(first: int, last: int) -> list[Line]:
    """Lines of the trail by number, the newest first."""
    sql = """SELECT id, person_id, who, kind, subject, what, before, after, of_table, row_id FROM change
             WHERE id BETWEEN ? AND ? ORDER BY id DESC"""
    return [
        Line(id_, person, who, kind, subject, what, json.loads(before), json.loads(after), table, row)
        for id_, person, who, kind, subject, what, before, after, table, row in database.execute_sql(
            sql, (first, last)
        ).fetchall()
    ]


def touched_since(line: Line, last: int) -> bool:
    """Whether the row of a line was changed again after a number of the trail."""
    sql = "SELECT 1 FROM change WHERE id > ? AND of_table = ? AND row_id = ? LIMIT 1"
    return database.execute_sql(sql, (last, line.of_table, line.row_id)).fetchone() is not None


def row_of(line: Line) -> Mapping[str, Any] | None:
    """The row of a line as it is now, by column; a record's body is JSON text."""
    rows = database.execute_sql(f"SELECT * FROM {_table(line)} WHERE id = ?", (line.row_id,))
    names = [column[0] for column in rows.description]
    found = rows.fetchone()
    return None if found is None else dict(zip(names, found, strict=True))


def is_used(line: Line) -> bool:
    """Whether rows refer to the row of a line, or records are about it.

    Horizons belong to their soil: they have lines of their own.
    """
    about = "SELECT 1 FROM record WHERE deleted_at IS NULL AND (subject = ? OR substr(subject, 1, ?) = ?) LIMIT 1"
    below = f"{line.subject}/"
    if database.execute_sql(about, (line.subject, len(below), below)).fetchone() is not None:
        return True
    names = [name for (name,) in database.execute_sql("SELECT name FROM sqlite_master WHERE type = 'table'")]
    for name in names:
        for key in database.execute_sql(f"PRAGMA foreign_key_list({name})").fetchall():
            target, column = key[2], key[3]
            if target == _table(line) and name != "horizon":
                sql = f"SELECT 1 FROM {name} WHERE {column} = ? LIMIT 1"
                if database.execute_sql(sql, (line.row_id,)).fetchone() is not None:
                    return True
    return False


def put_back(line: Line) -> None:
    """Bring the row of a line to what it was before it, and say so in the trail."""
    if line.row_id is None:
        raise ValueError(f"line {line.id} names no row")
    of = (line.of_table, line.row_id)
    gone = line.what == "created" and line.of_table != "horizon"
    row = dict(row_of(line) or {}) if gone else {}
    undo_line("main", (*of, line.what), line.before, line.after)
    if gone:  # the whole row, so that an answer about the time between has it
        row.pop("id", None)
        changes.note(line.kind, line.subject, "taken back", row, {}, of=of)
    else:
        changes.note(line.kind, line.subject, "changed", line.after, line.before, of=of)


def _table(line: Line) -> str:
    return TABLE_OF.get(line.of_table, line.of_table)
