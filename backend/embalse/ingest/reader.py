"""Readings out of a delimited file, in batches, so that a file of any size takes little memory."""

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from embalse.ingest.clock_text import DateOrder, TimeReader, TimeRefused, TimeTwice
from embalse.ingest.long_layout import LongForm, key_of

BATCH_READINGS = 20_000
REPEATED_HOUR_S = 5400
MISSING = frozenset({"", "nan", "na", "n/a", "null", "none", "-", "--", "---", "-9999", "-999", "-9999.0", "#n/a"})
LIMITS: dict[str, tuple[float, float]] = {
    "%": (-10.0, 100.0),
    "m3/m3": (-0.1, 1.0),
    "kPa": (-10.0, 5000.0),
    "count": (-1.0, 1e9),
    "mV": (-1e3, 1e6),
    "ohm": (0.0, 1e7),
    "kohm": (0.0, 1e4),
    "degC": (-40.0, 80.0),
    "degF": (-40.0, 176.0),
    "dS/m": (0.0, 100.0),
    "uS/cm": (0.0, 1e5),
}
NO_LIMITS = (-1e12, 1e12)
HINTS = {"m3/m3": "is the column in %?", "%": "is it another quantity?", "kPa": "is it another quantity?"}


@dataclass(frozen=True)
class Target:
    """Where a column goes: its position and name in the file, the sensor's id, the unit of its values."""

    index: int
    name: str
    sensor_id: int
    unit: str


@dataclass(frozen=True)
class FileFormat:
    """How to read the file: encoding, delimiter, decimal sign, first data line (from 1), width, times."""

    encoding: str
    delimiter: str
    decimal: str
    first_data_line: int
    width: int
    time_columns: tuple[int, ...]
    date_order: DateOrder
    zone_name: str
    long: LongForm | None = None


@dataclass(frozen=True)
class Refusal:
    """A refused row or cell: line from 1, column name ("" for the whole row), reason, the text refused."""

    line: int
    column: str
    reason: str
    text: str


@dataclass
class Batch:
    """Readings with their lines, and what was refused or empty on the way; ``position`` is bytes read so far.

    ``told_apart`` rows stood in the hour that happens twice when clocks go back.
    """

    readings: list[tuple[int, int, float, int]] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    refusals: list[Refusal] = field(default_factory=list)
    rows: int = 0
    empty: int = 0
    out_of_order: int = 0
    told_apart: int = 0
    position: int = 0


def read_batches(path: Path, form: FileFormat, targets: list[Target], tag: int, latest: float) -> Iterator[Batch]:
    """Batches of readings ``(sensor id, instant [s, UTC], raw value, tag)`` from a file.

    Parameters
    ----------
    path : Path
    form : FileFormat
    targets : list of Target
        Columns that are read; the others are passed over.
    tag : int
        Written into every reading (the import's id).
    latest : float
        A row later than this instant [s, UTC] is refused as being in the future.
    """
    with (
        path.open("rb") as binary,
        io.TextIOWrapper(binary, encoding=form.encoding, newline="", errors="replace") as text,
    ):
        for _ in range(form.first_data_line - 1):
            text.readline()
        loop = _Rows(form, targets, tag, latest)
        rows = csv.reader(text, delimiter=form.delimiter)
        while loop.fill(rows):
            loop.batch.position = binary.tell()
            yield loop.batch


