"""Who changed what and when: one line for each thing changed, written in the change's own transaction."""

import json
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from embalse.store import models
from embalse.store.database import database
from embalse.store.rows import ChangeRow
from embalse.store.select import select

KINDS = {
    "soil": "soils",
    "system": "systems",
    "block": "blocks",
    "station": "stations",
    "sensor": "sensors",
    "calibration": "calibrations",
    "device_calibration": "calibrations",
    "set": "sets",
    "supply": "supplies",
    "device": "devices",
    "placement": "placements",
}
NOW_SQL = "COALESCE((SELECT clock_at FROM farm), CAST(strftime('%s', 'now') AS INTEGER))"


@dataclass(frozen=True)
class Actor:
    """Whoever is acting; ``at`` [s, UTC] is given only when a history is written afterwards."""

    who: str
    role: str = ""
    person_id: int | None = None
    at: int | None = None


ITSELF = Actor("Embalse itself")
_acting: ContextVar[Actor] = ContextVar("acting", default=ITSELF)


def actor() -> Actor:
    """Whoever is acting now."""
    return _acting.get()


@contextmanager
def acting(who: Actor) -> Iterator[None]:
    """Everything changed inside is theirs."""
    token = _acting.set(who)
    try:
        yield
    finally:
        _acting.reset(token)


def act_as(who: Actor) -> None:
    """Everything changed from now on in this thread is theirs."""
    _acting.set(who)


def note(kind: str, subject: str, what: str, before: Mapping[str, Any] | None = None,
         after: Mapping[str, Any] | None = None, *, of: tuple[str, int] | None = None) -> None:  # fmt: skip
    """Write one line: what was done to which thing, the values before and after.

    ``of`` is the table and row, given for what can be undone for an answer as known then.
    """
    who = _acting.get()
    database.execute_sql(
        f"""INSERT INTO change (at, person_id, who, role, kind, subject, what, before, after, of_table, row_id)
            VALUES (COALESCE(?, {NOW_SQL}), ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
        (
            who.at,
            who.person_id,
            who.who,
            who.role,
            kind,
            subject,
            what,
            _text(before),
            _text(after),
            *(of or ("", None)),
        ),
    )


def note_row(table: str, row: models.Table, before: Mapping[str, Any], after: Mapping[str, Any]) -> None:
    """Write the line of a row created (nothing before) or changed; of a record, only the entries that differ."""
    what = "changed" if before else "created"
    if "body" in before or "body" in after:
        old, new = before.get("body") or {}, after.get("body") or {}
        differing = [name for name in (*old, *(n for n in new if n not in old)) if old.get(name) != new.get(name)]
        deleted = {"deleted_at": before["deleted_at"]} if "deleted_at" in before else {}
        before = deleted | {name: old[name] for name in differing if name in old}
        after = {name: new[name] for name in differing if name in new}
    kind = row.kind if isinstance(row, models.Record) else KINDS.get(table, table)
    note(str(kind), subject_of(row), what, before, after, of=(table, int(row.get_id())))


def last_id() -> int:
    """Number of the last line of the log, 0 where there is none: it grows with whatever a person enters."""
    return int(database.execute_sql("SELECT COALESCE(MAX(id), 0) FROM change").fetchone()[0])


def since(last: int) -> list[tuple[int, str, str]]:
    """Number, kind and subject of every line after a number, in order."""
    sql = "SELECT id, kind, subject FROM change WHERE id > ? ORDER BY id"
    return [(int(n), str(kind), str(subject)) for n, kind, subject in database.execute_sql(sql, (last,)).fetchall()]


def subject_of(row: Any) -> str:
    """The words that name a row: ``block``, ``block/station``, ``block/station/sensor``, a device, a day."""
    owner = next((name for name in ("sensor", "station", "block", "device") if hasattr(row, f"{name}_id")), None)
    if isinstance(row, models.Record):
        return str(row.subject or row.key)
    if isinstance(row, models.Rain | models.Eto):
        return f"day {row.day}"
    if isinstance(row, models.Station | models.Sensor):
        return f"{subject_of(getattr(row, str(owner)))}/{row.key}"
    if owner and not isinstance(row, models.Block):
        return subject_of(getattr(row, owner))
    return str(getattr(row, "key", "farm"))


def changes(limit: int, before_id: int | None = None, about: str = "", who: str = "") -> list[ChangeRow]:
    """Lines of the trail, the newest first; about a thing (or what belongs to it) and by a person, if given."""
    wanted: list[tuple[str, tuple[Any, ...]]] = []
    if before_id is not None:
        wanted.append(("(at, id) < (SELECT at, id FROM change WHERE id = ?)", (before_id,)))
    if about:
        wanted.append(("(subject = ? OR substr(subject, 1, ?) = ?)", (about, len(about) + 1, f"{about}/")))
    if who:
        wanted.append(("who = ?", (who,)))
    where = f"WHERE {' AND '.join(text for text, _ in wanted)}" if wanted else ""
    parameters = [value for _, values in wanted for value in values]
    sql = f"""SELECT id, at, who, role, kind, subject, what, before, after FROM change {where}
        ORDER BY at DESC, id DESC LIMIT ?"""
    return select(sql, ChangeRow, (*parameters, limit))


def _text(values: Mapping[str, Any] | None) -> str:
    return json.dumps(dict(values or {}), ensure_ascii=False, sort_keys=True, default=str)
