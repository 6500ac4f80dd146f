"""Reading a logger file into the farm: all of it or none, and never a stored value twice."""

import threading
import time
from dataclasses import dataclass, field, fields
from pathlib import Path

from embalse.core.wording import Notice
from embalse.ingest.layout import Inspection
from embalse.ingest.reader import Batch, Refusal, Target, read_batches
from embalse.services import times
from embalse.services.advice.what_changed import BlockChange, advice_of, changes
from embalse.services.intake import cut_imports
from embalse.services.intake.import_plan import (
    ImportPlan,
    file_digest,
    file_format,
    inspection_for,
    make_companions,
    targets,
)
from embalse.services.intake.sample_file import IS_SAMPLE, MARK
from embalse.services.intake.staged_reading import NothingStored, Progress, StagedCounts, StagedTask, read_staged
from embalse.services.load import clock
from embalse.services.reader import reader, say
from embalse.services.readings import judging
from embalse.store import farm as farm_store
from embalse.store import imports as store
from embalse.store import staging, unjudged
from embalse.store.database import connection, database, transaction
from embalse.store.unjudged import UnjudgedRow

FUTURE_TOLERANCE_S = 2 * 3600
PREVIEW_ROWS = 12
TURN_S = 0.005
"""Pause between two parts of an import that is moved in, so that whoever waits to write has a turn [s]."""
_writing = threading.Lock()


@dataclass
class ImportReport(StagedCounts):
    """What an import did; ``status`` is done, refused or failed, and only done stores anything."""

    job_id: int = 0
    status: str = "running"
    changed: list[BlockChange] = field(default_factory=list)


@dataclass(frozen=True)
class PreviewRow:
    """A row as it would be read: line, instant [s, UTC], farm-local text, values by column name."""

    line: int
    at: int
    local: str
    values: dict[str, float]


@dataclass(frozen=True)
class Preview:
    """The first rows as they would be read, and the first refusals."""

    rows: list[PreviewRow]
    refusals: list[Refusal]


def preview(path: Path, plan: ImportPlan) -> Preview:
    """The first rows of a file as the plan reads them; nothing is stored.

    Raises
    ------
    DocumentErrors
        When the plan does not fit the file or the farm.
    FileRefused
        When the file cannot be read.
    """
    farm = clock.the_farm()
    inspection = inspection_for(path, plan)
    found, _ = targets(plan, inspection)
    names = {t.sensor_id: t.name for t in found}
    latest = clock.farm_now(farm) + FUTURE_TOLERANCE_S
    batch = next(read_batches(path, file_format(plan, inspection), found, 0, latest), Batch())
    rows: dict[int, PreviewRow] = {}
    for (sensor_id, at, value, _), line in zip(batch.readings, batch.lines, strict=True):
        if line not in rows:
            if len(rows) == PREVIEW_ROWS:
                break
            rows[line] = PreviewRow(line, at, times.iso(at, farm.time_zone) or "", {})
        rows[line].values[names[sensor_id]] = value
    return Preview(list(rows.values()), batch.refusals[:PREVIEW_ROWS])


def run_import(
    path: Path, file_name: str, plan: ImportPlan, skip_refused: bool = False, progress: Progress | None = None
) -> ImportReport:
    """Read a whole file into the farm: all of it, or nothing.

    Readings already stored with the same value are passed over, so reading a file twice changes nothing. When any
    row is refused nothing is stored, unless ``skip_refused``; a column whose unit is clearly wrong stops the import
    in any case.

    Raises
    ------
    DocumentErrors
        When the plan does not fit the file or the farm.
    FileRefused
        When the file cannot be read.
    """
    farm = clock.the_farm()
    inspection = inspection_for(path, plan)
    found, new_units = targets(plan, inspection)
    report = ImportReport()
    with _writing, connection():
        cut_imports.clear(times.now_utc())
        blocks = _blocks_of(found)
        before = advice_of(blocks)
        report.job_id = store.start_job(file_name, file_digest(path), times.now_utc())
        latest = clock.farm_now(farm) + FUTURE_TOLERANCE_S
        move: _Move | None = None
        try:
            with staging.held(report.job_id) as place:
                form = file_format(plan, inspection)
                task = StagedTask(
                    str(database.database), place, path, form, found, latest, skip_refused, reader().units
                )
                counts = read_staged(task, progress or (lambda done, total: None))
                _take_over(report, counts)
                if counts.message:
                    raise NothingStored(counts.message)
                move = _Move(report, place, (plan, inspection), (found, new_units))
                move.run()
            report.status = "done"
            report.message = IS_SAMPLE if inspection.preamble[:1] == (MARK,) else ""
            report.changed = changes(before, advice_of(blocks)) if report.readings_new else []
        except NothingStored as stopped:
            report.status, report.message = "refused", str(stopped)
            report.readings_new = report.readings_known = 0
        except BaseException:
            report.status, report.message = "failed", "the import was cut; nothing was stored"
            raise
        finally:
            _close(report, move)
    return report


