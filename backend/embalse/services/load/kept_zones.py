"""Zones and soil zones of a block as stored: those that hold at a moment, on the plane of its ground."""

import json
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from embalse.core.spatial.block_map import Area, area_of
from embalse.core.spatial.kept_zones import KeptZone, ZoneError, check_zones, shares_of
from embalse.core.spatial.kriging import Plane, plane_through
from embalse.core.wording import Notice
from embalse.services.load.in_force import Moment, in_force
from embalse.services.schema.water import BlockShiftsPart
from embalse.services.schema.zones import AreaPart, BlockZonesPart, SoilZonesPart
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.rows import BlockRow, FarmRows, StationRow

Floats = NDArray[np.float64]


def block_zones(block: str, rows: FarmRows, at: Moment) -> BlockZonesPart | None:
    """The zones of a block in force at an instant [s, UTC]; None where it has none."""
    found = in_force(_bodies(rows, "block_zones", block), at)
    part = BlockZonesPart.model_validate(found[-1]) if found else None
    return part if part is not None and part.zones else None


def soil_zones(block: str, rows: FarmRows, at: Moment) -> SoilZonesPart | None:
    """Where a block's soils lie, as in force at an instant [s, UTC]; None where nobody drew it."""
    found = in_force(_bodies(rows, "soil_zones", block), at)
    part = SoilZonesPart.model_validate(found[-1]) if found else None
    return part if part is not None and part.zones else None


def _bodies(rows: FarmRows, kind: str, block: str) -> list[dict[str, object]]:
    return [json.loads(r.body) for r in rows.chosen if r.kind == kind and r.subject == block]


def areas_on(plane: Plane, parts: Sequence[AreaPart]) -> list[Area]:
    """Areas of the document as rings on a plane [m]."""
    return [[plane.metres(ring) for ring in part.rings] for part in parts]


def kept_zones(row: BlockRow, rows: FarmRows, at: Moment) -> list[KeptZone]:
    """The zones of a block with the stations that stand in each; empty without zones or an outline."""
    part = block_zones(row.key, rows, at)
    corners = _outline(row.key) if part is not None else []
    if part is None or len(corners) < 3:
        return []
    plane = plane_through(corners)
    areas, stations = areas_on(plane, part.zones), _placed(rows.stations.get(row.id, []))
    inside = area_of(plane.metres([place for _, place in stations]), areas)
    shares = shares_of(plane.metres(corners), areas)
    names = {s.key: s.name for s, _ in stations}
    found = []
    for n, zone in enumerate(part.zones):
        mine = tuple(s.key for (s, _), k in zip(stations, inside.tolist(), strict=True) if k == n)
        if zone.station is None:
            found.append(KeptZone(zone.name, shares[n], mine, zone.shift))
        else:
            name = names.get(zone.station, zone.station)
            found.append(KeptZone(zone.name, shares[n], (zone.station,), zone.shift, name, zone.accepted))
    return found


def check_parted(part: BlockZonesPart) -> None:
    """Refuse zones that do not part their block, or name what it does not have; raises CoreError."""
    corners = _outline(part.block)
    if len(corners) < 3:
        raise ZoneError("block", Notice("kept_zones.no_outline"))
    plane = plane_through(corners)
    areas = areas_on(plane, part.zones)
    check_zones(plane.metres(corners), areas, [z.name for z in part.zones])
    rows = farm_store.farm_rows([part.block])
    stations = dict(_placed(rows.stations.get(rows.blocks[0].id, [])))
    places = {s.key: place for s, place in stations.items()}
    shifts = _shifts(part.block)
    for n, zone in enumerate(part.zones):
        if zone.shift and zone.shift not in shifts:
            raise ZoneError(f"zones[{n}].shift", Notice("kept_zones.no_shift", shift=zone.shift))
        if zone.station is None:
            continue
        if zone.station not in places:
            raise ZoneError(f"zones[{n}].station", Notice("kept_zones.elsewhere", station=zone.station))
        if int(area_of(plane.metres([places[zone.station]]), areas)[0]) == n:
            raise ZoneError(f"zones[{n}].station", Notice("kept_zones.inside", station=zone.station))


def _shifts(block: str) -> set[str]:
    """Names of the parts a block is or was watered in, those to come too."""
    bodies = [json.loads(r.body) for r in record_store.records("block_shifts", block)]
    return {shift.name for body in bodies if body["withdrawn"] is None
            for shift in BlockShiftsPart.model_validate(body).shifts}  # fmt: skip


def _outline(block: str) -> list[tuple[float, float]]:
    return [(c[0], c[1]) for c in json.loads(farm_store.land(block)[block].outline) or []]


def _placed(stations: Sequence[StationRow]) -> list[tuple[StationRow, tuple[float, float]]]:
    return [(s, (s.longitude, s.latitude)) for s in stations if s.longitude is not None and s.latitude is not None]
