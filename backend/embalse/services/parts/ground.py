"""Stations, sensors, devices and where each device is, as parts of the farm document."""

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, field_validator, model_validator
from pydantic_core import PydanticCustomError

from embalse.core.calibration import UNITS_OF, LinearCalibration, RawUnit, check_calibration
from embalse.core.errors import CoreError
from embalse.core.layers import layer_limits_cm
from embalse.services.parts.base import (
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


class CompanionPart(Part):
    """What else is measured at a sensor's depth; its readings are kept beside the sensor's."""

    quantity: Literal["temperature", "salinity"]
    channel: Annotated[str, StringConstraints(max_length=80)] = ""
    raw_unit: Literal["degC", "degF", "dS/m", "uS/cm"]

    @model_validator(mode="after")
    def _unit_fits(self) -> Self:
        if (self.quantity == "temperature") != self.raw_unit.startswith("deg"):
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
    companions: Annotated[list[CompanionPart], Field(max_length=2)] = []

    @field_validator("raw_unit")
    @classmethod
    def _of_water(cls, unit: RawUnit) -> RawUnit:
        if unit not in UNITS_OF["water"]:
            raise PydanticCustomError("unit", "'{unit}' belongs to a companion of the sensor", {"unit": unit})
        return unit

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
    bought_on: date | None = None
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
