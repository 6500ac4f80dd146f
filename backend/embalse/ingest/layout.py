"""How a delimited logger file is laid out, found from its first lines."""

import csv
import re
from collections import Counter
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path
from typing import Literal

from embalse.ingest.clock_text import CLOCK_ONLY, DATE_ONLY, DATE_TIME, DateOrder, date_numbers, date_order_of
from embalse.ingest.long_layout import SEPARATOR, LongForm, long_form, long_keys

HEAD_LINES = 300
LONGEST_LINE = 100_000
MOST_COLUMNS = 2000
"""More columns than any logger writes; each is looked at by name."""
DELIMITERS = (";", "\t", ",")
_UNIT_SPELLINGS = {
    "%": ("%", "%vol", "vol%", "% vol", "%vwc", "% vwc", "percent"),
    "m3/m3": ("m3/m3", "m³/m³", "m^3/m^3", "cm3/cm3", "cm³/cm³", "v/v"),
    "kPa": ("kpa", "cb", "centibar"),
    "count": ("count", "counts", "raw"),
    "mV": ("mv",),
    "ohm": ("ohm", "ohms", "Ω", "ω"),
    "kohm": ("kohm", "kohms", "kΩ", "kω"),
    "degC": ("degc", "°c", "deg c", "celsius"),
    "degF": ("degf", "°f", "deg f", "fahrenheit"),
    "dS/m": ("ds/m", "ms/cm"),
    "uS/cm": ("us/cm", "µs/cm", "μs/cm"),
}
THOUSANDS = 3
"""Digits of a thousand: `1,234` in quotes is no decimal comma for sure."""
UNIT_WORDS = {word: unit for unit, words in _UNIT_SPELLINGS.items() for word in words}
OTHER_UNIT_WORDS = frozenset(
    ["", "-", "ts", "rn", "yyyy-mm-dd", "dd/mm/yyyy", "hh:mm", "local", "utc", "v", "mm", "c", "time"]
)


TIME_PATTERN = re.compile(r"^[ymdhs]{1,4}([-/.: t]+[ymdhs]{1,4})+$")
"""How times are written, as a row of units says it: ``yyyy-mm-dd hh:mm``."""


class FileRefused(ValueError):
    """A file that cannot be read as a logger file at all."""


@dataclass(frozen=True)
class Layout:
    """Layout of a file, lines from 1; ``time_columns`` are one date-time column, or a date and a clock one."""

    encoding: str
    delimiter: str
    decimal: str
    header_line: int | None
    units_line: int | None
    first_data_line: int
    time_columns: tuple[int, ...]
    date_order: DateOrder
    date_order_certain: bool = True


@dataclass(frozen=True)
class Column:
    """A column: position from 0, name, unit of the units row in this product's words ("" when unknown), first texts."""

    index: int
    name: str
    unit: str
    samples: tuple[str, ...] = ()


@dataclass(frozen=True)
class Inspection:
    """What the head of a file shows."""

    layout: Layout
    columns: tuple[Column, ...]
    preamble: tuple[str, ...] = ()
    cautions: tuple[str, ...] = field(default=())
    long: LongForm | None = None
    header: tuple[str, ...] = ()


Rows = Literal["either", "wide", "long"]


def inspect_file(path: Path, rows_hold: Rows = "either") -> Inspection:
    """Layout and columns of a delimited file, from its first 300 lines.

    Of a file with one reading a row, the columns are what its rows say they belong to, found in the whole file;
    ``header`` has the names as written. ``rows_hold`` says how to take it, where it could be either.

    Raises
    ------
    FileRefused
        If no line starts with a time, or the file is empty or not text.
    """
    encoding = _encoding(path)
    with path.open(encoding=encoding, newline="", errors="replace") as stream:
        lines = [line.rstrip("\r\n") for line in islice(iter(lambda: stream.readline(LONGEST_LINE), ""), HEAD_LINES)]
    if any(len(line) >= LONGEST_LINE - 2 for line in lines):
        raise FileRefused("the file has a line of more than 100,000 characters; it is no table of readings")
    if not any(line.strip() for line in lines):
        raise FileRefused("the file is empty")
    delimiter, first = _delimiter_and_start(lines)
    rows = _rows(lines, delimiter)
    data = [row for row in rows[first:] if any(cell.strip() for cell in row)]
    time_columns = _time_columns(data[0]) or ()
    order, certain = date_order_of([n for row in data for n in [_date(row, time_columns)] if n])
    header, units = _header_lines(rows, first)
    decimal = "," if _has_decimal_commas(data, time_columns, delimiter) else "."
    layout = Layout(
        encoding=encoding,
        delimiter=delimiter,
        decimal=decimal,
        header_line=None if header is None else header + 1,
        units_line=None if units is None else units + 1,
        first_data_line=first + 1,
        time_columns=time_columns,
        date_order=order,
        date_order_certain=certain,
    )
    cautions = () if certain else ("days and months cannot be told apart in these dates; day first is assumed",)
    top = header if header is not None else first
    columns, preamble = _columns(rows, data, layout), tuple(lines[:top])
    names = tuple(c.name for c in columns)
    form = None if rows_hold == "wide" else long_form(names, data, time_columns, decimal)
    if rows_hold == "long" and form is None:
        raise FileRefused("no columns of this file say whose each reading is; is it one time a row?")
    if form is not None:
        columns = _long_columns(path, layout, form, columns)
    return Inspection(layout, columns, preamble, cautions, form, names)


