"""Out and in by open formats: the whole farm, tables, drawings, calendars, and tokens that read only."""

import tempfile
from collections.abc import Iterator
from datetime import date
from typing import Annotated

from flask import Response, stream_with_context
from flask_openapi3 import APIBlueprint, FileStorage
from pydantic import BaseModel, Field

from embalse.api.answers import FAULTS, answer, as_table, checked_moment, settings
from embalse.api.planning import OkOut
from embalse.api.schemas import AsOfQuery, BlockPath, In
from embalse.api.signing import check_kinds
from embalse.services.admin.reading_tokens import ReadingTokenOut, make_token, reading_tokens, revoke_token
from embalse.services.document.package import read_package, write_package
from embalse.services.load.schemas import Content
from embalse.services.open_data.features import Layer, features_json
from embalse.services.open_data.tables import DAYS, Asked, Name, readings_csv, table_csv
from embalse.services.open_data.visits_calendar import visits_calendar
from embalse.services.schema.base import Key

open_api = APIBlueprint("open_data", __name__, url_prefix="/api")
PIECE = 256 * 1024


class PackageQuery(BaseModel):
    """What of the farm is packed: everything, one block, some days of readings, weather and sets."""

    block: Key | None = None
    first: date | None = None
    last: date | None = None


class PackageForm(BaseModel):
    """A package as it was written."""

    file: FileStorage


class PackedOut(Content):
    """Rows read, by table."""

    rows: dict[str, int]


class TablePath(BaseModel):
    """A table by its name."""

    name: Name


class TableQuery(AsOfQuery):
    """A moment, a block where the table is of one, and days looked back."""

    block: Key | None = None
    days: Annotated[int, Field(ge=1, le=400)] = DAYS


class ReadingsQuery(BaseModel):
    """First and last day."""

    first: date | None = None
    last: date | None = None


class LayerPath(BaseModel):
    """A layer by its name."""

    layer: Layer


class TokenIn(In):
    """Whom a token is for."""

    name: Annotated[str, Field(min_length=1, max_length=80)]


class TokensOut(Content):
    """Tokens that read only."""

    tokens: list[ReadingTokenOut]


class TokenNumber(BaseModel):
    """A token by its number."""

    number: Annotated[int, Field(ge=1, le=2**31)]


@open_api.get("/farm.zip", responses={"200": None, **FAULTS}, operation_id="farmPackage")
def package(query: PackageQuery) -> Response:
    """The whole farm or a part of it as a zip of CSV tables with a data package; the whole asks for the owner."""
    if query.block is None:
        check_kinds(["package"])
    file = tempfile.TemporaryFile()  # noqa: SIM115 - closed when all of it is sent
    try:
        write_package(file, settings().database, query.block, (query.first, query.last))
        size = file.tell()
        file.seek(0)
    except BaseException:
        file.close()
        raise

    def pieces() -> Iterator[bytes]:
        with file:
            while piece := file.read(PIECE):
                yield piece

    name = f"farm-{query.block}.zip" if query.block else "farm.zip"
    headers = {"Content-Disposition": f"attachment; filename={name}", "Content-Length": str(size)}
    return Response(pieces(), mimetype="application/zip", headers=headers)


@open_api.post("/farm.zip", responses={"200": PackedOut, **FAULTS}, operation_id="readPackage")
def read_back(form: PackageForm) -> Response:
    """Read a package into this database, which must have no farm yet: all of it or nothing."""
    beside = settings().database.with_name("embalse.package.part")
    return answer(PackedOut(rows=read_package(form.file.stream, beside)))


@open_api.get("/tables/<name>.csv", responses={"200": None, **FAULTS}, operation_id="tableCsv")
def table(path: TablePath, query: TableQuery) -> Response:
    """A table of the pages as CSV, with units in its head."""
    asked = Asked(checked_moment(query.as_of), query.block, query.days)
    return as_table(table_csv(path.name, asked), f"{path.name}{'-' + query.block if query.block else ''}.csv")


@open_api.get("/blocks/<key>/readings.csv", responses={"200": None, **FAULTS}, operation_id="readingsCsv")
def readings(path: BlockPath, query: ReadingsQuery) -> Response:
    """Raw readings of a block as CSV; the last seven days unless days are given."""
    pieces = readings_csv(path.key, query.first, query.last)
    headers = {"Content-Disposition": f"attachment; filename=readings-{path.key}.csv"}
    return Response(stream_with_context(pieces), mimetype="text/csv", headers=headers)


@open_api.get("/layers/<layer>.geojson", responses={"200": None, **FAULTS}, operation_id="layerGeojson")
def features(path: LayerPath, query: AsOfQuery) -> Response:
    """Blocks, stations or zones with their state as GeoJSON."""
    return Response(features_json(path.layer, checked_moment(query.as_of)), mimetype="application/geo+json")


@open_api.get("/visits.ics", responses={"200": None, **FAULTS}, operation_id="visitsCalendar")
def visits() -> Response:
    """Stations to go and see today as a calendar."""
    return Response(visits_calendar(), mimetype="text/calendar")


@open_api.get("/tokens", responses={"200": TokensOut, **FAULTS}, operation_id="readingTokens")
def tokens() -> Response:
    """Tokens that read only; the tokens themselves are not kept."""
    return answer(TokensOut(tokens=reading_tokens()))


@open_api.post("/tokens", responses={"200": ReadingTokenOut, **FAULTS}, operation_id="makeReadingToken")
def new_token(body: TokenIn) -> Response:
    """A new token that reads only; it is shown this once."""
    return answer(make_token(body.name))


@open_api.post("/tokens/<number>/revoke", responses={"200": OkOut, **FAULTS}, operation_id="revokeReadingToken")
def take_token_back(path: TokenNumber) -> Response:
    """Take a token back."""
    revoke_token(path.number)
    return answer(OkOut(ok=True))
