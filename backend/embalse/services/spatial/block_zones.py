"""Zones of a block between its stations: what each lacks now, what to give where, and what that saves."""

import json
from typing import Any, Final

import numpy as np
from contourpy import contour_generator
from numpy.typing import NDArray

from embalse.core.delivery.moving_systems import pivot_depth_mm
from embalse.core.spatial.block_map import BlockMap
from embalse.core.spatial.kriging import Plane
from embalse.core.spatial.zones import Amount, amounts, derive_zones, saving, sector_means, zones_of
from embalse.core.wording import Notice
from embalse.services.load.schemas import Content
from embalse.services.planning.plan_table import as_csv
from embalse.services.reader import say
from embalse.services.readings.known_then import as_known_then
from embalse.services.spatial.block_map import Between, between

Ints = NDArray[np.int64]
SECTORS: Final = 12
HEAD: Final = ("zone", "share", "area [ha]", "lies apart by [mm]", "lacks [mm]", "error [mm]", "gross [mm]")


class BlockZoneOut(Content):
    """A zone: its share of the block, how it lies to the block for good, what it lacks now, and what to give [mm]."""

    number: int
    share: float
    area_ha: float
    difference_mm: float
    lacks_mm: float
    error_mm: float
    gross_mm: float


class SectorOut(Content):
    """A sector of a pivot, from north by the clock [°]: gross depth [mm], speed over full [-]; null without a map."""

    from_deg: float
    to_deg: float
    gross_mm: float | None
    speed: float | None


class ZonesContent(Content):
    """Zones of a block at a farm-local moment; ``why_not`` says why there is one amount for all."""

    key: str
    name: str
    as_of: str
    why_not: str
    zones: list[BlockZoneOut]
    cells: list[int]
    uniform_mm: float | None
    by_zone_mm: float | None
    saved_mm: float | None
    saved_error_mm: float | None
    words: str
    sectors: list[SectorOut]


@as_known_then
def zones_content(key: str, moment: str | None = None) -> ZonesContent:
    """Zones of a block at a farm-local moment; raises as :func:`map_content` does."""
    return _parted(between(key, moment, "depletion"))


def _parted(told: Between) -> ZonesContent:
    found, zones, why = _zones(told)
    if found is None:
        return _content(told, [], np.empty(0, dtype=np.int64), why)
    kept = told.field.block.system.efficiency_fraction if told.field.block.system else 1.0
    given = amounts(found, zones, found.fitted.values, kept)
    return _content(told, given, zones, why)


def _zones(told: Between) -> tuple[BlockMap | None, Ints, str]:
    nothing = np.empty(0, dtype=np.int64)
    if told.found is None:
        return None, nothing, told.why_not
    if not told.stood:
        return None, nothing, told.why_no_stands
    zones = derive_zones(told.found.grid, _lasting(told), told.doubt_mm)
    return told.found, zones, say(Notice("zones.one")) if zones.max() == 0 else ""


def _lasting(told: Between) -> NDArray[np.float64]:
    """Mean difference of every cell from the block, more is wetter [mm]."""
    assert told.found is not None
    by_key = {n.station.key: one.difference for n, one in zip(told.nodes, told.stood, strict=True)}
    used = [told.told[place].station.key for place in told.found.used.tolist()]
    lasting: NDArray[np.float64] = told.found.weights @ np.array([by_key[key] for key in used])
    return lasting


def _content(told: Between, given: list[Amount], zones: Ints, why: str) -> ZonesContent:
    row = told.field.row
    apart = zones_of(zones, _lasting(told)) if given else []
    saved = saving(zones, given) if given else None
    words = ""
    if saved is not None and not why:
        words = say(Notice("zones.saved", saved_mm=saved.saved_mm, doubt_mm=saved.error_mm))
    return ZonesContent(
        key=row.key,
        name=row.name,
        as_of=told.as_of,
        why_not=why,
        zones=[
            BlockZoneOut(
                number=z.number + 1,
                share=z.share,
                area_ha=z.share * row.area_ha,
                difference_mm=z.mean,
                lacks_mm=a.lacks_mm,
                error_mm=a.error_mm,
                gross_mm=a.gross_mm,
            )
            for z, a in zip(apart, given, strict=True)
        ],
        cells=zones.tolist(),
        uniform_mm=saved.uniform_mm if saved else None,
        by_zone_mm=saved.by_zone_mm if saved else None,
        saved_mm=saved.saved_mm if saved else None,
        saved_error_mm=saved.error_mm if saved else None,
        words=words,
        sectors=_sectors(told) if given else [],
    )


def _sectors(told: Between) -> list[SectorOut]:
    """Of a pivot that goes round: gross depth by sector, and its speed over that of full speed."""
    system = told.field.block.system
    if told.found is None or system is None or system.kind != "pivot" or system.pivot is None:
        return []
    corners = told.outline
    centre = (corners.min(axis=0) + corners.max(axis=0)) / 2
    lacks = sector_means(told.found.grid, told.found.weights @ told.found.fitted.values,
                         (float(centre[0]), float(centre[1])), SECTORS)  # fmt: skip
    width = 360 / SECTORS
    found = []
    for n, one in enumerate(lacks):
        gross = None if one is None else max(0.0, one) / system.efficiency_fraction
        speed = None if not gross else min(1.0, pivot_depth_mm(system.pivot) / gross)
        found.append(SectorOut(from_deg=n * width, to_deg=(n + 1) * width, gross_mm=gross, speed=speed))
    return found


@as_known_then
def zones_geojson(key: str, moment: str | None = None) -> str:
    """The zones with their amounts as GeoJSON text, a feature a zone; none where there is one amount for all."""
    told = between(key, moment, "depletion")
    content = _parted(told)
    features: list[dict[str, Any]] = []
    if told.found is not None and not content.why_not:
        for zone in content.zones:
            shape = {
                "type": "MultiPolygon",
                "coordinates": _rings(told.found, content.cells, zone.number - 1, told.plane),
            }
            features.append({"type": "Feature", "geometry": shape, "properties": zone.model_dump()})
    about = {"block": content.key, "as_of": content.as_of, "why_not": content.why_not, "says": content.words}
    return json.dumps({"type": "FeatureCollection", "properties": about, "features": features}, ensure_ascii=False)


def _rings(found: BlockMap, cells: list[int], number: int, plane: Plane) -> list[list[list[list[float]]]]:
    """Outlines of a zone, between its cells and the others'."""
    grid = found.grid
    table = np.zeros(grid.inside.shape)
    table[grid.inside] = np.array(cells) == number
    wide = np.pad(table, 1)
    x = grid.origin_m[0] + grid.cell_m * (np.arange(wide.shape[1]) - 0.5)
    y = grid.origin_m[1] + grid.cell_m * (np.arange(wide.shape[0]) - 0.5)
    lines = contour_generator(x, y, wide).lines(0.5)
    return [[[[round(v, 7) for v in plane.degrees(np.asarray(point))] for point in np.asarray(line)]] for line in lines]


def zones_csv(key: str, moment: str | None = None) -> str:
    """The zones as CSV text; raises as :func:`zones_content` does."""
    return as_csv(HEAD, (
        (z.number, round(z.share, 3), round(z.area_ha, 2), round(z.difference_mm, 1), round(z.lacks_mm, 1),
         round(z.error_mm, 1), round(z.gross_mm, 1))
        for z in zones_content(key, moment).zones
    ))  # fmt: skip
