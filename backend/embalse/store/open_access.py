"""Tokens that read only: who has one, since when, and when it was last used."""

from dataclasses import dataclass

from embalse.store.database import database
from embalse.store.errors import NotFound
from embalse.store.select import select


@dataclass(frozen=True)
class ReadingTokenRow:
    """A token that reads only; instants in s, UTC."""

    id: int
    name: str
    created_at: int
    revoked_at: int | None
    last_seen_at: int | None


_ROW = "SELECT id, name, created_at, revoked_at, last_seen_at FROM reading_token"


def make(name: str, token_hash: str, at: int) -> int:
    """Keep a token; returns its number."""
    sql = "INSERT INTO reading_token (token_hash, name, created_at) VALUES (?, ?, ?)"
    return int(database.execute_sql(sql, (token_hash, name, at)).lastrowid)


def tokens() -> list[ReadingTokenRow]:
    """Tokens, those taken back too."""
    return select(f"{_ROW} ORDER BY id", ReadingTokenRow, [])


def of(token_hash: str) -> ReadingTokenRow | None:
    """The token of a hash that was not taken back."""
    found = select(f"{_ROW} WHERE token_hash = ? AND revoked_at IS NULL", ReadingTokenRow, [token_hash])
    return found[0] if found else None


def seen(token_id: int, at: int) -> None:
    """A token was used."""
    database.execute_sql("UPDATE reading_token SET last_seen_at = ? WHERE id = ?", (at, token_id))


def revoke(token_id: int, at: int) -> None:
    """Take a token back; raises NotFound."""
    sql = "UPDATE reading_token SET revoked_at = ? WHERE id = ? AND revoked_at IS NULL"
    if not database.execute_sql(sql, (at, token_id)).rowcount:
        raise NotFound("token", "there is no such token, or it was revoked before")
