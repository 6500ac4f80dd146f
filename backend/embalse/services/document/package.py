"""The whole farm as one zip of CSV tables with a Frictionless data package, out and back again."""

import base64
import binascii
import csv
import io
import json
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date
from pathlib import Path
from typing import IO, Any, Final

from embalse.services import times
from embalse.services.document.table_words import TABLES, unit_of
from embalse.services.load import clock
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store.errors import Conflict
from embalse.store.packing import APART, Column, Cut, Filling, Snapshot, TableShape

NULL: Final = "\\N"
DESCRIPTOR: Final = "datapackage.json"
PHOTOS: Final = "photos/"
MADE: Final = (1980, 1, 1, 0, 0, 0)  # the earliest a zip knows: two packages of one farm are the same bytes
FORMULA: Final = ("=", "+", "-", "@", "\t", "\r", "'")
KINDS: Final = {"INTEGER": "integer", "REAL": "number", "TEXT": "string", "BLOB": "string"}
FORMAT: Final = 1
AT_ONCE: Final = 50_000
Row = Sequence[Any]


def write_package(
    target: IO[bytes], database: Path, block: str | None = None, span: tuple[date | None, date | None] = (None, None)
) -> dict[str, int]:
    """Write the farm, one block or some days of it into a zip; returns how many rows each table has.

    Parameters
    ----------
    target : binary file
        Where the zip goes.
    database : Path
        The farm's file: read as it is at one moment, row by row.
    block : str, optional
        Key of a block: its ground, stations, readings, records and sets alone, the farm's weather with it.
    span : (date or None, date or None)
        First and last farm-local day of readings, weather, sets and answers; the rest holds for all seasons.

    Raises
    ------
    NotFound
        If there is no such block.
    Conflict
        If no farm is set up.
    """
    farm = clock.the_farm()
    if block is not None:
        farm_store.farm_rows([block])
    cut = Cut(block, *_bounds(span, farm.time_zone))
    snapshot = Snapshot(database)
    counts: dict[str, int] = {}
    try:
        shapes = snapshot.shapes()
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=6) as found:
            for shape in shapes:
                with found.open(_entry(f"{shape.name}.csv"), "w", force_zip64=True) as file:
                    counts[shape.name] = _write(file, shape, snapshot.rows(shape, cut))
            if block is None:
                for key, data in snapshot.photos():
                    found.writestr(_entry(f"{PHOTOS}{key}"), data)
            told = _descriptor(shapes, snapshot.version, (farm.name, block, span))
            found.writestr(_entry(DESCRIPTOR), json.dumps(told, ensure_ascii=False, indent=1) + "\n")
    finally:
        snapshot.close()
    return counts


def read_package(source: IO[bytes], beside: Path) -> dict[str, int]:
    """Read a package into the open, empty database, all of it or nothing; returns how many rows each table has.

    People come without a way in: whoever made this database, or ``embalse person invite``, lets them in. Gateways and
    controllers come without their tokens: nothing is sent or opened until they get new ones.

    Parameters
    ----------
    source : binary file
        The zip.
    beside : Path
        Where a file for the time being may stand.

    Raises
    ------
    DocumentErrors
        With the file and row of what cannot be read.
    Conflict
        If a farm is here already, or a row points at one that is not there.
    NewerDatabase
        If a later version of this program wrote it.
    """
    if farm_store.farm() is not None:
        raise Conflict("farm", "there is a farm here already: a package is read into an empty database")
    counts = {}
    try:
        found = zipfile.ZipFile(source)
        told = json.loads(found.read(DESCRIPTOR))
        version, names = int(told["schema_version"]), [r["name"] for r in told["resources"]]
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError) as wrong:
        raise DocumentErrors([PathError(path="file", reason="it is no package of a farm: " + str(wrong))]) from wrong
    if told.get("format") != FORMAT:
        raise DocumentErrors([PathError(path=DESCRIPTOR, reason=f"format {told.get('format')} is not known here")])
    filling = Filling(beside, version)
    try:
        for name in names:
            shape = filling.shapes.get(str(name))
            if shape is None:
                raise DocumentErrors([PathError(path=DESCRIPTOR, reason=f"there is no table '{name}'")])
            counts[shape.name] = _read(found, shape, filling)
        filling.finish()
        filling.take_over()
    finally:
        filling.remove()
    return counts


def _bounds(span: tuple[date | None, date | None], zone: str) -> tuple[tuple[int, int] | None, tuple[int, int] | None]:
    first, last = (None if d is None else times.day_number(d) for d in span)
    begin = None if first is None else (times.instant_of(first, 0, zone), first)
    return begin, None if last is None else (times.instant_of(last + 1, 0, zone), last + 1)


def _entry(name: str) -> zipfile.ZipInfo:
    found = zipfile.ZipInfo(name, MADE)
    found.compress_type = zipfile.ZIP_DEFLATED
    found.external_attr = 0o644 << 16
    return found


