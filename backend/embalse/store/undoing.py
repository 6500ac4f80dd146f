"""Undoing lines of the trail of changes, in the real tables or in temporary ones that hide them."""

import json
from typing import Any

from embalse.store.database import database

TABLE_OF = {"set": "set_log"}
"""Tables whose rows are named otherwise where they are put."""


def undo_line(schema: str, line: tuple[str, int, str], before: dict[str, Any], after: dict[str, Any]) -> None:
    """Bring a row back to what it was before a change: its table, number and what was done, in a schema.

    A row that was created is gone then, one that was taken back is there again; a record keeps the entries the change
    did not touch.
    """
    of_table, row_id, what = line
    table = f"{schema}.{TABLE_OF.get(of_table, of_table)}"
    if of_table == "horizon":
        _undo_horizons(table, row_id, before, after)
    elif what in ("deleted", "brought back"):
        was = None if what == "deleted" else 0
        database.execute_sql(f"UPDATE {table} SET deleted_at = ? WHERE id = ?", (was, row_id))
    elif what == "created":
        database.execute_sql(f"DELETE FROM {table} WHERE id = ?", (row_id,))
    elif what == "taken back":
        _insert(table, {"id": row_id, **before})
    elif of_table == "record":
        _undo_body(table, row_id, before, after)
    elif before:
        names = ", ".join(f"{name} = ?" for name in before)
        values = [_stored(value) for value in before.values()]
        database.execute_sql(f"UPDATE {table} SET {names} WHERE id = ?", (*values, row_id))


def _insert(table: str, row: dict[str, Any]) -> None:
    values = [_stored(value) for value in row.values()]
    marks = ", ".join("?" * len(values))
    database.execute_sql(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({marks})", values)


def _undo_body(table: str, row_id: int, before: dict[str, Any], after: dict[str, Any]) -> None:
    row = database.execute_sql(f"SELECT body FROM {table} WHERE id = ?", (row_id,)).fetchone()
    if row is not None:
        if "deleted_at" in before:
            database.execute_sql(f"UPDATE {table} SET deleted_at = ? WHERE id = ?", (before["deleted_at"], row_id))
        before = {name: value for name, value in before.items() if name != "deleted_at"}
        body = {name: value for name, value in json.loads(row[0]).items() if name in before or name not in after}
        text = json.dumps({**body, **before}, ensure_ascii=False, sort_keys=True)
        database.execute_sql(f"UPDATE {table} SET body = ? WHERE id = ?", (text, row_id))


def _undo_horizons(table: str, soil_id: int, before: dict[str, Any], after: dict[str, Any]) -> None:
    """The soil's horizons by number, as they lay before; their lines hold the entries that differ."""
    rows = database.execute_sql(f"SELECT * FROM {table} WHERE soil_id = ? ORDER BY top_cm", (soil_id,))
    names = [column[0] for column in rows.description]
    now = [dict(zip(names, row, strict=True)) for row in rows.fetchall()]
    was = []
    for number in range(1, max(len(now), len(before)) + 1):
        label = f"horizon {number}"
        old = {name: _stored(value) for name, value in before.get(label, {}).items()}
        here = now[number - 1] if number <= len(now) else dict.fromkeys(names) | {"soil_id": soil_id}
        if label in before or label not in after:
            was.append(here | old)
    database.execute_sql(f"DELETE FROM {table} WHERE soil_id = ?", (soil_id,))
    marks = ", ".join("?" * len(names))
    for row in was:
        database.execute_sql(f"INSERT INTO {table} VALUES ({marks})", tuple(row[name] for name in names))


def _stored(value: Any) -> Any:
    return json.dumps(value, ensure_ascii=False) if isinstance(value, dict | list) else value