def _long_columns(path: Path, layout: Layout, form: LongForm, columns: tuple[Column, ...]) -> tuple[Column, ...]:
    keys = long_keys(path, form, (layout.encoding, layout.delimiter, layout.first_data_line))
    usual = columns[form.value_column].unit
    return tuple(
        Column(form.value_column, key.name, next((u for u in map(_unit_word, key.name.split(SEPARATOR)) if u), usual),
               key.samples)
        for key in keys
    )  # fmt: skip


def _unit_word(text: str) -> str:
    """Unit of a text that is one, or ends in one like ``VWC %``; "" when it does not."""
    words = [text.strip(), *text.split()[-1:]]
    return next((u for word in words if (u := UNIT_WORDS.get(word.strip("()[]").lower()))), "")


def _encoding(path: Path) -> str:
    with path.open("rb") as stream:
        head = stream.read(65_536)
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if b"\0" in head:
        raise FileRefused("the file is not text; export it as a delimited text file")
    try:
        head[: max(0, len(head) - 4) or None].decode("utf-8")
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8-sig"


def _rows(lines: list[str], delimiter: str) -> list[list[str]]:
    """The head's rows; a quote that is never closed makes one cell of many lines, longer than a cell may be."""
    try:
        return list(csv.reader(lines, delimiter=delimiter))
    except csv.Error as wrong:
        raise FileRefused(f"the first lines cannot be read as a table: {wrong}") from wrong


def _delimiter_and_start(lines: list[str]) -> tuple[str, int]:
    best: tuple[int, str, int] | None = None
    for delimiter in DELIMITERS:
        rows = _rows(lines, delimiter)
        starts = [i for i, row in enumerate(rows) if len(row) > 1 and _time_columns(row)]
        if starts and (best is None or len(rows[starts[0]]) > best[0]):
            best = (len(rows[starts[0]]), delimiter, starts[0])
    if best is None:
        raise FileRefused(
            "no line has a date and time followed by values; columns must be parted by comma, semicolon or tab"
        )
    return best[1], best[2]


def _time_columns(row: list[str]) -> tuple[int, ...] | None:
    for index, cell in enumerate(row[:4]):
        if DATE_TIME.match(cell):
            return (index,)
        if DATE_ONLY.match(cell) and index + 1 < len(row) and CLOCK_ONLY.match(row[index + 1]):
            return (index, index + 1)
    return None


def _date(row: list[str], time_columns: tuple[int, ...]) -> tuple[int, int, int] | None:
    return date_numbers(row[time_columns[0]]) if time_columns and len(row) > time_columns[0] else None


def _header_lines(rows: list[list[str]], first: int) -> tuple[int | None, int | None]:
    """Positions of the header row and the units row above the data, each None when there is none."""
    width = len(rows[first])
    above = [i for i in range(first) if len(rows[i]) >= max(2, width - 1)]
    if not above:
        return None, None
    units = next((i for i in reversed(above) if _is_units_row(rows[i])), None)
    names = [i for i in above if i != units and (units is None or i < units)]
    return (names[-1] if names else None), units


def _is_units_row(row: list[str]) -> bool:
    words = [cell.strip().strip("()[]").lower() for cell in row]
    known = sum(word in UNIT_WORDS for word in words)
    return known > 0 and all(w in UNIT_WORDS or w in OTHER_UNIT_WORDS or TIME_PATTERN.match(w) for w in words)


def _has_decimal_commas(data: list[list[str]], time_columns: tuple[int, ...], delimiter: str) -> bool:
    """Whether numbers have decimal commas: between commas they stand in quotes, and could be thousands there."""
    cells = [cell.strip() for row in data[:50] for i, cell in enumerate(row) if i not in time_columns]
    commas = sum(cell.replace("-", "").replace(",", "", 1).isdigit() and "," in cell for cell in cells)
    if delimiter == "," and all(len(cell.partition(",")[2]) == THOUSANDS for cell in cells if "," in cell):
        return False
    return commas > 0 and commas >= sum("." in cell for cell in cells)


def _columns(rows: list[list[str]], data: list[list[str]], layout: Layout) -> tuple[Column, ...]:
    names = rows[layout.header_line - 1] if layout.header_line else []
    # as wide as its header, or as most of its rows: a row wider than that has values in the wrong columns
    width = max(len(names), Counter(len(row) for row in data[:50]).most_common(1)[0][0])
    if width > MOST_COLUMNS:
        raise FileRefused(f"the file has {width} columns; at most {MOST_COLUMNS} are read")
    units = rows[layout.units_line - 1] if layout.units_line else []
    columns: list[Column] = []
    seen: Counter[str] = Counter()
    for index in range(width):
        written = names[index].strip() if index < len(names) else ""
        name = written or f"column {index + 1}"
        same = seen[name]
        seen[name] += 1
        unit = _unit(units[index] if index < len(units) else "", written)
        samples = tuple(row[index] for row in data[:5] if index < len(row))
        columns.append(Column(index, f"{name} ({same + 1})" if same else name, unit, samples))
    return tuple(columns)


def _unit(text: str, name: str) -> str:
    word = text.strip().strip("()[]").lower()
    if word in UNIT_WORDS:
        return UNIT_WORDS[word]
    opening = {")": "(", "]": "["}.get(name[-1:])
    inside = name[name.rfind(opening) + 1 : -1] if opening else ""
    return UNIT_WORDS.get(inside.strip().lower(), "")
