"""Stations, sensors, devices and where each device is, as parts of the farm document."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, field_validator, model_validator
from pydantic_core import PydanticCustomError

from embalse.core.errors import CoreError
from embalse.core.sensors.calibration import TENSION_UNITS, UNITS_OF, Calibration, RawUnit, check_calibration, linear
from embalse.core.sensors.soils_meant import NotFor
from embalse.core.soil.layers import layer_limits_cm
from embalse.services.schema.base import (
    Day,
    Key,
    Latitude,
    Longitude,
    Name,
    Note,
    Number,
    Part,
    Positive,
    When,
    refuse,
    wrong,
)

SensorType = Literal[
    "profile probe", "capacitance probe", "capacitance sensor", "home-made capacitance sensor",
    "granular matrix sensor", "tensiometer", "other",
]  # fmt: skip
SensorRef = Annotated[
    str, StringConstraints(pattern=r"^[a-z0-9._-]+/[a-z0-9._-]+/[a-z0-9._-]+$", strip_whitespace=True)
]
StationRef = Annotated[str, StringConstraints(pattern=r"^[a-z0-9._-]+/[a-z0-9._-]+$", strip_whitespace=True)]


class CurvePart(Part):
    """A fitted curve: its coefficients in the order of its formula, their covariance, and what it was fitted to."""

    model: Literal["linear", "quadratic", "power", "refractive", "topp"] = Field(
        description="θ = a + b·raw; a + b·raw + c·raw²; exp(a)·raw^b; a + b·√raw; Topp, Davis & Annan 1980"
    )
    coefficients: list[Number] = Field([], max_length=3)
    covariance: list[list[Number]] = Field([], max_length=3)
    raw_low: Number | None = None
    raw_high: Number | None = None
    per_degree: Number = Field(0.0, description="raw units a degree above reference_c, taken off first")
    reference_c: Annotated[Number, Field(ge=-10, le=60)] = 20.0
    sheet: Annotated[str, StringConstraints(max_length=60)] = Field("", description="sample sheet it was fitted to")
    not_for: list[NotFor] = Field([], max_length=3, description="soils the curve is not meant for")


class CalibrationPart(Part):
    """θ = intercept + slope × raw, or another curve, from a date on."""

    valid_from: Day = Field(description="first farm-local day it is in force")
    slope: Number | None = None
    intercept: Number = 0.0
    rmse_theta: Annotated[Number, Field(ge=0, le=0.2)] | None = Field(None, description="standard error, m³/m³")
    note: Note = ""
    curve: CurvePart | None = Field(None, description="instead of slope and intercept")
    entered: When | None = Field(None, description="when it became known; answers as of before do not use it")
    withdrawn: When | None = Field(None, description="when it was taken back")

    def core(self, valid_from: float, name: str = "") -> Calibration:
        """The calibration as the core knows it, in force from an instant [s, UTC]."""
        return core_calibration(self, valid_from, name)

    @model_validator(mode="after")
    def _gives_water(self) -> Self:
        if (self.slope is None) == (self.curve is None):
            raise wrong("give a slope, or a curve", "slope")
        try:
            check_calibration(self.core(0.0))
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


def core_calibration(part: CalibrationPart, valid_from: float, name: str) -> Calibration:
    """A part as the core knows it."""
    curve = part.curve
    if curve is None:
        return linear(valid_from, part.slope or 0.0, part.intercept, part.rmse_theta, part.note)
    known = curve.raw_low is not None and curve.raw_high is not None
    return Calibration(
        valid_from,
        curve.model,
        tuple(curve.coefficients),
        part.rmse_theta,
        part.note,
        covariance=tuple(tuple(row) for row in curve.covariance),
        raw_range=(curve.raw_low or 0.0, curve.raw_high or 0.0) if known else None,
        per_degree=curve.per_degree,
        reference_c=curve.reference_c,
        name=name or curve.sheet,
        not_for=tuple(curve.not_for),
    )


class CompanionPart(Part):
    """What else is measured at a sensor's depth; its readings are kept beside the sensor's."""

    quantity: Literal["temperature", "salinity", "trunk", "air", "leaf-wetness", "water-on"]
    channel: Annotated[str, StringConstraints(max_length=80)] = ""
    raw_unit: Literal["degC", "degF", "dS/m", "uS/cm", "mm", "um", "%", "count", "mV", "min", "on", "kPa"]

    @model_validator(mode="after")
    def _unit_fits(self) -> Self:
        if self.raw_unit not in UNITS_OF[self.quantity]:
            raise wrong(f"'{self.raw_unit}' is no unit of {self.quantity}", "raw_unit")
        return self


class SensorPart(Part):
    """A sensor at one depth; its key is its depth unless given."""

    key: Key | None = None
    type: SensorType = "capacitance probe"
    depth_cm: Annotated[Number, Field(gt=0, le=500)]
    channel: Annotated[str, StringConstraints(max_length=80)] = Field(
        "", description="name of its column in logger files"
    )
    raw_unit: RawUnit = "m3/m3"
    calibrations: list[CalibrationPart] = []
    companions: Annotated[list[CompanionPart], Field(max_length=6)] = []
    gauge_above_cm: Annotated[Number, Field(ge=0, le=400)] | None = Field(
        None, description="how far a tensiometer's gauge stands above its cup; its water column is taken off"
    )

    @field_validator("raw_unit")
    @classmethod
    def _of_water(cls, unit: RawUnit) -> RawUnit:
        if unit not in UNITS_OF["water"]:
            raise PydanticCustomError("unit", "'{unit}' belongs to a companion of the sensor", {"unit": unit})
        return unit

    @model_validator(mode="after")
    def _gauge(self) -> Self:
        if self.gauge_above_cm and self.raw_unit != "kPa":
            raise wrong("only a gauge in kPa stands above its cup", "gauge_above_cm")
        if self.calibrations and self.raw_unit in TENSION_UNITS:
            raise wrong("a tension sensor's water follows from the soil's curve: it takes no calibration", "raw_unit")
        return self

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
    longitude: Longitude | None = None
    latitude: Latitude | None = None
    installed: When | None = Field(None, description="when it went in; without it the station counts as settled")
    moved: When | None = Field(None, description="when it was last moved; it settles again from then")
    removed: When | None = Field(None, description="when it was taken out; it gives no advice from then")
    settle_days: Annotated[Number, Field(gt=0, le=365)] | None = Field(
        None, description="days after which it counts as settled whatever it saw; 14 if absent"
    )
    stands_for: list[Key] = Field([], description="other blocks it stands for")
    read_every_days: Annotated[Number, Field(ge=0.5, le=90)] | None = Field(
        None, description="days between its rounds by hand; without it no round is expected"
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
        channels = [s.channel for s in self.sensors if s.channel]
        channels += [c.channel for s in self.sensors for c in s.companions if c.channel]
        twice = next((c for c in channels if channels.count(c) > 1), None)
        if twice:
            raise wrong(f"two sensors share the channel '{twice}'", "sensors")
        if (self.longitude is None) != (self.latitude is None):
            raise wrong("give longitude and latitude, or neither", "latitude")
        return self


class DevicePart(Part):
    """A sensor of the register, as a thing with a serial number."""

    key: Key
    type: SensorType
    serial: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""
    batch: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""
    cost: Annotated[Number, Field(ge=0)] | None = Field(None, description="in the farm's own currency")
    bought_on: Day | None = None
    shelf: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = Field(
        "", description="where it lies while it is not in the ground"
    )
    note: Note = ""
    calibrations: list[CalibrationPart] = Field([], description="go with the device wherever it is put")


class PlacementPart(Part):
    """A device put in a sensor's place; what was there before comes out at that moment."""

    sensor: SensorRef
    device: Key
    since: When
    until: When | None = None
    why: Note = ""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.until is not None and self.until.replace(tzinfo=None) <= self.since.replace(tzinfo=None):
            raise wrong("must be after 'since'", "until")
        return self