def _write(file: IO[bytes], shape: TableShape, rows: Iterator[tuple[Any, ...]]) -> int:
    count = 0

    def counted() -> Iterator[tuple[Any, ...]]:
        nonlocal count
        for row in rows:
            count += 1
            yield row

    text = io.TextIOWrapper(file, encoding="utf-8", newline="", write_through=False)
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow([c.name for c in shape.columns])
    plain = all(c.kind in ("INTEGER", "REAL") and not c.nullable for c in shape.columns)
    writer.writerows(counted() if plain else (_cells(shape.columns, row) for row in counted()))
    text.flush()
    text.detach()
    return count


def _cells(columns: Sequence[Column], row: tuple[Any, ...]) -> list[Any]:
    return [_cell(c, v) for c, v in zip(columns, row, strict=True)]


def _cell(column: Column, value: Any) -> Any:
    """A value as it stands in a table: no spreadsheet takes it for a formula."""
    if value is None:
        return NULL
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    if isinstance(value, str):
        return f"'{value}" if value.startswith((*FORMULA, NULL)) else value
    return value


def _read(found: zipfile.ZipFile, shape: TableShape, filling: Filling) -> int:
    name = f"{shape.name}.csv"
    count = 0

    def values(rows: Iterable[list[str]], makers: list[Callable[[str], Any]]) -> Iterator[list[Any]]:
        nonlocal count
        for row in rows:
            count += 1
            try:
                yield [make(cell) for make, cell in zip(makers, row, strict=True)]
            except (ValueError, binascii.Error) as wrong:
                raise _refused(name, count, str(wrong)) from wrong

    try:
        with found.open(name) as file:
            rows = csv.reader(io.TextIOWrapper(file, encoding="utf-8", newline=""))
            head = next(rows, [])
            known = {c.name: c for c in shape.columns}
            if sorted(head) != sorted(known):
                raise _refused(name, 0, f"its columns should be {', '.join(known)}")
            makers = [_maker(known[h]) for h in head]
            told = values(rows, makers)
            if shape.name in APART:
                head, told = [*head, APART[shape.name]], _with_files(found, told, head.index("key"))
            filling.put(shape.name, head, told)
    except KeyError as missing:
        raise DocumentErrors([PathError(path=name, reason="it is not in the package")]) from missing
    except (zipfile.BadZipFile, UnicodeDecodeError, csv.Error) as wrong:
        raise _refused(name, count, str(wrong)) from wrong
    except filling.TROUBLE as wrong:
        raise _refused(name, count, str(wrong)) from wrong
    return count


def _with_files(found: zipfile.ZipFile, rows: Iterable[list[Any]], key: int) -> Iterator[list[Any]]:
    for row in rows:
        yield [*row, found.read(f"{PHOTOS}{row[key]}")]


def _refused(name: str, row: int, reason: str) -> DocumentErrors:
    return DocumentErrors([PathError(path=f"{name}, row {row}" if row else name, reason=reason)])


def _maker(column: Column) -> Callable[[str], Any]:
    """What makes a value of a cell."""
    makers: dict[str, Callable[[str], Any]] = {"INTEGER": int, "REAL": float, "TEXT": _text, "BLOB": _bytes}
    make = makers[column.kind]
    if not column.nullable:
        return make
    return lambda cell: None if cell == NULL else make(cell)


def _text(cell: str) -> str:
    return cell[1:] if cell.startswith("'") else cell


def _bytes(cell: str) -> bytes:
    return base64.b64decode(cell, validate=True)


def _descriptor(
    shapes: Sequence[TableShape], version: int, about: tuple[str, str | None, tuple[date | None, date | None]]
) -> dict[str, Any]:
    name, block, (first, last) = about
    cut = [f"block {block}"] if block else []
    cut += [f"{first or 'the beginning'} to {last or 'the end'}"] if first or last else []
    return {
        "profile": "tabular-data-package",
        "name": "embalse-farm",
        "title": f"{name}, {'; '.join(cut)}" if cut else name,
        "description": "A farm with everything known of it. docs/data-formats.md of Embalse says what each table is.",
        "format": FORMAT,
        "schema_version": version,
        "resources": [_resource(shape) for shape in shapes],
    }


def _resource(shape: TableShape) -> dict[str, Any]:
    keys = [c.name for c in sorted(shape.columns, key=lambda c: c.key) if c.key]
    points = [
        {"fields": column, "reference": {"resource": "" if table == shape.name else table, "fields": "id"}}
        for column, table in shape.points_to
        if column in {c.name for c in shape.columns}
    ]
    schema: dict[str, Any] = {"fields": [_field(c) for c in shape.columns], "missingValues": [NULL]}
    if keys:
        schema["primaryKey"] = keys
    if points:
        schema["foreignKeys"] = points
    return {
        "profile": "tabular-data-resource",
        "name": shape.name,
        "path": f"{shape.name}.csv",
        "title": TABLES.get(shape.name, shape.name),
        "format": "csv",
        "mediatype": "text/csv",
        "encoding": "utf-8",
        "schema": schema,
    }


def _field(column: Column) -> dict[str, Any]:
    found: dict[str, Any] = {"name": column.name, "type": KINDS[column.kind]}
    if column.kind == "BLOB":
        found["format"] = "binary"
    unit = unit_of(column.name)
    if unit:
        found["unit"] = unit
    if not column.nullable:
        found["constraints"] = {"required": True}
    return found
