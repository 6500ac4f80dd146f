"""Samples, curves, marks picked and growth measured, as parts of the farm document."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.crop.growth import check_fruit_target
from embalse.core.errors import CoreError
from embalse.core.sensors.gravimetric_samples import WeighedSample, sample_water
from embalse.core.soil.mark_choices import MarkChoice, check_choice
from embalse.services.schema.base import Day, Key, Note, Number, Part, Positive, RecordKey, When, Who, refuse, wrong
from embalse.services.schema.ground import SensorRef

Stage = Literal["", "initial", "development", "mid", "late"]
Depth = Annotated[Number, Field(ge=0, le=500)]


class SamplePart(Part):
    """A sample: raw readings beside it, and the masses or the water content itself."""

    label: Annotated[str, StringConstraints(max_length=40)] = ""
    sensor: SensorRef | None = Field(None, description="the sensor whose readings stand beside it")
    raw: list[Number] = Field(min_length=1, max_length=20, description="repeats, in the sensor's raw unit")
    temperature_c: Annotated[Number, Field(ge=-10, le=60)] | None = None
    tare_g: Number | None = None
    wet_g: Number | None = None
    dry_g: Number | None = None
    ring_volume_cm3: Positive | None = None
    bulk_density_g_cm3: Positive | None = None
    stones_fraction: Annotated[Number, Field(ge=0, lt=0.9)] = 0.0
    oven_c: Positive | None = None
    oven_h: Positive | None = None
    theta: Annotated[Number, Field(ge=0, le=0.7)] | None = Field(None, description="instead of the masses, m³/m³")
    soil: Annotated[str, StringConstraints(max_length=40)] = ""
    depth_cm: Annotated[Number, Field(gt=0, le=500)] | None = None
    reference_theta: Annotated[Number, Field(ge=0, le=0.7)] | None = Field(
        None, description="a reference probe beside it, m³/m³"
    )
    left_out: Note = Field("", description="why it is kept but not used; empty when it is used")

    def weighed(self) -> WeighedSample | None:
        """The sample as weighed, None when only its water content is given."""
        if self.tare_g is None or self.wet_g is None or self.dry_g is None:
            return None
        return WeighedSample(
            self.tare_g, self.wet_g, self.dry_g, self.ring_volume_cm3, self.bulk_density_g_cm3, self.stones_fraction,
            self.oven_c, self.oven_h,
        )  # fmt: skip

    @model_validator(mode="after")
    def _water(self) -> Self:
        masses = [name for name in ("tare_g", "wet_g", "dry_g") if getattr(self, name) is None]
        if self.theta is not None:
            if len(masses) < 3:
                raise wrong("give the masses or the water content, not both", "theta")
            return self
        if masses:
            raise wrong("give tare, wet and dry mass, or the water content", masses[0])
        sample = self.weighed()
        assert sample is not None
        try:
            sample_water(sample)
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class SampleSheetPart(Part):
    """Samples taken and dried together, for one sensor type."""

    key: RecordKey
    name: Annotated[str, StringConstraints(min_length=1, max_length=80)]
    block: Key | None = None
    raw_unit: Literal["m3/m3", "%", "count", "mV", "permittivity", "Hz", "kHz", "us"]
    on: Day
    samples: list[SamplePart] = Field(max_length=400)
    who: Who = ""
    note: Note = ""


class ChosenPart(Part):
    """Something picked, in force from a day; it is withdrawn, not changed, so that past advice can be told again."""

    key: RecordKey
    valid_from: Day
    entered: When | None = Field(None, description="when it became known; set by the farm when absent")
    withdrawn: When | None = None
    who: Who = ""


class MarkChoicePart(ChosenPart):
    """A mark picked for a block: from which estimator, for which depths and stage, and why."""

    block: Key
    mark: Literal["full", "refill", "wilting"]
    how: Literal["theta", "tension", "fraction", "depletion"] = Field(
        description="what the value is: m³/m³ of the whole soil, kPa, share of available water that may be used, mm"
    )
    value: Positive
    top_cm: Depth | None = None
    bottom_cm: Depth | None = None
    stage: Stage = ""
    estimator: Annotated[str, StringConstraints(max_length=80)] = ""
    note: Annotated[Note, Field(min_length=1)]

    @model_validator(mode="after")
    def _a_mark(self) -> Self:
        if (self.top_cm is None) != (self.bottom_cm is None):
            raise wrong("give top and bottom, or neither", "bottom_cm")
        span = None if self.top_cm is None or self.bottom_cm is None else (self.top_cm, self.bottom_cm)
        try:
            check_choice(MarkChoice(self.mark, self.how, self.value, self.note, span, self.stage))
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class RetentionCurvePart(ChosenPart):
    """The curve of tension against water content picked for a horizon of a soil."""

    soil: Key
    top_cm: Depth
    bottom_cm: Annotated[Number, Field(gt=0, le=500)]
    kind: Literal["equation", "class", "points", "pairs"]
    points: list[tuple[Annotated[Number, Field(ge=0, le=1e5)], Annotated[Number, Field(gt=0, lt=0.8)]]] = Field(
        [], max_length=2000, description="tension kPa, water content of the whole soil m³/m³"
    )
    note: Note = ""


class GrowthDayPart(Part):
    """Stem lengths of one day, the same plants every day."""

    key: RecordKey
    block: Key
    at: When
    lengths_mm: dict[Annotated[str, StringConstraints(max_length=20)], Annotated[Number, Field(gt=0, le=20_000)]] = (
        Field(min_length=1, max_length=200, description="from a fixed base to the last collar, by plant")
    )
    who: Who = ""
    note: Note = ""


class FruitSamplePart(Part):
    """Diameters of fruit measured on one day."""

    key: RecordKey
    block: Key
    on: Day
    diameters_mm: list[Annotated[Number, Field(gt=0, le=500)]] = Field(min_length=1, max_length=500)
    at_harvest: bool = Field(False, description="measured at harvest, to hold against the target")
    who: Who = ""
    note: Note = ""


class FruitTargetPart(Part):
    """The size fruit should have at harvest; the key is the block's."""

    key: Key
    harvest: Day
    target_mm: Annotated[Number, Field(gt=0, le=500)]
    first_day: Day = Field(description="first day of the path")
    first_mm: Annotated[Number, Field(gt=0, le=500)] = Field(description="size on that day")
    note: Note = ""

    @model_validator(mode="after")
    def _a_path(self) -> Self:
        try:
            check_fruit_target(self.first_mm, self.target_mm, (self.harvest - self.first_day).days)
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self
