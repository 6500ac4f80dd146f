"""Files with one reading a row: which columns say whose it is, and which holds the value."""

import csv
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TextIO

KEY_WORDS = re.compile(
    r"\b(station|site|node|logger|device|probe|sensor|channel|port|parameter|variable|measure|quantity|depth|id|name|unit)",
    re.IGNORECASE,
)
VALUE_WORDS = re.compile(r"\b(value|reading|vwc|theta|moisture|tension|result)\b", re.IGNORECASE)
MOST_KEYS = 2000
SEPARATOR = " / "


@dataclass(frozen=True)
class LongForm:
    """Positions of the columns that say whose a reading is, and of the value."""

    key_columns: tuple[int, ...]
    value_column: int


@dataclass(frozen=True)
class LongKey:
    """Whose readings these are, as the file words it, with how many rows it has and its first values."""

    name: str
    rows: int
    samples: tuple[str, ...]


def long_form(
    names: Sequence[str], data: Sequence[Sequence[str]], time_columns: tuple[int, ...], decimal: str = "."
) -> LongForm | None:
    """The form of a file with one reading a row, or None when each row is one time.

    Parameters
    ----------
    names : sequence of str
        Column names as the header gives them ("" where it gives none).
    data : sequence of rows
        The first rows below the header.
    time_columns : tuple of int
        Positions of the time.
    decimal : str
        Sign of decimals.
    """
    if len(data) < 4:
        return None
    others = [i for i in range(len(names)) if i not in time_columns]
    cells = {i: [row[i].strip() if i < len(row) else "" for row in data] for i in others}
    numeric = {i: _mostly_numbers(cells[i], decimal) for i in others}
    keys = [i for i in others if _says_whose(names[i], cells[i], numeric[i])]
    values = [i for i in others if i not in keys and numeric[i]]
    if not keys or not values or not _one_reading_a_row(data, time_columns, [cells[i] for i in keys]):
        return None
    named = [i for i in values if VALUE_WORDS.search(names[i])]
    if not named and len(values) > 1:
        return None
    return LongForm(tuple(keys), (named or values)[0])


def _says_whose(name: str, cells: list[str], numeric: bool) -> bool:
    distinct = len(set(cells))
    few = distinct <= max(1, len(cells) // 2)
    if VALUE_WORDS.search(name):
        return False
    return few and (not numeric or bool(KEY_WORDS.search(name)))


def _one_reading_a_row(
    data: Sequence[Sequence[str]], time_columns: tuple[int, ...], keys: Sequence[Sequence[str]]
) -> bool:
    """Whether a time comes with several keys, or the keys go on one after another, seldom twice at one time.

    An hour that happens twice, when clocks go back, may give the same time twice.
    """
    times = [tuple(row[i] for i in time_columns if i < len(row)) for row in data]
    whole = list(zip(times, zip(*keys, strict=True), strict=True))
    if len(set(whole)) < 0.55 * len(whole):
        return False
    return max(Counter(times).values()) > 1 or len(set(zip(*keys, strict=True))) > 1


def _mostly_numbers(cells: Sequence[str], decimal: str) -> bool:
    """Whether nine of ten cells that hold anything are numbers; a bad cell here and there is refused by its line."""
    filled = [c for c in cells if c]
    return bool(filled) and sum(_is_number(c, decimal) for c in filled) >= 0.9 * len(filled)


def _is_number(cell: str, decimal: str) -> bool:
    try:
        float(cell.replace(decimal, "."))
    except ValueError:
        return cell.lower() in ("nan", "na", "n/a", "-", "null")
    return True


def key_of(row: Sequence[str], form: LongForm) -> str:
    """Whose a row is: the cells of its key columns, joined."""
    return SEPARATOR.join(row[i].strip() for i in form.key_columns)


def rows_that_can_be_read(stream: TextIO, delimiter: str) -> Iterator[list[str]]:
    """Rows of a table, without those that are none (a cell that goes on without end): reading the file refuses them."""
    rows = csv.reader(stream, delimiter=delimiter)
    while True:
        try:
            yield next(rows)
        except StopIteration:
            return
        except csv.Error:
            continue


def long_keys(path: Path, form: LongForm, reading: tuple[str, str, int]) -> list[LongKey]:
    """Every key of a file, in the order of their first rows; at most 2000 are looked for.

    ``reading`` is encoding, delimiter and the first data line, from 1.
    """
    encoding, delimiter, first = reading
    counts: Counter[str] = Counter()
    samples: dict[str, list[str]] = {}
    fewest = max(*form.key_columns, form.value_column) + 1
    with path.open(encoding=encoding, newline="", errors="replace") as stream:
        for _ in range(first - 1):
            stream.readline()
        for row in rows_that_can_be_read(stream, delimiter):
            if len(row) < fewest:
                continue
            key = key_of(row, form)
            if key not in counts and len(counts) >= MOST_KEYS:
                continue
            counts[key] += 1
            if counts[key] <= 5:
                samples.setdefault(key, []).append(row[form.value_column])
    return [LongKey(key, count, tuple(samples[key])) for key, count in counts.items()]
