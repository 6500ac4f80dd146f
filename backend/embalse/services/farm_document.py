"""The farm document: one JSON file that describes a farm, read by ``embalse apply`` and by the API."""

import re
from datetime import date, datetime
from typing import Annotated, Any, Literal, Self
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    Strict,
    StringConstraints,
    ValidationError,
    model_validator,
)
from pydantic_core import PydanticCustomError

from embalse.core.calibration import LinearCalibration, RawUnit, check_calibration
from embalse.core.decision import SetLimits, check_limits
from embalse.core.delivery import Emitters, application_rate_mm_h
from embalse.core.errors import CoreError
from embalse.core.layers import layer_limits_cm
from embalse.core.marks import Horizon, MarkEntry, check_profile, horizon_marks
from embalse.core.soil import FineEarth
from embalse.core.tabulated import texture_sand_clay

Number = Annotated[float, Strict(), Field(allow_inf_nan=False)]
Positive = Annotated[Number, Field(gt=0)]
Fraction = Annotated[Number, Field(ge=0, le=1)]
Key = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9._-]{0,39}$", strip_whitespace=True)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=80, strip_whitespace=True)]
Note = Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)]


def refuse(refusal: CoreError, under: str = "") -> PydanticCustomError:
    """A core refusal as a validation error that keeps its field."""
    field = f"{under}{refusal.field}"
    return PydanticCustomError("refused", "{reason}", {"reason": refusal.reason, "field": field})


def known_time_zone(name: str) -> str:
    """The name itself when the time-zone database has it."""
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as missing:
        raise PydanticCustomError(
            "time_zone", "'{name}' is not a time zone; use a name like Europe/Madrid", {"name": name}
        ) from missing
    return name


TimeZoneName = Annotated[str, AfterValidator(known_time_zone)]


