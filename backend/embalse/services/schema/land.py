"""The farm, its soils, systems, supplies and blocks, as parts of the farm document."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator
from pydantic_core import PydanticCustomError

from embalse.core.crop.crop_library import CROP_ENTRIES
from embalse.core.delivery.delivery import Emitters, SystemKind, application_rate_mm_h, check_rate
from embalse.core.delivery.irrigation_rules import SetLimits, check_limits
from embalse.core.delivery.moving_systems import Furrows, Pivot, furrow_rate_mm_h, pivot_rate_mm_h
from embalse.core.errors import CoreError
from embalse.core.install.boundary import area_ha
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, check_profile, horizon_marks
from embalse.core.soil.soil import FineEarth
from embalse.core.tables import texture_sand_clay
from embalse.services.schema.base import (
    Day,
    Fraction,
    Key,
    Latitude,
    Longitude,
    Name,
    Note,
    Number,
    Part,
    Positive,
    TimeZoneName,
    refuse,
    wrong,
)
from embalse.services.schema.ground import StationPart


class FarmPart(Part):
    """The farm: name, time zone, units shown."""

    name: Name
    time_zone: TimeZoneName = Field(description="IANA name, for example Europe/Madrid")
    units: Literal["metric", "us"] = "metric"


Clock = Annotated[str, StringConstraints(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]


class TariffPart(Part):
    """What water costs in a window of the day; clock times farm-local, the window may pass midnight."""

    start: Clock
    end: Clock
    price: Annotated[Number, Field(ge=0)] = Field(description="per m³, in the farm's own currency")
    name: Annotated[str, StringConstraints(max_length=40)] = ""


class SupplyPart(Part):
    """A pump or turnout: what it can give."""

    key: Key
    name: Name | None = None
    flow_m3_h: Positive | None = Field(None, description="largest flow")
    hours_per_day: Annotated[Number, Field(gt=0, le=24)] | None = None
    tariffs: list[TariffPart] = []


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
    restricts_roots: bool = Field(False, description="roots stop at the top of this horizon")

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
            self.top_cm,
            self.bottom_cm,
            earth,
            self.stones_fraction,
            entry("full"),
            entry("refill"),
            entry("wilting"),
            self.restricts_roots,
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


class PivotPart(Part):
    """A centre pivot."""

    length_m: Positive
    flow_m3_h: Positive
    turn_h: Positive = Field(description="hours of a turn at 100 % of the timer")
    first_excluded_m: Annotated[Number, Field(ge=0)] = Field(0.0, description="inner ring that is not watered")
    end_excluded_m: Annotated[Number, Field(ge=0)] = Field(0.0, description="outer ring that is not watered")
    depth_at_full_mm: Positive | None = Field(None, description="measured gross depth of a turn at 100 %")

    def pivot(self) -> Pivot:
        """The pivot as the core knows it."""
        return Pivot(**self.model_dump())


class FurrowsPart(Part):
    """Furrows or border strips that run together."""

    inflow_l_s: Positive = Field(description="into one furrow or strip")
    count: Annotated[int, Field(ge=1, le=10_000, strict=True)]
    spacing_m: Positive = Field(description="between furrows, or the width of a strip")
    length_m: Positive
    tailwater_fraction: Annotated[Number, Field(ge=0, lt=1)] = Field(0.0, description="share that runs off the end")

    def furrows(self) -> Furrows:
        """The furrows as the core knows them."""
        return Furrows(**self.model_dump())


class SystemPart(Part):
    """An irrigation system. Give the application rate, or outlet flow and spacings from which it follows."""

    key: Key
    name: Name | None = None
    kind: SystemKind
    efficiency_fraction: Annotated[Number, Field(gt=0, le=1)]
    rate_mm_h: Positive | None = Field(None, description="over the whole block; overrides the outlets")
    flow_l_h: Positive | None = Field(None, description="of one emitter or sprinkler")
    spacing_m: Positive | None = Field(None, description="between outlets along the line")
    line_spacing_m: Positive | None = Field(
        None, description="between lines, or between rows with per_point lines each"
    )
    per_point: Positive = Field(1.0, description="outlets at each point; 2 for two lines a row")
    pivot: PivotPart | None = None
    furrows: FurrowsPart | None = Field(None, description="for furrow and border")

    @model_validator(mode="after")
    def _rate_follows(self) -> Self:
        try:
            self._checked_rate()
        except CoreError as refusal:
            raise refuse(refusal, self._details()) from refusal
        return self

    def _details(self) -> str:
        return "pivot." if self.kind == "pivot" else "furrows." if self.kind in ("furrow", "border") else ""

    def _checked_rate(self) -> None:
        if self.kind == "pivot":
            if self.pivot is None:
                raise wrong("a pivot needs its length, flow and hours a turn", "pivot")
            check_rate(pivot_rate_mm_h(self.pivot.pivot()), "flow_m3_h")
        elif self.kind in ("furrow", "border"):
            if self.furrows is None:
                raise wrong(f"a {self.kind} system needs its inflow, count, spacing and length", "furrows")
            check_rate(furrow_rate_mm_h(self.furrows.furrows()), "inflow_l_s")
        elif self.rate_mm_h is None:
            if self.flow_l_h is None or self.spacing_m is None or self.line_spacing_m is None:
                raise wrong("give the rate, or flow_l_h, spacing_m and line_spacing_m", "rate_mm_h")
            emitters = Emitters(self.flow_l_h, self.spacing_m, self.line_spacing_m, self.per_point)
            check_rate(application_rate_mm_h(emitters), "flow_l_h")
        else:
            check_rate(self.rate_mm_h, "rate_mm_h")


class BlockPart(Part):
    """An irrigation management unit."""

    key: Key
    name: Name | None = None
    area_ha: Annotated[Number, Field(gt=0, le=100_000)]
    crop: Name
    variety: Annotated[str, StringConstraints(max_length=80)] = ""
    planting_date: Day | None = None
    soil: Key
    system: Key | None = None
    supply: Key | None = None
    slope_pct: Annotated[Number, Field(ge=0, le=60)] | None = None
    row_spacing_m: Positive | None = None
    plant_spacing_m: Positive | None = None
    outline: list[tuple[Longitude, Latitude]] | None = Field(
        None, description="corners, longitude then latitude in degrees", max_length=2000
    )
    crop_values: dict[str, Number] = Field(
        {}, description="values of the crop changed from the library: stages, Kc, tension"
    )
    root_depth_cm: Annotated[Number, Field(gt=0, le=500)] | None = Field(
        None, description="FAO-56 Table 22, smaller value, if absent and the crop is in it"
    )
    root_depth_start_cm: Positive | None = Field(None, description="on the planting date; needs full_root_date")
    full_root_date: Day | None = None
    allowable_depletion_fraction: Annotated[Number, Field(gt=0, lt=1)] | None = Field(
        None, description="p; FAO-56 Table 22 if absent and the crop is in it"
    )
    wetted_fraction: Annotated[Number, Field(gt=0, le=1)] | None = Field(
        None,
        description="share of the ground that is wetted; must be given for drip and micro, 1 for the others if absent",
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

    @model_validator(mode="after")
    def _land(self) -> Self:
        if self.outline is not None:
            try:
                area_ha(self.outline)
            except CoreError as refusal:
                raise refuse(refusal) from refusal
        for name, value in self.crop_values.items():
            if name in ("root_depth_cm", "allowable_depletion_fraction"):
                raise wrong(f"give {name} as the block's own field", f"crop_values.{name}")
            if name not in CROP_ENTRIES:
                raise wrong(f"'{name}' is no value of a crop; use one of: {', '.join(CROP_ENTRIES)}", "crop_values")
            _, unit, low, high = CROP_ENTRIES[name]
            if not low <= value <= high:
                raise wrong(f"must lie between {low:g} and {high:g} {unit}".rstrip(), f"crop_values.{name}")
        return self
