"""Imports whose program stopped before they were done: what they had moved into the farm is taken out again."""

from embalse.services.readings import faults, judging
from embalse.store import imports as store
from embalse.store import readings as readings_store
from embalse.store import staging
from embalse.store.database import transaction


def clear(now: int) -> int:
    """Take out what cut imports stored and mark them as cut [s, UTC]; returns how many. Imports that run are left."""
    left = staging.left_behind()
    cut = [job_id for job_id in store.running_jobs() if not staging.in_use(job_id)]
    for job_id in cut:
        with transaction():
            take_out(job_id)
            store.set_cut(job_id, now)
    if cut:
        judging.judge_waiting()
    for path in left:
        path.unlink(missing_ok=True)
    return len(cut)


def take_out(job_id: int) -> None:
    """Take out the readings of an import, and what was made of them, within the caller's transaction."""
    spans = readings_store.take_out(job_id)
    if spans:
        faults.check_new(spans, min(s[0] for s in spans.values()), max(s[1] for s in spans.values()))