class Part(BaseModel):
    """A part of the document: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)


class FarmPart(Part):
    """The farm: name, time zone, units shown."""

    name: Name
    time_zone: TimeZoneName = Field(description="IANA name, for example Europe/Madrid")
    units: Literal["metric", "us"] = "metric"


class HorizonPart(Part):
    """A soil horizon. Give a texture class, or sand and clay; marks set by hand need a reason."""

    top_cm: Annotated[Number, Field(ge=0)]
    bottom_cm: Positive
    texture: str | None = Field(None, description="USDA texture class; its representative sand and clay are used")
    sand_fraction: Fraction | None = None
    silt_fraction: Fraction | None = Field(None, description="optional, checked against sand and clay")
    clay_fraction: Fraction | None = None
    organic_matter_pct: Annotated[Number, Field(ge=0, le=20)] = Field(1.0, description="% by mass")
    stones_fraction: Annotated[Number, Field(ge=0, lt=1)] = Field(0.0, description="by volume of the whole soil")
    bulk_density_g_cm3: Positive | None = Field(None, description="of the fine earth; normal for the texture if absent")
    full_theta: Fraction | None = Field(None, description="full point set by hand, whole soil, m³/m³")
    full_reason: Note | None = None
    refill_theta: Fraction | None = Field(None, description="refill point set by hand, whole soil, m³/m³")
    refill_reason: Note | None = None
    wilting_theta: Fraction | None = Field(None, description="wilting point set by hand, whole soil, m³/m³")
    wilting_reason: Note | None = None

    @model_validator(mode="after")
    def _complete(self) -> Self:
        self._texture_given_once()
        for mark in ("full", "refill", "wilting"):
            if getattr(self, f"{mark}_theta") is not None and not getattr(self, f"{mark}_reason"):
                reason = "a mark set by hand needs a reason"
                raise PydanticCustomError("reason", "{reason}", {"reason": reason, "field": f"{mark}_reason"})
        try:
            horizon_marks(self.horizon())
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self

    def _texture_given_once(self) -> None:
        by_share = self.sand_fraction is not None and self.clay_fraction is not None
        if (self.texture is None) == (not by_share):
            reason = "give either a texture class, or sand and clay"
            raise PydanticCustomError("texture", "{reason}", {"reason": reason, "field": "texture"})
        if by_share and self.silt_fraction is not None:
            total = (self.sand_fraction or 0) + (self.clay_fraction or 0) + self.silt_fraction
            if abs(total - 1) > 0.015:
                reason = f"sand, silt and clay add up to {100 * total:.0f} %, not 100 %"
                raise PydanticCustomError("texture", "{reason}", {"reason": reason, "field": "sand_fraction"})

    def sand_clay(self) -> tuple[float, float]:
        """Sand and clay [-], from the shares or the texture class."""
        if self.texture is not None:
            return texture_sand_clay(self.texture)
        return self.sand_fraction or 0.0, self.clay_fraction or 0.0

    def horizon(self) -> Horizon:
        """The horizon as the core knows it."""
        sand, clay = self.sand_clay()

        def entry(mark: str) -> MarkEntry | None:
            theta = getattr(self, f"{mark}_theta")
            return None if theta is None else MarkEntry(theta, getattr(self, f"{mark}_reason") or "")

        earth = FineEarth(sand, clay, self.organic_matter_pct, self.bulk_density_g_cm3)
        return Horizon(
            self.top_cm, self.bottom_cm, earth, self.stones_fraction, entry("full"), entry("refill"), entry("wilting")
        )


class SoilPart(Part):
    """A soil: horizons from the surface down without gaps."""

    key: Key
    name: Name | None = None
    horizons: list[HorizonPart] = Field(min_length=1)

    @model_validator(mode="after")
    def _profile(self) -> Self:
        try:
            check_profile([h.horizon() for h in self.horizons])
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class SystemPart(Part):
    """An irrigation system. Give the application rate, or outlet flow and spacings from which it follows."""

    key: Key
    name: Name | None = None
    kind: Literal["drip", "micro", "sprinkler"]
    efficiency_fraction: Annotated[Number, Field(gt=0, le=1)]
    rate_mm_h: Positive | None = Field(None, description="over the whole block; overrides the outlets")
    flow_l_h: Positive | None = Field(None, description="of one emitter or sprinkler")
    spacing_m: Positive | None = Field(None, description="between outlets along the line")
    line_spacing_m: Positive | None = Field(
        None, description="between lines, or between rows with per_point lines each"
    )
    per_point: Positive = Field(1.0, description="outlets at each point; 2 for two lines a row")

    @model_validator(mode="after")
    def _rate_follows(self) -> Self:
        if self.rate_mm_h is None:
            if self.flow_l_h is None or self.spacing_m is None or self.line_spacing_m is None:
                reason = "give the rate, or flow_l_h, spacing_m and line_spacing_m"
                raise PydanticCustomError("rate", "{reason}", {"reason": reason, "field": "rate_mm_h"})
            application_rate_mm_h(Emitters(self.flow_l_h, self.spacing_m, self.line_spacing_m, self.per_point))
        return self


class CalibrationPart(Part):
    """θ = intercept + slope × raw, from a date on."""

    valid_from: date = Field(description="first farm-local day it is in force")
    slope: Number
    intercept: Number = 0.0
    rmse_theta: Annotated[Number, Field(ge=0, le=0.2)] | None = Field(None, description="standard error, m³/m³")
    note: Note = ""

    @model_validator(mode="after")
    def _gives_water(self) -> Self:
        try:
            check_calibration(LinearCalibration(0.0, self.slope, self.intercept, self.rmse_theta))
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class SensorPart(Part):
    """A sensor at one depth; its key is its depth unless given."""

    key: Key | None = None
    type: Literal["capacitance probe", "capacitance sensor", "other"] = "capacitance probe"
    depth_cm: Annotated[Number, Field(gt=0, le=500)]
    channel: Annotated[str, StringConstraints(max_length=80)] = Field(
        "", description="name of its column in logger files"
    )
    raw_unit: RawUnit = "m3/m3"
    calibrations: list[CalibrationPart] = []

    def ref(self) -> str:
        """Key within the station."""
        return self.key or f"{self.depth_cm:g}"


class StationPart(Part):
    """Sensors in one place."""

    key: Key
    name: Name | None = None
    bottom_cm: Positive | None = Field(
        None, description="lower limit of the last layer; symmetric about its sensor if absent"
    )
    sensors: list[SensorPart] = Field(min_length=1)

    @model_validator(mode="after")
    def _layers(self) -> Self:
        try:
            layer_limits_cm(sorted(s.depth_cm for s in self.sensors), self.bottom_cm)
        except CoreError as refusal:
            raise refuse(
                CoreError("sensors" if refusal.field == "depths_cm" else refusal.field, refusal.reason)
            ) from refusal
        return self


class BlockPart(Part):
    """An irrigation management unit."""

    key: Key
    name: Name | None = None
    area_ha: Annotated[Number, Field(gt=0, le=100_000)]
    crop: Name
    variety: Annotated[str, StringConstraints(max_length=80)] = ""
    planting_date: date | None = None
    soil: Key
    system: Key | None = None
    root_depth_cm: Annotated[Number, Field(gt=0, le=500)] | None = Field(
        None, description="FAO-56 Table 22, smaller value, if absent and the crop is in it"
    )
    root_depth_start_cm: Positive | None = Field(None, description="on the planting date; needs full_root_date")
    full_root_date: date | None = None
    allowable_depletion_fraction: Annotated[Number, Field(gt=0, lt=1)] | None = Field(
        None, description="p; FAO-56 Table 22 if absent and the crop is in it"
    )
    wetted_fraction: Annotated[Number, Field(gt=0, le=1)] | None = Field(
        None,
        description="share of the ground that is wetted; must be given for drip and micro, 1 for sprinkler if absent",
    )
    min_set_mm: Positive | None = Field(None, description="smallest practical set, net mm")
    max_set_mm: Positive | None = Field(None, description="largest practical set, net mm")
    stations: list[StationPart] = []

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        growth = (self.root_depth_start_cm, self.full_root_date)
        if any(g is not None for g in growth) and (
            None in growth or self.planting_date is None or self.root_depth_cm is None
        ):
            reason = "growing roots need root_depth_cm, root_depth_start_cm, planting_date and full_root_date"
            raise PydanticCustomError("roots", "{reason}", {"reason": reason, "field": "full_root_date"})
        if self.root_depth_start_cm and self.root_depth_cm and self.root_depth_start_cm > self.root_depth_cm:
            reason = "must be at most the full root depth"
            raise PydanticCustomError("roots", "{reason}", {"reason": reason, "field": "root_depth_start_cm"})
        if self.full_root_date and self.planting_date and self.full_root_date <= self.planting_date:
            reason = "must be after the planting date"
            raise PydanticCustomError("roots", "{reason}", {"reason": reason, "field": "full_root_date"})
        try:
            check_limits(SetLimits(self.wetted_fraction or 1.0, self.min_set_mm, self.max_set_mm))
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class SetPart(Part):
    """An irrigation that was applied. Times without an offset are farm-local."""

    block: Key
    start: datetime
    hours: Annotated[Number, Field(gt=0, le=240)]
    gross_mm: Annotated[Number, Field(gt=0, le=500)]
    note: Note = ""


class RainPart(Part):
    """Rain of one farm-local day."""

    day: date
    depth_mm: Annotated[Number, Field(ge=0, le=1000)]
    note: Note = ""


class FarmDocument(Part):
    """A farm, or a part of one. What is named is created or updated; what is not named is left as it is."""

    embalse: Literal[1] = Field(description="version of this format")
    farm: FarmPart | None = None
    soils: list[SoilPart] = []
    systems: list[SystemPart] = []
    blocks: list[BlockPart] = []
    sets: list[SetPart] = []
    rain: list[RainPart] = []

    @model_validator(mode="after")
    def _keys_once(self) -> Self:
        for name, keys in (
            ("soils", [s.key for s in self.soils]),
            ("systems", [s.key for s in self.systems]),
            ("blocks", [b.key for b in self.blocks]),
        ):
            twice = next((k for k in keys if keys.count(k) > 1), None)
            if twice:
                raise PydanticCustomError("twice", "{reason}", {"reason": f"'{twice}' is given twice", "field": name})
        return self


class PathError(BaseModel):
    """One thing wrong in a document: where, as a path, and why."""

    path: str
    reason: str


class DocumentErrors(ValueError):
    """A document that was refused; nothing of it was stored."""

    def __init__(self, errors: list[PathError]) -> None:
        super().__init__("; ".join(f"{e.path}: {e.reason}" for e in errors))
        self.errors = errors


def path_errors(invalid: ValidationError) -> list[PathError]:
    """Validation errors with paths like ``blocks[2].stations[0].sensors[1].depth_cm``."""
    return [PathError(path=_path(e["loc"], e.get("ctx", {})), reason=_reason(e)) for e in invalid.errors()]


def _path(loc: tuple[int | str, ...], context: dict[str, Any]) -> str:
    text = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in loc)
    if context.get("field"):
        text += f".{context['field']}"
    return text.lstrip(".") or "document"


def _reason(error: Any) -> str:
    if error["type"] == "extra_forbidden":
        return "unknown field; see docs/farm.schema.json"
    return re.sub(r"^(Input|Value error, input) should", "should", error["msg"])


def parse_document(content: str | bytes) -> FarmDocument:
    """A farm document from JSON text; raises DocumentErrors with the path of everything wrong."""
    try:
        return FarmDocument.model_validate_json(content)
    except ValidationError as invalid:
        raise DocumentErrors(path_errors(invalid)) from invalid
