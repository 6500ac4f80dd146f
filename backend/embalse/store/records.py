"""Records of the field and the bench, and photos."""

from embalse.store import changes, models
from embalse.store.database import database
from embalse.store.errors import NotFound
from embalse.store.rows import RecordRow
from embalse.store.select import select


def records(kind: str | None = None, subject: str | None = None) -> list[RecordRow]:
    """Records not deleted, of a kind and a subject if given, in the order they were made."""
    wanted = [(name, value) for name, value in (("kind", kind), ("subject", subject)) if value is not None]
    only = "".join(f" AND {name} = ?" for name, _ in wanted)
    sql = f"SELECT kind, key, subject, body FROM record WHERE deleted_at IS NULL{only} ORDER BY id"
    return select(sql, RecordRow, [value for _, value in wanted])


def records_from(kind: str, field: str, day: str) -> list[RecordRow]:
    """Records of a kind whose field holds a day or moment on or after a day (ISO text), in the order they were made."""
    sql = """SELECT kind, key, subject, body FROM record WHERE deleted_at IS NULL AND kind = ?
             AND substr(json_extract(body, '$.' || ?), 1, 10) >= ? ORDER BY id"""
    return select(sql, RecordRow, [kind, field, day])


def record(kind: str, key: str) -> RecordRow:
    """One record; raises NotFound."""
    sql = "SELECT kind, key, subject, body FROM record WHERE deleted_at IS NULL AND kind = ? AND key = ?"
    found = select(sql, RecordRow, [kind, key])
    if not found:
        raise NotFound("record", f"there is no '{key}' among {kind}")
    return found[0]


def latest_forecast(subject: str) -> str | None:
    """Body of the latest forecast filed under a subject at most this, None without one."""
    sql = """SELECT body FROM record WHERE kind = 'forecasts' AND deleted_at IS NULL AND subject <= ?
             ORDER BY subject DESC LIMIT 1"""
    row = database.execute_sql(sql, (subject,)).fetchone()
    return None if row is None else str(row[0])


def set_deleted(kind: str, key: str, at: int | None) -> None:
    """Mark a record as deleted, or bring it back; raises NotFound."""
    query = models.Record.update(deleted_at=at).where((models.Record.kind == kind) & (models.Record.key == key))
    if not query.execute():
        raise NotFound("record", f"there is no '{key}' among {kind}")
    row = models.Record.get(kind=kind, key=key)
    changes.note(kind, changes.subject_of(row), "brought back" if at is None else "deleted", {}, {"key": key},
                 of=("record", row.id))  # fmt: skip


def put_photo(key: str, media_type: str, data: bytes) -> bool:
    """Keep a photo; returns whether it was new."""
    if models.Photo.get_or_none(key=key) is not None:
        return False
    models.Photo.create(key=key, media_type=media_type, data=data)
    return True


def photo(key: str) -> tuple[str, bytes]:
    """Media type and content of a photo; raises NotFound."""
    row = models.Photo.get_or_none(key=key)
    if row is None:
        raise NotFound("photo", "there is no such photo")
    return row.media_type, bytes(row.data)


def photo_keys() -> list[str]:
    """Keys of all photos."""
    return [row.key for row in models.Photo.select(models.Photo.key).order_by(models.Photo.key)]