class _Rows:
    def __init__(self, form: FileFormat, targets: list[Target], tag: int, latest: float) -> None:
        self.form = form
        self.tag = tag
        self.latest = latest
        self.columns = [(t.index, t.sensor_id, *LIMITS.get(t.unit, NO_LIMITS), t) for t in targets]
        self.fewest = max([t.index for t in targets] + list(form.time_columns)) + 1
        self.by_key = {column[4].name: [column] for column in self.columns} if form.long else None
        if form.long:
            self.fewest = max(self.fewest, *(i + 1 for i in form.long.key_columns))
        self.read_time = TimeReader(form.date_order, form.zone_name).reader()
        self.before = float("-inf")
        self.before_of: dict[str, float] = {}
        self.line_before = 0
        self.left_over: tuple[int, list[str]] | None = None
        self.batch = Batch()

    def fill(self, rows: Iterator[list[str]]) -> bool:
        """Read rows into a new batch until it is full; False at the end of the file."""
        batch = self.batch = Batch()
        add, note, tag = batch.readings.append, batch.lines.append, self.tag
        offset = self.form.first_data_line - 1
        instant_of = self._instant_reader()
        comma = self.form.decimal == ","
        for line, row in self._sound_rows(rows, offset):
            if len(batch.readings) >= BATCH_READINGS or len(batch.refusals) >= BATCH_READINGS:
                self.left_over = (line, row)
                break
            try:
                instant = instant_of(row)
            except (TimeRefused, IndexError) as wrong:
                told = self._told_apart(wrong, row)
                if told is None:
                    self._refuse_row(line, row, wrong)
                    continue
                instant = told
            if not self.before < instant <= self.latest and not self._order_allowed(line, row, instant):
                continue
            self.before = instant
            columns = self.columns if self.by_key is None else self._columns_of(row, instant)
            for index, sensor_id, low, high, target in columns:
                cell = row[index]
                try:
                    value = float(cell.replace(",", ".")) if comma else float(cell)
                    if "_" in cell:  # a spelling of programs, not of loggers
                        raise ValueError
                except ValueError:
                    self._no_number(line, target, cell)
                    continue
                if low <= value <= high:
                    add((sensor_id, instant, value, tag))
                    note(line)
                else:
                    self._out_of_range(line, target, cell, value)
        return batch.rows > 0 or bool(batch.refusals)

    def _sound_rows(self, rows: Iterator[list[str]], offset: int) -> Iterator[tuple[int, list[str]]]:
        """Rows with their lines; what cannot be read as rows is refused on the way."""
        if self.left_over is not None:
            waiting, self.left_over = self.left_over, None
            self.batch.rows += 1
            yield waiting
        while True:
            try:
                row = next(rows)
            except StopIteration:
                return
            except csv.Error as wrong:
                self.batch.refusals.append(
                    Refusal(self._line(rows) + offset, "", f"the row cannot be read: {wrong}", "")
                )
                continue
            line = self._line(rows) + offset
            if line - self.line_before > 1 and self.line_before:
                self.batch.rows += 1
                self._quote_left_open(line, row)
                continue
            self.line_before = line
            if len(self.batch.readings) < BATCH_READINGS and len(self.batch.refusals) < BATCH_READINGS:
                self.batch.rows += 1
            yield line, row

    def _line(self, rows: Iterator[list[str]]) -> int:
        return int(rows.line_num)  # type: ignore[attr-defined]

    def _instant_reader(self) -> Callable[[list[str]], int]:
        read, fewest = self.read_time, self.fewest
        first, *second = self.form.time_columns

        width = self.form.width

        def one(row: list[str]) -> int:
            if not fewest <= len(row) <= width and _too_short_or_wide(row, fewest, width):
                raise IndexError
            return read(row[first])

        def two(row: list[str]) -> int:
            if not fewest <= len(row) <= width and _too_short_or_wide(row, fewest, width):
                raise IndexError
            return read(f"{row[first].strip()} {row[second[0]].strip()}")

        return two if second else one

    def _quote_left_open(self, line: int, row: list[str]) -> None:
        """A quote that was opened and not closed swallowed the lines up to here: they are refused, and said."""
        first, self.line_before = self.line_before + 1, line
        reason = (
            f"a quote opened in line {first} is closed only in line {line}: {line - first + 1} lines cannot be read"
        )
        self.batch.refusals.append(Refusal(first, "", reason, self.form.delimiter.join(row)[:200]))

    def _refuse_row(self, line: int, row: list[str], wrong: Exception) -> None:
        if not any(cell.strip() for cell in row):
            self.batch.rows -= 1
            return
        reason = str(wrong)
        if isinstance(wrong, IndexError):
            reason = f"the row has {len(row)} column{'s' if len(row) != 1 else ''}, {self.form.width} are expected"
        self.batch.refusals.append(Refusal(line, "", reason, self.form.delimiter.join(row)[:200]))

    def _columns_of(self, row: list[str], instant: int) -> list[tuple[int, int, float, float, Target]]:
        """The column of whoever a row of one reading belongs to; none when the plan leaves it out."""
        assert self.by_key is not None and self.form.long is not None
        key = key_of(row, self.form.long)
        self.before_of[key] = instant
        return self.by_key.get(key, [])

    def _told_apart(self, twice: Exception, row: list[str]) -> int | None:
        """The instant [s, UTC] of a time that exists twice, by the row before; None when that does not tell."""
        if not isinstance(twice, TimeTwice):
            return None
        before = self.before
        if self.form.long is not None:
            before = self.before_of.get(key_of(row, self.form.long), float("-inf"))
        if twice.early <= before < twice.late:
            found = twice.late
        elif before < twice.early <= before + REPEATED_HOUR_S:
            found = twice.early
        else:
            return None
        self.batch.told_apart += 1
        return found

    def _order_allowed(self, line: int, row: list[str], instant: int) -> bool:
        if instant > self.latest:
            text = self.form.delimiter.join(row)[:200]
            self.batch.refusals.append(Refusal(line, "", "the time is in the future", text))
            return False
        if instant < self.before and self.by_key is None:
            self.batch.out_of_order += 1
        return True

    def _no_number(self, line: int, target: Target, cell: str) -> None:
        if cell.strip().strip('"').lower() in MISSING:
            self.batch.empty += 1
        else:
            self.batch.refusals.append(Refusal(line, target.name, "not a number", cell[:80]))

    def _out_of_range(self, line: int, target: Target, cell: str, value: float) -> None:
        if value != value or cell.strip() in MISSING:  # noqa: PLR0124 - NaN is a logger's word for missing
            self.batch.empty += 1
            return
        low, high = LIMITS.get(target.unit, NO_LIMITS)
        hint = HINTS.get(target.unit, "") if value > high else ""
        reason = f"{value:g} {target.unit} is outside {low:g} to {high:g}" + (f"; {hint}" if hint else "")
        self.batch.refusals.append(Refusal(line, target.name, reason, cell[:80]))


def _too_short_or_wide(row: list[str], fewest: int, width: int) -> bool:
    """Whether a row has too few cells, or more than its header that are not empty: values stand in wrong columns."""
    return len(row) < fewest or any(cell.strip() for cell in row[width:])
