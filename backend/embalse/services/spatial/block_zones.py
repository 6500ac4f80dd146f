"""Zones of a block between its stations: what each lacks now, what to give where, and what that saves."""

import json
from typing import Any, Final

import numpy as np
from contourpy import contour_generator
from numpy.typing import NDArray
from pydantic import Field

from embalse.core.delivery.moving_systems import pivot_depth_mm
from embalse.core.spatial.block_map import BlockMap, area_of
from embalse.core.spatial.kriging import Plane
from embalse.core.spatial.zones import Amount, amounts, derive_zones, nodes_in, saved_by, sector_means, zones_of
from embalse.core.wording import Notice
from embalse.services.advice.zone_advice import zone_advice
from embalse.services.load.kept_zones import areas_on, block_zones
from embalse.services.load.schemas import Content
from embalse.services.planning.plan_table import as_csv
from embalse.services.planning.supplies import block_shifts
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.zones import BlockZonesPart
from embalse.services.spatial.block_map import Between, between

Ints = NDArray[np.int64]
SECTORS: Final = 12
HEAD: Final = ("zone", "share", "area [ha]", "lies apart by [mm]", "lacks [mm]", "error [mm]", "fills it, gross [mm]",
               "next set, gross [mm]", "due", "watered by", "note")  # fmt: skip


class BlockZoneOut(Content):
    """A zone: its share of the block, how it lies to the block for good, what it lacks now, and what to give [mm].

    ``gross_mm`` fills it at this moment. One that was drawn and kept has the part of the block that waters it, its next
    set and when that is due, whose reading tells its water where that is not its own, and why nothing is known of it.
    """

    number: int
    name: str
    share: float
    area_ha: float
    difference_mm: float | None
    lacks_mm: float | None
    error_mm: float | None
    gross_mm: float | None
    stations: int
    shift: str
    due_at: str | None
    set_gross_mm: float | None
    by: str
    why_not: Words


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
    kept: bool = Field(description="whether they were drawn or derived and kept; else derived at this moment")
    shifts: list[str] = Field(description="parts of the block that are watered by themselves")
    why_not: Words
    zones: list[BlockZoneOut]
    cells: list[int]
    uniform_mm: float | None
    by_zone_mm: float | None
    saved_mm: float | None
    saved_error_mm: float | None
    words: Words
    sectors: list[SectorOut]


@as_known_then
def zones_content(key: str, moment: str | None = None) -> ZonesContent:
    """Zones of a block at a farm-local moment; raises as :func:`map_content` does."""
    return _parted(between(key, moment, "depletion"))


def _parted(told: Between) -> ZonesContent:
    kept = _kept(told)
    if kept is not None:
        return kept
    found, zones, why = _zones(told)
    if found is None:
        return _content(told, [], np.empty(0, dtype=np.int64), why)
    given = amounts(found, zones, found.fitted.values, _kept_fraction(told))
    return _content(told, given, zones, why)


def _kept_fraction(told: Between) -> float:
    return told.field.block.system.efficiency_fraction if told.field.block.system else 1.0


def _shifts(told: Between) -> list[str]:
    shifts = block_shifts(told.field.row.key, told.field.now, told.field.zone)
    return [] if shifts is None else [s.name for s in shifts.shifts]


