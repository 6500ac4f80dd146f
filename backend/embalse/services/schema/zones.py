"""Zones and soil zones of a block, drawn or derived, as parts of the document."""

from typing import Annotated, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.errors import CoreError
from embalse.core.install.boundary import checked_ring
from embalse.services.schema.base import Key, Name, Note, Part, refuse, wrong
from embalse.services.schema.land import Latitude, Longitude
from embalse.services.schema.soil_water import ChosenPart

Ring = Annotated[list[tuple[Longitude, Latitude]], Field(min_length=3, max_length=500)]


class AreaPart(Part):
    """A part of a block's ground: rings of corners, a ring within a ring being a hole; none is the rest of it."""

    rings: list[Ring] = Field([], max_length=40, description="longitude, latitude; the rest of the block if empty")

    @model_validator(mode="after")
    def _sound(self) -> Self:
        for n, ring in enumerate(self.rings):
            try:
                checked_ring(ring)
            except CoreError as refusal:
                raise refuse(refusal, f"rings[{n}].") from refusal
        return self


class ZonePart(AreaPart):
    """A zone: its ground, the part of the block that waters it, and the station that tells its water.

    Its own stations do, unless one of another zone is named, which wants the reason why that was accepted.
    """

    name: Name
    shift: Annotated[str, StringConstraints(max_length=80)] = Field("", description="part of the block that waters it")
    station: Key | None = Field(None, description="station of another zone that stands for this one")
    accepted: Note = Field("", description="why it may stand for it though it stands elsewhere")

    @model_validator(mode="after")
    def _accepted(self) -> Self:
        if self.station is not None and not self.accepted:
            raise wrong("say why a station of another zone may stand for this one", "accepted")
        return self


class BlockZonesPart(ChosenPart):
    """Zones of a block from a day on; the latest hold, whole. None: one amount for all."""

    block: Key
    zones: list[ZonePart] = Field(max_length=12)
    note: Note = ""

    @model_validator(mode="after")
    def _more_than_one(self) -> Self:
        names = [z.name for z in self.zones]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice:
            raise wrong(f"'{twice}' is given twice", "zones")
        if len(self.zones) == 1:
            raise wrong("one zone is the block itself: draw two, or none", "zones")
        return self


class SoilAreaPart(AreaPart):
    """Ground of one soil."""

    soil: Key


class SoilZonesPart(ChosenPart):
    """Where a block's soils lie, from a day on; the latest hold, whole."""

    block: Key
    zones: list[SoilAreaPart] = Field(max_length=40)
    note: Note = ""
