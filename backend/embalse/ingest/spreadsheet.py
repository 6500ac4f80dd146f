"""A sheet of a spreadsheet (.xlsx) as a delimited table, so that everything that takes a table takes it too."""

import csv
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import IO, Any, Final

from openpyxl import load_workbook  # type: ignore[import-untyped]
from openpyxl.utils.exceptions import InvalidFileException  # type: ignore[import-untyped]

from embalse.ingest.layout import FileRefused

MARK: Final = b"PK\x03\x04"
BOOK: Final = "xl/workbook.xml"
LARGEST_UNPACKED: Final = 2 * 1024**3
"""Bytes a spreadsheet may unpack to: a small file can hold an endless one."""
MOST_ROWS: Final = 2_000_000


def is_spreadsheet(path: Path) -> bool:
    """Whether a file is a spreadsheet, by what it holds and not by its name; raises FileRefused for an older kind."""
    with path.open("rb") as file:
        start = file.read(8)
    if start == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise FileRefused("this is a spreadsheet of the older kind (.xls): save it as .xlsx or as CSV")
    if not start.startswith(MARK):
        return False
    try:
        with zipfile.ZipFile(path) as found:
            return BOOK in found.namelist()
    except zipfile.BadZipFile:
        return False


def sheets(path: Path) -> list[str]:
    """Names of a spreadsheet's sheets in their order; raises FileRefused."""
    with _book(path) as book:
        return list(book.sheetnames)


def write_table(path: Path, target: IO[str], sheet: str = "") -> str:
    """Write a sheet as CSV, the first one where none is named; returns its name.

    Dates and times are written as ISO text, numbers as they are kept; formulas as what they came to last.

    Raises
    ------
    FileRefused
        If it is no spreadsheet, is too large, has no such sheet, or nothing is in it.
    """
    with _book(path) as book:
        name = sheet or book.sheetnames[0]
        if name not in book.sheetnames:
            raise FileRefused(f"there is no sheet '{sheet}'; it has {', '.join(book.sheetnames)}")
        rows, writer = 0, csv.writer(target, lineterminator="\n")
        for row in book[name].iter_rows(values_only=True):
            cells = [_text(cell) for cell in row]
            if not any(cells):
                continue
            rows += 1
            if rows > MOST_ROWS:
                raise FileRefused(f"the sheet has more than {MOST_ROWS:,} rows".replace(",", " "))
            writer.writerow(cells)
    if not rows:
        raise FileRefused(f"nothing is in the sheet '{name}'")
    return name


@contextmanager
def as_table(path: Path, sheet: str = "") -> Iterator[Path]:
    """The file itself where it is a table, else its sheet as a CSV file beside it for the time being."""
    if not is_spreadsheet(path):
        yield path
        return
    made = path.with_name(f"{path.name}.sheet.csv")
    try:
        with made.open("w", encoding="utf-8", newline="") as target:
            write_table(path, target, sheet)
        yield made
    finally:
        made.unlink(missing_ok=True)


@contextmanager
def _book(path: Path) -> Iterator[Any]:
    try:
        with zipfile.ZipFile(path) as found:
            if sum(entry.file_size for entry in found.infolist()) > LARGEST_UNPACKED:
                raise FileRefused("the spreadsheet unpacks to more than 2 GiB")
        file = path.open("rb")  # a path would be judged by its ending
    except FileRefused:
        raise
    except (zipfile.BadZipFile, OSError) as wrong:
        raise FileRefused("the spreadsheet cannot be read: it is damaged, or locked by a password") from wrong
    with file:
        yield from _opened(file)


def _opened(file: IO[bytes]) -> Iterator[Any]:
    try:
        book = load_workbook(file, read_only=True, data_only=True)
    except (zipfile.BadZipFile, InvalidFileException, KeyError, ValueError, OSError, SyntaxError) as wrong:
        raise FileRefused("the spreadsheet cannot be read: it is damaged, or locked by a password") from wrong
    try:
        yield book
    except (zipfile.BadZipFile, KeyError, ValueError, SyntaxError) as wrong:
        if isinstance(wrong, FileRefused):
            raise
        raise FileRefused("the spreadsheet cannot be read: it is damaged") from wrong
    finally:
        book.close()


def _text(cell: Any) -> str:
    """A cell as a table has it.

    Examples
    --------
    >>> _text(datetime(2026, 7, 14, 6)), _text(0.25), _text(3.0), _text(None), _text(True)
    ('2026-07-14 06:00:00', '0.25', '3', '', '1')
    """
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return str(int(cell))
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime):
        rounded = (cell + timedelta(microseconds=500_000)).replace(microsecond=0)  # kept as parts of a day
        return rounded.isoformat(" ")
    if isinstance(cell, date | time):
        return cell.isoformat()
    return str(cell).strip()
