"""Imports that run while the user watches: one thread each, progress kept in memory."""

import secrets
import threading
from contextvars import copy_context
from dataclasses import dataclass, field
from pathlib import Path

from embalse.services.intake.import_plan import ImportPlan
from embalse.services.intake.imports import ImportReport, run_import
from embalse.store.errors import NotFound


@dataclass
class RunningImport:
    """A running or finished import: bytes read of bytes in all, and the report once there is one."""

    token: str
    file_name: str
    done_bytes: int = 0
    total_bytes: int = 0
    report: ImportReport | None = None
    error: str = ""
    finished: threading.Event = field(default_factory=threading.Event)


class ImportJobs:
    """The imports of this process."""

    def __init__(self) -> None:
        self._jobs: dict[str, RunningImport] = {}
        self._lock = threading.Lock()

    def start(self, path: Path, file_name: str, plan: ImportPlan, skip_refused: bool) -> RunningImport:
        """Start an import in its own thread."""
        job = RunningImport(secrets.token_urlsafe(9), file_name, total_bytes=path.stat().st_size)
        with self._lock:
            self._jobs[job.token] = job
        work = copy_context().run  # so that the import is its starter's in the trail of changes
        threading.Thread(target=work, args=(self._run, job, path, plan, skip_refused), daemon=True).start()
        return job

    def _run(self, job: RunningImport, path: Path, plan: ImportPlan, skip_refused: bool) -> None:
        def progress(done: int, total: int) -> None:
            job.done_bytes, job.total_bytes = done, total

        try:
            job.report = run_import(path, job.file_name, plan, skip_refused, progress)
            if job.report.status == "done":
                path.unlink(missing_ok=True)
        except (ValueError, OSError) as wrong:
            job.error = str(wrong)
        finally:
            if job.report is None and not job.error:
                job.error = "the import stopped; nothing was stored"
            job.finished.set()

    def get(self, token: str) -> RunningImport:
        """The import with this token; raises NotFound."""
        with self._lock:
            found = self._jobs.get(token)
        if found is None:
            raise NotFound("import", "this import is not running and was not run since the program started")
        return found
