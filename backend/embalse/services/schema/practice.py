"""What people in the field tell: sensors found, stages seen, rain dug for, marks of depth, and comparisons."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.crop.stage_names import check_stage_name
from embalse.core.errors import CoreError
from embalse.core.install.depth_marks import SCHEMES, DepthMark, check_marks
from embalse.services.schema.base import Day, Key, Name, Note, Number, Part, Positive, RecordKey, refuse, wrong
from embalse.services.schema.ground import SensorRef, StationRef
from embalse.services.schema.soil_water import ChosenPart

Short = Annotated[str, StringConstraints(max_length=40, strip_whitespace=True)]
Celsius = Annotated[Number, Field(ge=-40, le=60)]


class SensorFindingPart(ChosenPart):
    """What is known of an inherited sensor; without a depth it is recorded and watched, and never advises."""

    sensor: SensorRef
    depth_cm: Annotated[Number, Field(gt=0, le=500)] | None = Field(None, description="found by digging")
    kind: Short = Field("", description="what it most likely is")
    note: Note = ""


class ZoneAcceptancePart(ChosenPart):
    """A station of another block is accepted for a block, though they differ; with the reason."""

    block: Key
    station: StationRef
    note: Annotated[Note, Field(min_length=1)]


class StageSeenPart(ChosenPart):
    """A growth stage seen in the field, by the trade's name; the day it is valid from is the day it was seen."""

    block: Key
    stage: Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
    crop: Name = Field(description="the crop it was seen in: the name belongs to it")
    note: Note = ""

    @model_validator(mode="after")
    def _a_name(self) -> Self:
        try:
            check_stage_name(self.crop, self.stage)
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class RainNotePart(ChosenPart):
    """Rain of one day at a block, by its own gauge or by how deep the soil was found wet; in place of the farm's."""

    block: Key
    gauge_mm: Annotated[Number, Field(ge=0, le=1000)] | None = None
    wet_to_cm: Annotated[Number, Field(ge=0, le=200)] | None = Field(None, description="found wet by digging after it")
    note: Note = ""

    @model_validator(mode="after")
    def _one(self) -> Self:
        if self.gauge_mm is None and self.wet_to_cm is None:
            raise wrong("give what the gauge held, or how deep the soil was wet", "gauge_mm")
        return self


class DepthMarkPart(Part):
    """How one depth is marked."""

    depth_cm: Positive | None = Field(None, description="a depth of its own; absent for the first, second … sensor")
    number: Short = ""
    colour: Short = ""
    knots: Annotated[int, Field(ge=0, le=12)] | None = None


class DepthSchemePart(ChosenPart):
    """How the farm marks depths on tags, wires and drawings."""

    scheme: Literal["counted down", "counted up", "own"]
    marks: list[DepthMarkPart] = Field([], max_length=12)
    note: Note = ""

    def core(self) -> list[DepthMark]:
        """The marks as the core knows them."""
        if self.scheme != "own":
            return list(SCHEMES[self.scheme])
        return [DepthMark(m.depth_cm, m.number, m.colour, m.knots) for m in self.marks]

    @model_validator(mode="after")
    def _tells_apart(self) -> Self:
        try:
            check_marks(self.core())
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class LoggerMemoryPart(ChosenPart):
    """A logger that is read out by hand: how much it holds, how often it writes, when it was last read out."""

    station: StationRef
    holds: Annotated[Number, Field(gt=0, le=1e8)] = Field(description="readings a channel until it writes over itself")
    every_min: Annotated[Number, Field(gt=0, le=1440)]
    read_out: Day
    note: Note = ""


class AirLimitPart(ChosenPart):
    """From which air temperatures somebody wants to be told."""

    frost_c: Celsius | None = None
    heat_c: Celsius | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.frost_c is None and self.heat_c is None:
            raise wrong("give a limit for frost, for heat, or both", "frost_c")
        if self.frost_c is not None and self.heat_c is not None and self.frost_c >= self.heat_c:
            raise wrong("must lie above the limit for frost", "heat_c")
        return self


class ComparisonPart(Part):
    """Two blocks of one farm watered in two ways over a season: one by habit, one by advice."""

    key: RecordKey
    block: Key = Field(description="watered by habit")
    advised: Key = Field(description="watered by advice")
    first_day: Day
    last_day: Day | None = None
    habit_yield_t_ha: Annotated[Number, Field(ge=0, le=500)] | None = None
    advised_yield_t_ha: Annotated[Number, Field(ge=0, le=500)] | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _two(self) -> Self:
        if self.block == self.advised:
            raise wrong("must be another block than the one by habit", "advised")
        if self.last_day is not None and self.last_day <= self.first_day:
            raise wrong("must be after the first day", "last_day")
        return self


class BenchReadingPart(Part):
    """Repeats of one sensor on a day: in air, water or soil, at a supply voltage, in soil packed to a density."""

    key: RecordKey
    sensor: Name
    batch: Short = ""
    medium: Literal["air", "water", "soil"]
    readings: list[Number] = Field(min_length=1, max_length=50)
    supply_v: Annotated[Number, Field(gt=0, le=30)] | None = None
    bulk_density_g_cm3: Annotated[Number, Field(ge=0.5, le=2.2)] | None = None
    theta: Annotated[Number, Field(ge=0, le=0.7)] | None = Field(None, description="water content of the soil, m³/m³")
    on: Day
    note: Note = ""