def _take_over(report: ImportReport, counts: StagedCounts) -> None:
    for one in fields(StagedCounts):
        setattr(report, one.name, getattr(counts, one.name))


def _blocks_of(found: list[Target]) -> list[str]:
    ids = {t.sensor_id for t in found}
    return sorted({s.ref.split("/", 1)[0] for s in farm_store.sensors(companions=None) if s.id in ids})


def _close(report: ImportReport, move: "_Move | None") -> None:
    """Enter how an import ended; where it did not end well, what it had moved is taken out in the same transaction.

    Should that fail (a full disk), the import stays marked as running, and is cleared at the next start or import.
    """
    names = ("rows_read", "readings_new", "readings_known", "cells_empty", "refused", "out_of_order")
    counts = {name: getattr(report, name) for name in (*names, "first_at", "last_at", "message")}
    undone = report.status != "done" and move is not None and move.begun
    with transaction():
        if undone:
            cut_imports.take_out(report.job_id)
        store.keep_refusals(report.job_id, [(r.line, r.column, r.reason, r.text) for r in report.refusals])
        store.finish_job(report.job_id, report.status, times.now_utc(), counts)
    if undone and move is not None:
        judging.look_now(t.sensor_id for t in move.targets)


class _Move:
    """Moving what was read into the farm: in one transaction, or where there is much, in parts others get between.

    A part that was moved and not looked at is not advised from. Where a later one cannot follow, the caller takes all
    out.
    """

    def __init__(
        self,
        report: ImportReport,
        place: Path,
        plan: tuple[ImportPlan, Inspection],
        found: tuple[list[Target], dict[int, str]],
    ) -> None:
        self.report = report
        self.place = place
        self.plan, self.inspection = plan
        self.targets, self.new_units = found
        self.begun = False

    def run(self) -> None:
        """Raises NothingStored when the farm changed meanwhile so that the file contradicts it."""
        with judging.left_to_me(t.sensor_id for t in self.targets):
            self._run()

    def _run(self) -> None:
        report = self.report
        with staging.attached(self.place):
            with transaction():
                self._prepare()
                parts = staging.parts()
                new = self._move(parts[0])
            self.begun = True
            for part in parts[1:]:
                time.sleep(TURN_S)
                with transaction():
                    new += self._move(part)
        report.readings_known += report.readings_new - new
        report.readings_new = new
        if new and not judging.look_now({t.sensor_id for t in self.targets}):
            report.notes.append(say(Notice("import.looked_at_later")))

    def _prepare(self) -> None:
        """Sensors and units the plan asks for, before the first reading is there."""
        if any(t.sensor_id < 0 for t in self.targets):
            make_companions(self.plan)
            before, (self.targets, self.new_units) = self.targets, targets(self.plan, self.inspection)
            staging.give_ids([(b.sensor_id, t.sensor_id) for b, t in zip(before, self.targets, strict=True)])
        names = {t.sensor_id: t.name for t in self.targets}
        for sensor_id, unit in self.new_units.items():
            store.set_raw_unit(sensor_id, unit)
            self.report.notes.append(say(Notice("import.unit_set", name=names[sensor_id], unit=unit)))

    def _move(self, part: tuple[staging.Key, staging.Key]) -> int:
        new, other = staging.move(part, self.report.job_id)
        if other:
            raise NothingStored(f"{other} readings were stored with other values meanwhile, so nothing was stored.")
        first, last = self.report.first_at, self.report.last_at
        if new and first is not None and last is not None:
            unjudged.add(UnjudgedRow(t.sensor_id, first, last, True) for t in self.targets)
        return new
