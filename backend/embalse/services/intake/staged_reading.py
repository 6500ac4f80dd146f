"""Reading a file into a place of its own: all of it is looked at before anything of it reaches the farm.

A large file is read by a process of its own, so that whoever looks at pages meanwhile is not kept waiting.
"""

import pickle
import subprocess
import sys
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from embalse.core.wording import Notice
from embalse.core.wording.quantities import Units
from embalse.ingest.mixed_units import MixedUnits
from embalse.ingest.reader import Batch, FileFormat, Refusal, Target, read_batches
from embalse.services.reader import reading_as, say
from embalse.store import imports as store
from embalse.store import readings as readings_store
from embalse.store.database import connection, database, open_database
from embalse.store.staging import Staging

FRACTION_CHECK_LEAST = 10
OWN_PROCESS_FROM: Final = 4 * 1024**2
"""Bytes from which a file is read by a process of its own (ours): a second's work, which starting one takes."""
CHILD: Final = "from embalse.services.intake.staged_reading import child; child()"
Progress = Callable[[int, int], None]


class NothingStored(Exception):
    """Why nothing of a file is stored."""


@dataclass(frozen=True)
class StagedTask:
    """A file to be read: where it and the farm are, where its readings go, and how it is read."""

    database: str
    staging: Path
    path: Path
    form: FileFormat
    targets: list[Target]
    latest: float
    skip_refused: bool
    units: Units


@dataclass
class StagedCounts:
    """What reading a file found; the instants in s, UTC."""

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
    message: str = ""