def _kept(told: Between) -> ZonesContent | None:
    """The zones that were drawn or derived and kept, each by the stations in it; None where there are none."""
    field, at = told.field, (told.field.now, told.field.zone)
    zones = zone_advice(field.analysis, field.row, field.rows, at)
    part = block_zones(field.row.key, field.rows, at)
    if part is None or not zones:
        return None
    areas = areas_on(told.plane, part.zones)
    inside = area_of(np.array([n.xy_m for n in told.nodes]).reshape(-1, 2), areas)
    differs = [[s.difference for s, k in zip(told.stood, inside.tolist(), strict=False) if k == n]
               for n in range(len(zones))]  # fmt: skip
    share_mm = field.block.limits.wetted_fraction
    given = [Amount(n, share_mm * z.depletion_mm, share_mm * (z.error_mm or 0.0),
                    max(0.0, share_mm * z.depletion_mm) / _kept_fraction(told))
             for n, z in enumerate(zones) if z.depletion_mm is not None]  # fmt: skip
    gross = {one.zone: one.gross_mm for one in given}
    cells = area_of(told.found.grid.places_m, areas) if told.found is not None else np.empty(0, dtype=np.int64)
    saved = saved_by([z.area_ha / field.row.area_ha for z in zones], given) if len(given) == len(zones) else None
    return ZonesContent(
        key=field.row.key,
        name=field.row.name,
        as_of=told.as_of,
        kept=True,
        shifts=_shifts(told),
        why_not="",
        zones=[
            BlockZoneOut(
                number=n + 1,
                name=z.name,
                share=z.area_ha / field.row.area_ha,
                area_ha=z.area_ha,
                difference_mm=float(np.mean(differs[n])) if differs[n] else None,
                lacks_mm=None if z.depletion_mm is None else share_mm * z.depletion_mm,
                error_mm=None if z.error_mm is None else share_mm * z.error_mm,
                gross_mm=gross.get(n),
                set_gross_mm=z.gross_mm,
                stations=z.stations,
                shift=z.shift,
                due_at=z.due_at,
                by=z.by,
                why_not=z.why_not,
            )
            for n, z in enumerate(zones)
        ],
        cells=cells.tolist(),
        uniform_mm=saved.uniform_mm if saved else None,
        by_zone_mm=saved.by_zone_mm if saved else None,
        saved_mm=saved.saved_mm if saved else None,
        saved_error_mm=saved.error_mm if saved else None,
        words="" if saved is None else say(Notice("zones.saved", saved_mm=saved.saved_mm, doubt_mm=saved.error_mm)),
        sectors=_sectors(told),
    )


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
    saved = saved_by([z.share for z in apart], given) if given else None
    words = ""
    if saved is not None and not why:
        words = say(Notice("zones.saved", saved_mm=saved.saved_mm, doubt_mm=saved.error_mm))
    return ZonesContent(
        key=row.key,
        name=row.name,
        as_of=told.as_of,
        kept=False,
        shifts=_shifts(told),
        why_not=why,
        zones=[
            BlockZoneOut(
                number=z.number + 1,
                name=f"zone {z.number + 1}",
                share=z.share,
                area_ha=z.share * row.area_ha,
                difference_mm=z.mean,
                lacks_mm=a.lacks_mm,
                error_mm=a.error_mm,
                gross_mm=a.gross_mm,
                stations=nodes_in(told.found, zones == z.number) if told.found else 0,
                shift="",
                due_at=None,
                set_gross_mm=None,
                by="",
                why_not="",
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
    at = (told.field.now, told.field.zone)
    part = block_zones(told.field.row.key, told.field.rows, at) if content.kept else None
    if part is not None or (told.found is not None and not content.why_not):
        for zone in content.zones:
            if part is not None:
                rings = _drawn(told, part, zone.number - 1)
            else:
                assert told.found is not None
                rings = _rings(told.found, content.cells, zone.number - 1, told.plane)
            shape = {"type": "MultiPolygon", "coordinates": rings}
            features.append({"type": "Feature", "geometry": shape, "properties": zone.model_dump()})
    about = {"block": content.key, "as_of": content.as_of, "why_not": content.why_not, "says": content.words}
    return json.dumps({"type": "FeatureCollection", "properties": about, "features": features}, ensure_ascii=False)


def _drawn(told: Between, part: BlockZonesPart, number: int) -> list[list[list[list[float]]]]:
    """A kept zone as polygons: as it was drawn, or the block's outline with the others as holes."""
    rings = [[[lon, lat] for lon, lat in (*ring, ring[0])] for ring in part.zones[number].rings]
    if rings:
        return [[ring] for ring in rings]
    block = [told.plane.degrees(c) for c in told.outline]
    others = [[[lon, lat] for lon, lat in (*r, r[0])] for z in part.zones for r in z.rings]
    return [[[[round(lon, 7), round(lat, 7)] for lon, lat in (*block, block[0])], *others]]


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
        (z.name, round(z.share, 3), round(z.area_ha, 2), *(_figure(v) for v in (z.difference_mm, z.lacks_mm,
         z.error_mm, z.gross_mm, z.set_gross_mm)), z.due_at or "", z.shift, z.why_not or z.by)
        for z in zones_content(key, moment).zones
    ))  # fmt: skip


def _figure(value: float | None) -> float | str:
    return "" if value is None else round(value, 1)
