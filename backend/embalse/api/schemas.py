"""Bodies and queries of the API that are not content of a service."""

from typing import Annotated, Literal, Self

from flask_openapi3 import FileStorage
from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from embalse.services.advice.what_changed import BlockChange
from embalse.services.document.applying import ApplyReport
from embalse.services.intake.import_plan import ImportPlan
from embalse.services.reader import Words
from embalse.services.schema.base import Latitude, Longitude, Number, Positive, When
from embalse.services.schema.land import HorizonPart, SystemPart
from embalse.services.schema.refused import PathError
from embalse.services.setup.bench_practice import DepthSetOut, TubePartOut

Moment = Annotated[str, StringConstraints(max_length=40)]


class Out(BaseModel):
    """An answer; fields with defaults are always present in it."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True, defer_build=True)


class In(BaseModel):
    """A body: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class AsOfQuery(BaseModel):
    """A farm-local moment; now if absent."""

    as_of: Moment | None = None


class ErrorOut(Out):
    """What was wrong, field by field; ``log_id`` only for faults of the program itself."""

    errors: list[PathError]
    log_id: str | None = None


class BlockName(Out):
    """A block in a list."""

    key: str
    name: str
    crop: str
    area_ha: float
    soil: str


class TroubleOut(Out):
    """What a thread of the server cannot do now: since when, farm-local, and why."""

    what: str
    since: str
    why: Words


class SampleFileOut(Out):
    """A sample file that was read in: its line of the import log."""

    id: int
    file_name: str


class FarmOut(Out):
    """The farm and its clock; ``set_up`` is false while the file is empty; ``units`` are those of whoever looks."""

    set_up: bool
    name: str
    time_zone: str
    units: Literal["metric", "us"]
    farm_units: Literal["metric", "us"]
    now: str
    clock_held: bool
    blocks: list[BlockName]
    sensors: int
    troubles: list[TroubleOut] = []
    samples: list[SampleFileOut] = Field(default=[], description="invented readings that are in, to try things with")


class SensorOut(Out):
    """A sensor a column can be mapped to."""

    ref: str
    label: Words
    depth_cm: float
    raw_unit: str
    channel: str


class SensorsOut(Out):
    """All sensors."""

    sensors: list[SensorOut]


class CropOut(Out):
    """A crop of the crop table."""

    crop: str
    root_depth_cm: float
    allowable_depletion_fraction: float
    sensor_depths_cm: list[float] = Field(description="usual depths of sensors that stand for all of its roots")
    lacks: list[Words] = Field(description="what the tables do not have of it")


class ChoicesOut(Out):
    """What the set-up form offers."""

    textures: list[str]
    crops: list[CropOut]


class LinesIn(In):
    """Lines of the trail of changes, by number."""

    first: int = Field(ge=1, lt=2**53)
    last: int = Field(ge=1, lt=2**53)


class ApplyOut(Out):
    """Counts of what a document changed."""

    created: dict[str, int]
    changed: dict[str, int]
    unchanged: dict[str, int]
    lines: LinesIn | None = Field(default=None, description="sent back to undo it; none if that cannot be")

    @classmethod
    def of(cls, report: ApplyReport) -> Self:
        """What a document changed, as it is sent."""
        lines = LinesIn(first=report.lines[0], last=report.lines[1]) if report.lines else None
        return cls(created=report.created, changed=report.changed, unchanged=report.unchanged, lines=lines)


class TakenBackOut(Out):
    """How many changes were taken back."""

    count: int


class RoundQuery(BaseModel):
    """Which moment, and whether the Working comes along."""

    as_of: Moment | None = None
    working: bool = False


class PlanQuery(BaseModel):
    """Which plan is asked for."""

    as_of: str | None = Field(None, description="farm-local moment; now if absent")
    days: Annotated[int, Field(ge=1, le=10)] = 3
    quick: bool = Field(False, description="by the deadlines alone, at once")


class BlockPath(BaseModel):
    """A block's key."""

    key: str


class BlockQuery(BaseModel):
    """Which moment, and how many days of readings before it."""

    as_of: Moment | None = None
    days: Annotated[int, Field(ge=2, le=1100)] = 28


class WhatIfIn(In):
    """Entries to change, by name."""

    changes: dict[str, Number] = Field(min_length=1, max_length=10)
    as_of: Moment | None = None


class MarkPickIn(In):
    """A mark as it would be picked; nothing is stored."""

    mark: Literal["full", "refill", "wilting"]
    how: Literal["theta", "tension", "fraction", "depletion"]
    value: Number
    top_cm: Number | None = None
    bottom_cm: Number | None = None
    stage: Literal["", "initial", "development", "mid", "late"] = ""


class MarkPicksIn(In):
    """Marks that would be picked together."""

    picks: list[MarkPickIn] = Field(min_length=1, max_length=40)


class SetIn(In):
    """A set that was applied; a time without offset is farm-local."""

    start: When
    hours: Annotated[Number, Field(gt=0, le=240)]
    gross_mm: Annotated[Number, Field(gt=0, le=500)]
    note: Annotated[str, StringConstraints(max_length=400)] = ""


class UploadForm(BaseModel):
    """A logger file."""

    file: FileStorage
    sheet: Annotated[str, Field(max_length=100)] = ""


class FilePath(BaseModel):
    """An uploaded file's token."""

    token: str


class FileQuery(In):
    """How to take the file's rows; found out if absent."""

    rows_hold: Literal["time", "reading"] | None = None


class ColumnOut(Out):
    """A column of the file."""

    name: str
    unit: str
    samples: list[str]
    is_time: bool


