"""Messages to people and what they want to be told."""

from dataclasses import dataclass

from embalse.store.database import database
from embalse.store.select import select


@dataclass(frozen=True)
class ChoiceRow:
    """What a person wants to be told: where to, the hour of the morning letter (None: none), alerts, quiet hours."""

    person_id: int
    email: str
    morning_hour: int | None
    alerts: int
    quiet_from: int
    quiet_until: int


@dataclass(frozen=True)
class MessageRow:
    """A message; instants in s, UTC."""

    id: int
    person_id: int
    about: str
    kind: str
    title: str
    plain: str
    html: str
    made_at: int
    not_before: int
    sent_at: int | None
    tries: int
    next_try_at: int | None
    trouble: str


_MESSAGE = """SELECT id, person_id, about, kind, title, plain, html, made_at, not_before, sent_at, tries, next_try_at,
  trouble FROM message"""


def choices() -> list[ChoiceRow]:
    """What everybody who has not left wants to be told."""
    sql = """SELECT c.person_id, c.email, c.morning_hour, c.alerts, c.quiet_from, c.quiet_until FROM message_choice c
             JOIN person p ON p.id = c.person_id WHERE p.left_at IS NULL ORDER BY c.person_id"""
    return select(sql, ChoiceRow, [])


def choose(row: ChoiceRow) -> None:
    """Keep what a person wants to be told."""
    database.execute_sql(
        """INSERT INTO message_choice (person_id, email, morning_hour, alerts, quiet_from, quiet_until)
           VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (person_id) DO UPDATE SET email = excluded.email,
           morning_hour = excluded.morning_hour, alerts = excluded.alerts, quiet_from = excluded.quiet_from,
           quiet_until = excluded.quiet_until""",
        (row.person_id, row.email, row.morning_hour, row.alerts, row.quiet_from, row.quiet_until),
    )


def told_already(person_id: int, about: str) -> bool:
    """Whether a person was told of a thing before."""
    sql = "SELECT 1 FROM message WHERE person_id = ? AND about = ?"
    return database.execute_sql(sql, (person_id, about)).fetchone() is not None


def add(row: MessageRow) -> bool:
    """Keep a message to be sent; one of the same thing to the same person is not made twice. Returns if it was new."""
    cursor = database.execute_sql(
        """INSERT INTO message (person_id, about, kind, title, plain, html, made_at, not_before, next_try_at)
           VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (person_id, about) DO NOTHING""",
        (row.person_id, row.about, row.kind, row.title, row.plain, row.html, row.made_at, row.not_before,
         row.not_before),
    )  # fmt: skip
    return bool(cursor.rowcount)


def to_send(now: int) -> list[MessageRow]:
    """Messages whose turn it is, the oldest first."""
    return select(f"{_MESSAGE} WHERE sent_at IS NULL AND next_try_at <= ? ORDER BY id", MessageRow, [now])


def of_person(person_id: int, most: int) -> list[MessageRow]:
    """A person's last messages, the newest first."""
    return select(f"{_MESSAGE} WHERE person_id = ? ORDER BY id DESC LIMIT ?", MessageRow, [person_id, most])


def sent(message_id: int, at: int) -> None:
    """A message is out."""
    sql = "UPDATE message SET sent_at = ?, next_try_at = NULL, trouble = '' WHERE id = ?"
    database.execute_sql(sql, (at, message_id))


def not_sent(message_id: int, next_try_at: int | None, trouble: str) -> None:
    """A message could not be sent; without another try it stays on the page only."""
    sql = "UPDATE message SET tries = tries + 1, next_try_at = ?, trouble = ? WHERE id = ?"
    database.execute_sql(sql, (next_try_at, trouble, message_id))
