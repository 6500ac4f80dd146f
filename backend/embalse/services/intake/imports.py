"""Reading a logger file into the farm: all of it or none, and never a stored value twice."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from embalse.core.wording import Notice
from embalse.ingest.layout import Inspection
from embalse.ingest.mixed_units import MixedUnits
from embalse.ingest.reader import Batch, FileFormat, Refusal, Target, read_batches
from embalse.services import times
from embalse.services.advice.what_changed import BlockChange, advice_of, changes
from embalse.services.intake.import_plan import (
    ImportPlan,
    file_digest,
    file_format,
    inspection_for,
    make_companions,
    targets,
)
from embalse.services.load import clock
from embalse.services.reader import say
from embalse.services.readings import faults
from embalse.store import farm as farm_store
from embalse.store import imports as store
from embalse.store import readings as readings_store
from embalse.store.database import connection, transaction

FUTURE_TOLERANCE_S = 2 * 3600
PREVIEW_ROWS = 12
PREVIEW_BATCHES = 1
FRACTION_CHECK_LEAST = 10
Progress = Callable[[int, int], None]
_writing = threading.Lock()


@dataclass
class ImportReport:
    """What an import did; ``status`` is done, refused or failed, and only done stores anything."""

    job_id: int = 0
    status: str = "running"
    message: str = ""
    rows_read: int = 0
    readings_new: int = 0
    readings_known: int = 0
    cells_empty: int = 0
    refused: int = 0
    out_of_order: int = 0
    told_apart: int = 0
    first_at: int | None = None
    last_at: int | None = None
    refusals: list[Refusal] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
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


class _NothingStored(Exception):
    """Leaves the transaction so that nothing of the file stays."""


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
    """Read a whole file into the farm in one transaction.

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
    form = file_format(plan, inspection)
    report = ImportReport()
    with _writing, connection():
        blocks = _blocks_of(found)
        before = advice_of(blocks)
        report.job_id = store.start_job(file_name, file_digest(path), times.now_utc())
        latest = clock.farm_now(farm) + FUTURE_TOLERANCE_S
        try:
            with transaction():
                if any(t.sensor_id < 0 for t in found):
                    make_companions(plan)
                    found, new_units = targets(plan, inspection)
                run = _Run(report, found, skip_refused, progress or (lambda done, total: None))
                for sensor_id, unit in new_units.items():
                    store.set_raw_unit(sensor_id, unit)
                    report.notes.append(say(Notice("import.unit_set", name=run.names[sensor_id], unit=unit)))
                run.read(path, form, latest)
                run.finish()
            report.status = "done"
            report.changed = changes(before, advice_of(blocks)) if report.readings_new else []
        except _NothingStored as stopped:
            report.status, report.message = "refused", str(stopped)
            report.readings_new = report.readings_known = 0
        except BaseException:
            report.status, report.message = "failed", "the import was cut; nothing was stored"
            raise
        finally:
            _close(report, inspection)
    return report


def _blocks_of(found: list[Target]) -> list[str]:
    ids = {t.sensor_id for t in found}
    return sorted({s.ref.split("/", 1)[0] for s in farm_store.sensors(companions=None) if s.id in ids})


def _close(report: ImportReport, inspection: Inspection) -> None:
    names = ("rows_read", "readings_new", "readings_known", "cells_empty", "refused", "out_of_order")
    counts = {name: getattr(report, name) for name in (*names, "first_at", "last_at", "message")}
    with transaction():
        store.keep_refusals(report.job_id, [(r.line, r.column, r.reason, r.text) for r in report.refusals])
        store.finish_job(report.job_id, report.status, times.now_utc(), counts)


class _Run:
    def __init__(self, report: ImportReport, found: list[Target], skip_refused: bool, progress: Progress) -> None:
        self.report = report
        self.targets = found
        self.names = {t.sensor_id: t.name for t in found}
        self.skip_refused = skip_refused
        self.progress = progress
        self.mixed = MixedUnits(found)
        self.maybe_fraction = {t.sensor_id: 0 for t in found if t.unit == "%"}

    def read(self, path: Path, form: FileFormat, latest: float) -> None:
        size = path.stat().st_size
        for batch in read_batches(path, form, self.targets, self.report.job_id, latest):
            self._store(batch)
            self.progress(batch.position, size)

    def _store(self, batch: Batch) -> None:
        report = self.report
        self.mixed.sift(batch)
        new = readings_store.insert_new(batch.readings)
        report.readings_new += new
        if new < len(batch.readings):
            self._sort_out_known(batch, new)
        self._refused(batch.refusals)
        report.rows_read += batch.rows
        report.cells_empty += batch.empty
        report.out_of_order += batch.out_of_order
        report.told_apart += batch.told_apart
        if batch.readings:
            self._widen_span(batch)
        for sensor_id in list(self.maybe_fraction):
            values = [r[2] for r in batch.readings if r[0] == sensor_id]
            self.maybe_fraction[sensor_id] += len(values)
            if any(value > 1 for value in values):
                del self.maybe_fraction[sensor_id]

    def _widen_span(self, batch: Batch) -> None:
        instants = [r[1] for r in batch.readings]
        low, high = min(instants), max(instants)
        report = self.report
        report.first_at = low if report.first_at is None else min(low, report.first_at)
        report.last_at = high if report.last_at is None else max(high, report.last_at)

    def _sort_out_known(self, batch: Batch, new: int) -> None:
        """Tell readings stored before with the same value from those that contradict a stored one."""
        stored = readings_store.stored_values(batch.readings)
        conflicts = []
        for (sensor_id, at, value, _), line in zip(batch.readings, batch.lines, strict=True):
            raw, job_id = stored[(sensor_id, at)]
            if raw != value:
                where = "earlier in this file" if job_id == self.report.job_id else "already stored"
                reason = f"another value for this time is {where}: {raw:g}"
                conflicts.append(Refusal(line, self.names[sensor_id], reason, f"{value:g}"))
        self.report.readings_known += len(batch.readings) - new - len(conflicts)
        self._refused(conflicts)

    def _refused(self, refusals: list[Refusal]) -> None:
        self.report.refused += len(refusals)
        room = store.KEPT_REFUSALS - len(self.report.refusals)
        self.report.refusals.extend(refusals[: max(0, room)])

    def finish(self) -> None:
        report = self.report
        for sensor_id, count in self.maybe_fraction.items():
            if count >= FRACTION_CHECK_LEAST:
                name = self.names[sensor_id]
                what = f"column '{name}' is set to %, but none of its {count} values is above 1: is it m³/m³?"
                raise _NothingStored(f"{what} Nothing was stored.")
        mixed = self.mixed.mixed_from_the_start()
        if mixed:
            raise _NothingStored(f"{mixed} Nothing was stored.")
        if report.first_at is None and not report.refused:
            raise _NothingStored("the file has no readings in the chosen columns")
        if report.refused and not self.skip_refused:
            cells = "row or cell was" if report.refused == 1 else "rows or cells were"
            raise _NothingStored(f"{report.refused} {cells} refused, so nothing was stored.")
        if report.told_apart:
            report.notes.append(say(Notice("import.hour_twice", rows=report.told_apart)))
        if report.out_of_order:
            report.notes.append(say(Notice("import.out_of_order", rows=report.out_of_order)))
        if report.first_at is not None and report.last_at is not None and report.readings_new:
            faults.check_new([t.sensor_id for t in self.targets], report.first_at, report.last_at)
