"""Imports: their reports, the rows they refused, and remembered ways to read files."""

import json
from collections.abc import Iterable
from typing import Any

from embalse.store import changes, models
from embalse.store.errors import Conflict, NotFound

KEPT_REFUSALS = 1000


def start_job(file_name: str, sha256: str, now: int) -> int:
    """A new import; returns its id."""
    return int(models.ImportJob.create(file_name=file_name, sha256=sha256, status="running", started_at=now).id)


def date_files(at: int) -> None:
    """Say that every file was begun to be read in at an instant [s, UTC]: a demonstration's files grew day by day."""
    models.ImportJob.update(started_at=at).where(models.ImportJob.sha256 != "").execute()


def day_job(name: str, now: int) -> int:
    """The job that a day's batches of one sender are kept under, made when it is the first; returns its id."""
    row = models.ImportJob.get_or_none(file_name=name)
    if row is not None:
        return int(row.id)
    created = models.ImportJob.create(file_name=name, sha256="", status="done", started_at=now, finished_at=now)
    return int(created.id)


def add_to_job(job_id: int, new: int, known: int, refused: int) -> None:
    """Count a batch under its job."""
    job = models.ImportJob
    job.update(
        rows_read=job.rows_read + new + known + refused,
        readings_new=job.readings_new + new,
        readings_known=job.readings_known + known,
        refused=job.refused + refused,
    ).where(job.id == job_id).execute()


def finish_job(job_id: int, status: str, now: int, values: dict[str, Any]) -> None:
    """Close an import with its counts."""
    query = models.ImportJob.update(status=status, finished_at=now, **values)
    query.where(models.ImportJob.id == job_id).execute()
    if status == "done":
        counts: dict[str, Any] = {name: values[name] for name in ("readings_new", "refused") if name in values}
        changes.note("files", models.ImportJob.get_by_id(job_id).file_name, "read in", {}, counts)


def with_message(message: str) -> list[tuple[int, str]]:
    """Number and file of the imports that ended well with a message, and stand."""
    job = models.ImportJob
    found = job.select(job.id, job.file_name).where((job.status == "done") & (job.message == message)).order_by(job.id)
    return [(int(row.id), str(row.file_name)) for row in found]


def running_jobs() -> list[int]:
    """Imports that are marked as running."""
    query = models.ImportJob.select(models.ImportJob.id).where(models.ImportJob.status == "running")
    return [int(row.id) for row in query]


def set_cut(job_id: int, now: int) -> None:
    """Mark an import that was running when the program stopped; nothing of it is stored."""
    query = models.ImportJob.update(status="cut", finished_at=now, message="the program stopped; nothing was stored")
    query.where(models.ImportJob.id == job_id).execute()


def set_undone(job_id: int, message: str) -> None:
    """Mark an import as undone."""
    models.ImportJob.update(status="undone", message=message).where(models.ImportJob.id == job_id).execute()
    changes.note("files", models.ImportJob.get_by_id(job_id).file_name, "taken out", {}, {"message": message})


def keep_refusals(job_id: int, rows: Iterable[tuple[int, str, str, str]]) -> None:
    """Keep refused rows: line, column, reason, text."""
    data = [
        {"job": job_id, "line": line, "column_name": column, "reason": reason, "text": text}
        for line, column, reason, text in rows
    ]
    for start in range(0, len(data), 150):
        models.ImportRefusal.insert_many(data[start : start + 150]).execute()


def job(job_id: int) -> dict[str, Any]:
    """An import by id; raises NotFound."""
    row = models.ImportJob.get_or_none(id=job_id)
    if row is None:
        raise NotFound("import", f"there is no import {job_id}")
    return dict(row.__data__)


def jobs(limit: int = 50) -> list[dict[str, Any]]:
    """The latest imports of files, newest first; what devices and people sent day by day is not among them."""
    model = models.ImportJob
    query = model.select().where(model.sha256 != "").order_by(model.id.desc()).limit(limit)
    rows: Any = query.dicts()
    return [dict(row) for row in rows]


def refusals(job_id: int, limit: int = KEPT_REFUSALS) -> list[dict[str, Any]]:
    """Refused rows of an import by line."""
    model = models.ImportRefusal
    query = model.select(model.line, model.column_name, model.reason, model.text)
    chosen = query.where(model.job == job_id).order_by(model.line, model.id).limit(limit)
    rows: Any = chosen.dicts()
    return [dict(row) for row in rows]


def save_profile(name: str, signature: str, plan: dict[str, Any]) -> None:
    """Remember how to read a kind of file; a profile of that name is replaced."""
    text = json.dumps(plan, sort_keys=True)
    models.ImportProfile.insert(name=name, signature=signature, plan=text).on_conflict(
        conflict_target=[models.ImportProfile.name],
        update={models.ImportProfile.signature: signature, models.ImportProfile.plan: text},
    ).execute()


def profiles(signature: str | None = None) -> list[tuple[str, dict[str, Any]]]:
    """Names and plans of the remembered profiles, or of those made for files with this signature."""
    query = models.ImportProfile.select().order_by(models.ImportProfile.name)
    if signature is not None:
        query = query.where(models.ImportProfile.signature == signature)
    return [(row.name, json.loads(row.plan)) for row in query]


def profile(name: str) -> dict[str, Any]:
    """The plan of a remembered profile; raises NotFound."""
    row = models.ImportProfile.get_or_none(name=name)
    if row is None:
        raise NotFound("profile", f"there is no import profile '{name}'")
    return dict(json.loads(row.plan))


def set_raw_unit(sensor_id: int, unit: str) -> None:
    """Change the unit of a sensor that has no readings; raises Conflict when it has."""
    if models.Reading.select().where(models.Reading.sensor == sensor_id).exists():
        raise Conflict("raw_unit", "the sensor has readings in another unit")
    row = models.Sensor.get_by_id(sensor_id)
    before, row.raw_unit = row.raw_unit, unit
    row.save()
    changes.note_row("sensor", row, {"raw_unit": before}, {"raw_unit": unit})
