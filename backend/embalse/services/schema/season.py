"""Plantings and harvests, as parts of the farm document."""

from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.crop.crop_library import CROP_ENTRIES
from embalse.services.schema.base import Key, Name, Note, Number, Part, Positive, RecordKey, When, Who, wrong
from embalse.services.schema.soil_water import ChosenPart

Tonnes = Annotated[Number, Field(ge=0, le=500)]


class PlantingPart(ChosenPart):
    """A planting of a block, in place of the block's own crop from its first day on (``valid_from``)."""

    block: Key
    crop: Name
    variety: Annotated[str, StringConstraints(max_length=80)] = ""
    purpose: Annotated[str, StringConstraints(max_length=80)] = Field("", description="grain, silage, fresh market …")
    crop_values: dict[str, Number] = Field({}, description="values changed from the library: stages, Kc, tension")
    root_depth_cm: Annotated[Number, Field(gt=0, le=500)] | None = None
    allowable_depletion_fraction: Annotated[Number, Field(gt=0, lt=1)] | None = None
    yield_aim_t_ha: Positive | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _values(self) -> Self:
        for name, value in self.crop_values.items():
            if name not in CROP_ENTRIES or name in ("root_depth_cm", "allowable_depletion_fraction"):
                raise wrong(f"'{name}' is no value of a crop", "crop_values")
            _, unit, low, high = CROP_ENTRIES[name]
            if not low <= value <= high:
                raise wrong(f"must lie between {low:g} and {high:g} {unit}".rstrip(), f"crop_values.{name}")
        return self


class MeterReadingPart(Part):
    """What the water meter of a supply showed at a moment."""

    key: RecordKey
    supply: Key
    at: When
    meter_m3: Annotated[Number, Field(ge=0)]
    new_meter: bool = Field(False, description="the meter was changed or turned over: it counts from here")
    who: Who = ""
    note: Note = ""


class HarvestPart(ChosenPart):
    """A harvest or a cutting as it happened, on its day (``valid_from``)."""

    block: Key
    kind: Literal["harvest", "cutting"] = "harvest"
    yield_t_ha: Tonnes | None = None
    ends: bool = Field(False, description="nothing stands afterwards")
    note: Note = ""
