"""Blocks, stations and zones with their state as GeoJSON, which any map program reads."""

import json
from typing import Any, Final, Literal, get_args

from embalse.services.advice.advise import round_content
from embalse.services.load import clock
from embalse.services.load.kept_zones import block_zones
from embalse.services.setup.stations import stations_content
from embalse.store import farm as farm_store

Layer = Literal["blocks", "stations", "zones"]
LAYERS: Final[tuple[Layer, ...]] = get_args(Layer)
Feature = dict[str, Any]


def features_json(layer: Layer, moment: str | None = None) -> str:
    """A layer of the farm at a farm-local moment as GeoJSON text; raises Conflict, ValueError."""
    made = {"blocks": _blocks, "stations": _stations, "zones": _zones}[layer](moment)
    return json.dumps({"type": "FeatureCollection", "features": made}, ensure_ascii=False)


def _feature(geometry: Feature | None, properties: Feature) -> Feature:
    return {"type": "Feature", "geometry": geometry, "properties": properties}


def _ring(corners: list[list[float]]) -> list[list[float]]:
    return corners if corners[0] == corners[-1] else [*corners, corners[0]]


def _blocks(moment: str | None) -> list[Feature]:
    land = farm_store.land()
    found = []
    for b in round_content(moment, with_working=False).blocks:
        corners = json.loads(land[b.key].outline) or []
        shape = {"type": "Polygon", "coordinates": [_ring([list(c) for c in corners])]} if len(corners) > 2 else None
        found.append(_feature(shape, {
            "block": b.key, "name": b.name, "crop": b.crop, "area_ha": b.area_ha, "group": b.group,
            "depletion_mm": b.depletion_mm, "trigger_mm": b.trigger_mm, "start_by": b.start_by_at,
            "refill": b.refill.mid_at if b.refill else None,
            "net_mm": b.advised.net_mm if b.advised else None,
            "gross_mm": b.advised.gross_mm if b.advised else None,
            "minutes": b.advised.set_time_min if b.advised else None, "reason": b.reason, "binding": b.binding,
        }))  # fmt: skip
    return found


def _stations(moment: str | None) -> list[Feature]:
    del moment  # where they are and how they stand is of today
    found = []
    for s in stations_content().stations:
        placed = s.longitude is not None and s.latitude is not None
        shape = {"type": "Point", "coordinates": [s.longitude, s.latitude]} if placed else None
        told = {"station": s.ref, "block": s.block, "name": s.name, "state": s.state, "depths_cm": s.depths_cm,
                "last_reading": s.last_reading_at}  # fmt: skip
        found.append(_feature(shape, told))
    return found


def _zones(moment: str | None) -> list[Feature]:
    farm = clock.the_farm()
    at = (clock.as_of(farm, moment), farm.time_zone)
    rows = farm_store.farm_rows()
    found = []
    for b in round_content(moment, with_working=False).blocks:
        part = block_zones(b.key, rows, at)
        for zone, drawn in zip(b.zones, part.zones if part else [], strict=False):
            rings = [[_ring([list(c) for c in ring])] for ring in drawn.rings]
            shape = {"type": "MultiPolygon", "coordinates": rings} if rings else None
            found.append(_feature(shape, {"block": b.key, **zone.model_dump()}))
    return found
