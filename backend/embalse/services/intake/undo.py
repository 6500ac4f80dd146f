"""Taking an import out again."""

from collections.abc import Mapping
from typing import Any

from embalse.services.readings import faults
from embalse.store import imports as store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict


def can_be_undone(job: Mapping[str, Any]) -> bool:
    """Whether a line of the import log is a file whose readings can be taken out."""
    return job["status"] == "done" and job["sha256"] != ""


def undo_import(job_id: int) -> int:
    """Take out the readings an import of a file stored, in one transaction; returns how many.

    Readings that were there before the import stay. A unit the import gave to a sensor stays too. The line of the
    log stays and says so; reading the file again brings the readings back.

    Raises
    ------
    NotFound
        If there is no such import.
    Conflict
        If it stored nothing, was undone already, or did not come from a file.
    """
    with transaction():
        job = store.job(job_id)
        if not can_be_undone(job):
            reason = "only a file that was stored, and not undone since, can be taken out"
            raise Conflict("import", reason)
        spans = readings_store.take_out(job_id)
        if spans:
            faults.check_new(spans, min(s[0] for s in spans.values()), max(s[1] for s in spans.values()))
        count = sum(span[2] for span in spans.values())
        store.set_undone(job_id, f"undone: {count} readings taken out")
    return count
