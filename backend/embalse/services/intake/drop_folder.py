"""A folder that loggers' programs write into: files of a kind mapped once are read in by themselves."""

import logging
import threading
from datetime import UTC, datetime
from pathlib import Path

from embalse.ingest.layout import FileRefused, inspect_file
from embalse.ingest.spreadsheet import as_table
from embalse.services import helpers
from embalse.services.intake.import_plan import ImportPlan, signature
from embalse.services.intake.imports import ImportReport, run_import
from embalse.services.schema.refused import DocumentErrors
from embalse.store import imports as import_store
from embalse.store.database import connection

log = logging.getLogger("embalse")
DONE, REFUSED = "done", "refused"
HELPER = "the drop folder"


class DropFolder:
    """Looks into a folder every so many seconds, in a thread of its own, until it is stopped.

    A file is read when it has not grown since the last look. It then goes to ``done`` or ``refused`` within the
    folder; what is refused has the reasons in a text beside it. A file cut off between reading and moving is read
    again, which changes nothing.
    """

    def __init__(self, folder: Path, every_s: float = 10.0) -> None:
        self.folder = folder
        self._every_s = every_s
        self._seen: dict[Path, tuple[int, int]] = {}
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Make the folder if need be, and begin."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self._thread.start()

    def stop(self) -> None:
        """Stop looking; a file under way is finished."""
        self._stop.set()
        self._thread.join()

    def look(self) -> list[Path]:
        """One look: reads what has stopped growing; returns where the files went."""
        moved = []
        files = sorted(p for p in self.folder.iterdir() if p.is_file() and not p.name.startswith("."))
        state = {p: (p.stat().st_size, p.stat().st_mtime_ns) for p in files}
        for path in files:
            if self._seen.get(path) == state[path]:
                moved.append(_take(path))
        self._seen = state
        return moved

    def _run(self) -> None:
        while not self._stop.wait(self._every_s):
            try:
                self.look()
            except Exception as trouble:  # one bad file must not keep all later ones out
                log.exception("drop folder: not looked at; tried again later")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)


def _take(path: Path) -> Path:
    reasons: list[str]
    try:
        with connection(), as_table(path) as table:
            report = run_import(table, path.name, _plan_for(table))
        reasons = [] if report.status == "done" else _reasons(report)
    except DocumentErrors as wrong:
        reasons = [f"{e.path}: {e.reason}" for e in wrong.errors]
    except FileRefused as wrong:
        reasons = [str(wrong)]
    target = path.parent / (REFUSED if reasons else DONE) / f"{datetime.now(UTC):%Y%m%d-%H%M%S}-{path.name}"
    target.parent.mkdir(exist_ok=True)
    if reasons:
        target.with_name(target.name + ".txt").write_text("\n".join(reasons) + "\n", encoding="utf-8")
        log.error("drop folder: %s refused: %s", path.name, reasons[0])
    else:
        log.info("drop folder: %s read", path.name)
    return path.rename(target)


def _plan_for(path: Path) -> ImportPlan:
    """The one remembered way of reading files of this kind: somebody has looked at it once."""
    remembered = import_store.profiles(signature(inspect_file(path)))
    if len(remembered) != 1:
        many = "no way" if not remembered else "more than one way"
        raise FileRefused(f"{many} of reading files of this kind is remembered: import one on the Import page first")
    return ImportPlan.model_validate(remembered[0][1])


def _reasons(report: ImportReport) -> list[str]:
    lines = [report.message]
    lines += [f"line {r.line}, {r.column}: {r.reason} [{r.text}]" for r in report.refusals[:200]]
    return lines