def read_staged(task: StagedTask, progress: Progress) -> StagedCounts:
    """Read a file into its staging file; ``message`` says why it must not be moved into the farm.

    Raises
    ------
    ValueError, OSError
        When the file cannot be read.
    """
    if task.path.stat().st_size < OWN_PROCESS_FROM:
        return staged(task, progress)
    with subprocess.Popen([sys.executable, "-P", "-c", CHILD], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as child:
        assert child.stdin is not None and child.stdout is not None
        with suppress(BrokenPipeError):  # it is over already: nothing comes from it below
            pickle.dump(task, child.stdin)
        with suppress(BrokenPipeError):
            child.stdin.close()
        said: Any = None
        while said is None:
            try:
                one = pickle.load(child.stdout)
            except EOFError as cut:
                raise OSError("the process that read the file was stopped") from cut
            if isinstance(one, tuple):
                progress(*one)
            else:
                said = one
    if isinstance(said, Exception):
        raise said
    found: StagedCounts = said
    return found


def staged(task: StagedTask, progress: Progress) -> StagedCounts:
    """The same, in this process."""
    run = _Staged(task)
    try:
        run.read(progress)
        run.finish()
    except NothingStored as stopped:
        run.counts.message = str(stopped)
    finally:
        run.staging.close()
    return run.counts


class _Staged:
    """One file on its way into its staging file."""

    def __init__(self, task: StagedTask) -> None:
        self.task = task
        self.counts = StagedCounts()
        self.staging = Staging(task.staging)
        self.names = {t.sensor_id: t.name for t in task.targets}
        self.mixed = MixedUnits(task.targets)
        self.maybe_fraction = {t.sensor_id: 0 for t in task.targets if t.unit == "%"}
        self.spans = {t.sensor_id: readings_store.span(t.sensor_id) for t in task.targets}

    def read(self, progress: Progress) -> None:
        size = self.task.path.stat().st_size
        for batch in read_batches(self.task.path, self.task.form, self.task.targets, 0, self.task.latest):
            self._keep(batch)
            progress(batch.position, size)

    def _keep(self, batch: Batch) -> None:
        counts = self.counts
        self.mixed.sift(batch)
        stored = self._stored(batch)
        fresh, lines, conflicts = [], [], []
        for (sensor_id, at, value, _), line in zip(batch.readings, batch.lines, strict=True):
            there = stored.get((sensor_id, at))
            if there is None:
                fresh.append((sensor_id, at, value))
                lines.append(line)
            elif there != value:
                conflicts.append(self._conflict((line, sensor_id, value), "already stored", there))
            else:
                counts.readings_known += 1
        new = self.staging.insert_new(fresh)
        if new < len(fresh):
            twice = 0
            for key, line in zip(fresh, lines, strict=True):
                kept = self.staging.value(key[:2])
                if kept != key[2]:
                    conflicts.append(self._conflict((line, key[0], key[2]), "earlier in this file", kept))
                    twice += 1
            counts.readings_known += len(fresh) - new - twice
        counts.readings_new += new
        self._refused(conflicts)
        self._refused(batch.refusals)
        counts.rows_read += batch.rows
        counts.cells_empty += batch.empty
        counts.out_of_order += batch.out_of_order
        counts.told_apart += batch.told_apart
        if batch.readings:
            self._widen_span(batch)
        self._look_for_fractions(batch)

    def _stored(self, batch: Batch) -> dict[tuple[int, int], float]:
        """What the farm holds for a batch's sensors and instants; nothing is asked where it can hold none."""
        asked = []
        for reading in batch.readings:
            span = self.spans[reading[0]]
            if span is not None and span[0] <= reading[1] <= span[1]:
                asked.append(reading)
        return {key: raw for key, (raw, _) in readings_store.stored_values(asked).items()} if asked else {}

    def _conflict(self, what: tuple[int, int, float], where: str, there: float) -> Refusal:
        line, sensor_id, value = what
        reason = f"another value for this time is {where}: {there:g}"
        return Refusal(line, self.names[sensor_id], reason, f"{value:g}")

    def _look_for_fractions(self, batch: Batch) -> None:
        for sensor_id in list(self.maybe_fraction):
            values = [r[2] for r in batch.readings if r[0] == sensor_id]
            self.maybe_fraction[sensor_id] += len(values)
            if any(value > 1 for value in values):
                del self.maybe_fraction[sensor_id]

    def _widen_span(self, batch: Batch) -> None:
        instants = [r[1] for r in batch.readings]
        low, high = min(instants), max(instants)
        counts = self.counts
        counts.first_at = low if counts.first_at is None else min(low, counts.first_at)
        counts.last_at = high if counts.last_at is None else max(high, counts.last_at)

    def _refused(self, refusals: list[Refusal]) -> None:
        self.counts.refused += len(refusals)
        room = store.KEPT_REFUSALS - len(self.counts.refusals)
        self.counts.refusals.extend(refusals[: max(0, room)])

    def finish(self) -> None:
        counts = self.counts
        for sensor_id, count in self.maybe_fraction.items():
            if count >= FRACTION_CHECK_LEAST:
                what = f"column '{self.names[sensor_id]}' is set to %, but none of its {count} values is above 1"
                raise NothingStored(f"{what}: is it m³/m³? Nothing was stored.")
        mixed = self.mixed.mixed_from_the_start()
        if mixed:
            raise NothingStored(f"{mixed} Nothing was stored.")
        if counts.first_at is None and not counts.refused:
            raise NothingStored("the file has no readings in the chosen columns")
        if counts.refused and not self.task.skip_refused:
            cells = "row or cell was" if counts.refused == 1 else "rows or cells were"
            raise NothingStored(f"{counts.refused} {cells} refused, so nothing was stored.")
        if counts.told_apart:
            counts.notes.append(say(Notice("import.hour_twice", rows=counts.told_apart)))
        if counts.out_of_order:
            counts.notes.append(say(Notice("import.out_of_order", rows=counts.out_of_order)))


def child() -> None:
    """Read the file of the task that comes in, and send progress and what was found out."""
    task: StagedTask = pickle.load(sys.stdin.buffer)

    def send(what: object) -> None:
        pickle.dump(what, sys.stdout.buffer)
        sys.stdout.buffer.flush()

    try:
        open_database(Path(task.database))
        with connection(), reading_as(task.units):
            found: object = staged(task, lambda done, total: send((done, total)))
    except Exception as trouble:
        found = trouble if isinstance(trouble, ValueError | OSError) else OSError(str(trouble))
    send(found)
    database.close()
