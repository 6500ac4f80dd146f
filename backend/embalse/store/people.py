"""People who sign in: who they are, their password's hash, the invitation they have not used yet."""

from typing import Any

from embalse.store import changes, models
from embalse.store.database import database
from embalse.store.errors import Conflict, NotFound
from embalse.store.rows import PersonRow
from embalse.store.select import select

_COLUMNS = """id, sign_in, name, role, units, language, password_hash, session_key, invite_until, by_itself,
  created_at, seen_at, left_at"""
_TOLD = ("sign_in", "name", "role", "units", "language", "left_at")


def people() -> list[PersonRow]:
    """All of them, those who left too, in the order they came."""
    return select(f"SELECT {_COLUMNS} FROM person ORDER BY id", PersonRow)


def anybody() -> bool:
    """Whether anybody is there at all."""
    return models.Person.select().exists()


def person(person_id: int) -> PersonRow:
    """One by id; raises NotFound."""
    found = select(f"SELECT {_COLUMNS} FROM person WHERE id = ?", PersonRow, (person_id,))
    if not found:
        raise NotFound("person", f"there is no person {person_id}")
    return found[0]


def by_sign_in(sign_in: str) -> PersonRow | None:
    """The one with this sign-in name, whatever its capitals."""
    found = select(f"SELECT {_COLUMNS} FROM person WHERE sign_in = ? COLLATE NOCASE", PersonRow, (sign_in,))
    return found[0] if found else None


def by_invitation(invite_hash: str, now: int) -> PersonRow | None:
    """The one whose invitation has this hash, has not lapsed, and who has not left."""
    sql = f"SELECT {_COLUMNS} FROM person WHERE invite_hash = ? AND invite_until > ? AND left_at IS NULL"
    found = select(sql, PersonRow, (invite_hash, now))
    return found[0] if found else None


def end_session(sid_hash: str, until: int, now: int) -> None:
    """Note that a session was ended, until its cookie would have lapsed [s, UTC]; lapsed ones are forgotten."""
    database.execute_sql("DELETE FROM ended_session WHERE until < ?", (now,))
    database.execute_sql("INSERT OR REPLACE INTO ended_session VALUES (?, ?)", (sid_hash, until))


def session_ended(sid_hash: str) -> bool:
    """Whether a session was ended by signing out."""
    return database.execute_sql("SELECT 1 FROM ended_session WHERE sid_hash = ?", (sid_hash,)).fetchone() is not None


def who_signs_in_by_itself() -> PersonRow | None:
    """The demonstration's person, if this is one."""
    found = select(f"SELECT {_COLUMNS} FROM person WHERE by_itself = 1 AND left_at IS NULL", PersonRow)
    return found[0] if found else None


def create(values: dict[str, Any]) -> int:
    """A new person; returns the id, raises Conflict when the sign-in name is taken."""
    if by_sign_in(values["sign_in"]) is not None:
        raise Conflict("sign_in", f"'{values['sign_in']}' is taken")
    made = models.Person.create(**values)
    told = {name: values[name] for name in _TOLD if values.get(name) is not None}
    changes.note("people", values["sign_in"], "created", {}, told)
    return int(made.id)


def change(person_id: int, values: dict[str, Any]) -> None:
    """Change a person; of what is secret the trail says only that it changed."""
    row = models.Person.get_by_id(person_id)
    differing = {name: value for name, value in values.items() if getattr(row, name) != value}
    if not differing:
        return
    before = {name: getattr(row, name) for name in differing}
    models.Person.update(**differing).where(models.Person.id == person_id).execute()
    told = [name for name in differing if name in _TOLD]
    if told:
        changes.note("people", row.sign_in, "changed", {n: before[n] for n in told}, {n: differing[n] for n in told})
    if "password_hash" in differing:
        changes.note("people", row.sign_in, "password set")
    elif differing.get("invite_hash"):
        changes.note("people", row.sign_in, "invited")


def seen(person_id: int, now: int) -> None:
    """Note when a person was last here."""
    models.Person.update(seen_at=now).where(models.Person.id == person_id).execute()