class TableTextOut(Out):
    """A table as text, and the sheets of the spreadsheet it is from."""

    text: str
    sheets: list[str]


class FileOut(Out):
    """What the head of an uploaded file shows, and how it could be read.

    Where a row holds one reading, ``columns`` are what its rows say they belong to, by the columns ``said_by``.
    """

    token: str
    name: str
    size: int
    delimiter: str
    header_line: int | None
    units_line: int | None
    first_data_line: int
    date_order: Literal["ymd", "dmy", "mdy"]
    decimal: str
    head: list[str]
    columns: list[ColumnOut]
    cautions: list[Words]
    sheets: list[str] = Field(default=[], description="of a spreadsheet, the first or the one asked for is shown")
    rows_hold: Literal["time", "reading"]
    said_by: list[str]
    value_column: str
    suggestion: dict[str, str]
    time_zone: str
    matched: str


class PreviewIn(In):
    """A plan to try."""

    plan: ImportPlan


class RefusalOut(Out):
    """A refused row or cell."""

    line: int
    column: str
    reason: Words
    text: str


class PreviewRowOut(Out):
    """A row as it would be read."""

    line: int
    at: int
    local: str
    values: dict[str, float]


class PreviewOut(Out):
    """First rows and first refusals."""

    rows: list[PreviewRowOut]
    refusals: list[RefusalOut]


class RunIn(In):
    """A plan to import with; ``save_as`` remembers it."""

    plan: ImportPlan
    skip_refused: bool = False
    save_as: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""


class ImportPath(BaseModel):
    """A line of the import log."""

    id: Annotated[int, Field(ge=1, le=2**53)]


class JobPath(BaseModel):
    """A running import's token."""

    token: str


class ReportOut(Out):
    """What an import did."""

    status: str
    message: str
    rows_read: int
    readings_new: int
    readings_known: int
    cells_empty: int
    refused: int
    out_of_order: int
    first_at: str | None
    last_at: str | None
    refusals: list[RefusalOut]
    notes: list[str]
    changed: list[BlockChange]


class JobOut(Out):
    """Progress of an import, and its report when it is over."""

    token: str
    file_name: str
    done_bytes: int
    total_bytes: int
    finished: bool
    error: str
    report: ReportOut | None


class PastImportOut(Out):
    """A line of the import log."""

    id: int
    file_name: str
    status: str
    started_at: str
    rows_read: int
    readings_new: int
    readings_known: int
    refused: int
    message: str
    can_be_undone: bool


class PastImportsOut(Out):
    """The import log, newest first."""

    imports: list[PastImportOut]


Token = Annotated[str, StringConstraints(max_length=80)]


class CurveIn(In):
    """Horizons as they are typed."""

    horizons: list[HorizonPart] = Field(min_length=1, max_length=20)


class SystemFactsIn(In):
    """A system as it is typed; the area [ha] gives the flow it asks."""

    system: SystemPart
    block_area_ha: Positive | None = None
    wetted_width_m: Positive | None = None


class OutlineIn(In):
    """Corners, longitude then latitude; the entered area [ha] is compared."""

    outline: list[tuple[Longitude, Latitude]] = Field(max_length=2000)
    entered_ha: Positive | None = None


class UniformityIn(In):
    """Catches [mm] or flows [L/h] as they are typed."""

    values: list[Annotated[Number, Field(ge=0)]] = Field(max_length=500)
    kept_fraction: Annotated[Number, Field(gt=0, le=1)] = 1.0


class WettedIn(In):
    """What the wetted share follows from; without the bulb's width only the usual one is given."""

    horizon: HorizonPart | None = None
    bulb_m: Positive | None = None
    emitter_spacing_m: Positive = 1.0
    lines_per_row: Positive = 1.0
    row_spacing_m: Positive = 1.0


class TubesIn(In):
    """Depths [cm] for a cut-and-mark list."""

    depths_cm: list[Annotated[Number, Field(gt=0, le=500)]] = Field(min_length=1, max_length=20)
    stick_out_cm: Positive | None = None
    overhang_cm: Annotated[Number, Field(ge=0)] | None = None
    prices: dict[str, Annotated[Number, Field(ge=0)]] = {}


class TubeOut(Out):
    """A tube to cut."""

    label: Words
    depth_cm: float
    length_cm: float
    soil_line_cm: float


class TubesOut(Out):
    """The list."""

    tubes: list[TubeOut]
    parts: list[TubePartOut]
    cost: float
    sets: list[DepthSetOut]


class StationPath(BaseModel):
    """A station by the keys of its block and its own."""

    block: Token
    station: Token


class KeyPath(BaseModel):
    """A record's key."""

    key: Token


class RecordPath(BaseModel):
    """A record by its list in the farm document and its key; 'devices' for a device."""

    kind: Token
    key: Token


class CloseIn(In):
    """Closing a run; ``even_failed`` keeps what is outside its limits, ``at`` is when it was finished if not now."""

    even_failed: bool = False
    at: When | None = None


class SwapIn(In):
    """Making a swap; ``with_readings`` exchanges the readings stored so far too."""

    with_readings: bool = True


class DeletedOut(Out):
    """What was deleted or brought back."""

    kind: str
    key: str
    deleted: bool


class PhotoForm(BaseModel):
    """A photo."""

    photo: FileStorage


class PhotoOut(Out):
    """The key a photo is found by."""

    key: str


class DocumentQuery(BaseModel):
    """Whether photos come along."""

    photos: bool = False
