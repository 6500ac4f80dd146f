"""Tokens that read only, for dashboards and notebooks: made, shown once, taken back."""

import secrets
from typing import Final

from embalse.services import times
from embalse.services.load.schemas import Content
from embalse.services.tokens import token_hash
from embalse.store import open_access as store
from embalse.store.database import transaction
from embalse.store.rows import PersonRow

SEEN_EVERY_S: Final = 900  # seconds after which a use is noted again (ours)


class ReadingTokenOut(Content):
    """A token that reads only; the token itself is shown once, when it is made."""

    id: int
    name: str
    made_at: int
    revoked: bool
    last_seen_at: int | None
    token: str = ""


def make_token(name: str) -> ReadingTokenOut:
    """A new token; it is kept as a hash only."""
    token = secrets.token_urlsafe(24)
    with transaction():
        number = store.make(name, token_hash(token), times.now_utc())
    made = next(t for t in reading_tokens() if t.id == number)
    return made.model_copy(update={"token": token})


def reading_tokens() -> list[ReadingTokenOut]:
    """Tokens, those taken back too."""
    return [
        ReadingTokenOut(
            id=row.id,
            name=row.name,
            made_at=row.created_at,
            revoked=row.revoked_at is not None,
            last_seen_at=row.last_seen_at,
        )
        for row in store.tokens()
    ]


def revoke_token(token_id: int) -> None:
    """Take a token back; raises NotFound."""
    with transaction():
        store.revoke(token_id, times.now_utc())


def reader_of(token: str) -> PersonRow | None:
    """Somebody who only looks, for a token that holds; None for any other."""
    row = store.of(token_hash(token)) if token else None
    if row is None:
        return None
    now = times.now_utc()
    if row.last_seen_at is None or now - row.last_seen_at > SEEN_EVERY_S:
        with transaction():
            store.seen(row.id, now)
    return PersonRow(
        id=0, sign_in="", name=f"token {row.name}", role="viewer", units="metric", language="en", password_hash=None,
        session_key="", invite_until=None, by_itself=False, created_at=row.created_at, seen_at=None, left_at=None,
    )  # fmt: skip
