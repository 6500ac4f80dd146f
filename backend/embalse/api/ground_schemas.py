"""Bodies and queries of set-up, stations and bench."""

from typing import Annotated

from flask_openapi3 import FileStorage
from pydantic import BaseModel, Field, StringConstraints

from embalse.api.schemas import In, Out
from embalse.services.parts.base import Latitude, Longitude, Number, Positive, When
from embalse.services.parts.land import HorizonPart, SystemPart

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

    texture: Token
    bulb_m: Positive | None = None
    emitter_spacing_m: Positive = 1.0
    lines_per_row: Positive = 1.0
    row_spacing_m: Positive = 1.0


class TubesIn(In):
    """Depths [cm] for a cut-and-mark list."""

    depths_cm: list[Annotated[Number, Field(gt=0, le=500)]] = Field(min_length=1, max_length=20)
    stick_out_cm: Positive | None = None
    overhang_cm: Annotated[Number, Field(ge=0)] | None = None


class TubeOut(Out):
    """A tube to cut."""

    label: str
    depth_cm: float
    length_cm: float
    soil_line_cm: float


class TubesOut(Out):
    """The list."""

    tubes: list[TubeOut]


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
