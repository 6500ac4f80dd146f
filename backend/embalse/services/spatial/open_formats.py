"""The map of a block in open formats: GeoJSON of nodes, cells and contours, and cells as CSV."""

import json
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.spatial.kriging import Plane
from embalse.services.planning.plan_table import as_csv
from embalse.services.spatial.block_map import GroundOut, MapContent

Floats = NDArray[np.float64]
CONTOURS: Final = 5
HEAD: Final = ("x [m]", "y [m]", "longitude", "latitude", "value", "doubt")


def cell_values(content: MapContent, ground: GroundOut) -> Floats:
    """Value of every cell inside, in the map's unit, NaN where it stays blank."""
    by_ref = {n.ref: n.value for n in content.nodes}
    values = np.array([by_ref[ref] for ref in ground.of], dtype=float)
    told: Floats = np.array(ground.weights) @ values
    told[np.array(ground.blank)] = np.nan
    return told


def cell_middles(ground: GroundOut) -> Floats:
    """Middles of the cells inside [m], shape (cells, 2)."""
    inside = np.array(ground.inside)
    column, row = inside % ground.columns, inside // ground.columns
    found: Floats = np.column_stack([column, row]) + 0.5
    return found * ground.cell_m + np.array([ground.west_m, ground.south_m])


def _plane(content: MapContent) -> Plane:
    plane = content.plane
    return Plane((plane.longitude, plane.latitude), (plane.east_m, plane.north_m))


def map_geojson(content: MapContent) -> str:
    """Nodes as points, cells as squares, contours as lines, as GeoJSON text; without cells where there is no map."""
    plane = _plane(content)
    features = [
        _feature({"type": "Point", "coordinates": [n.longitude, n.latitude]},
                 kind="node", node=n.ref, name=n.name, value=n.value, rank=n.rank, lasting=n.lasting)
        for n in content.nodes
    ]  # fmt: skip
    if content.ground is not None:
        features += _cells(content, content.ground, plane) + _contours(content, content.ground, plane)
    about = {"block": content.key, "as_of": content.as_of, "what": content.what, "unit": content.unit,
             "why_not": content.why_not, "says": content.headline}  # fmt: skip
    return json.dumps({"type": "FeatureCollection", "properties": about, "features": features}, ensure_ascii=False)


def _feature(geometry: dict[str, Any], **properties: Any) -> dict[str, Any]:
    return {"type": "Feature", "geometry": geometry, "properties": properties}


def _ring(plane: Plane, corners: list[tuple[float, float]]) -> list[list[float]]:
    return [[round(v, 7) for v in plane.degrees(np.array(c))] for c in corners]


def _cells(content: MapContent, ground: GroundOut, plane: Plane) -> list[dict[str, Any]]:
    half = ground.cell_m / 2
    told, found = cell_values(content, ground), []
    for (x, y), value, doubt in zip(cell_middles(ground).tolist(), told.tolist(), ground.doubt, strict=True):
        if np.isnan(value):
            continue
        corners = [(x - half, y - half), (x + half, y - half), (x + half, y + half), (x - half, y + half)]
        ring = _ring(plane, [*corners, corners[0]])
        geometry = {"type": "Polygon", "coordinates": [ring]}
        found.append(_feature(geometry, kind="cell", value=round(value, 3), doubt=doubt))
    return found


def _contours(content: MapContent, ground: GroundOut, plane: Plane) -> list[dict[str, Any]]:
    from contourpy import contour_generator

    table = np.full(ground.rows * ground.columns, np.nan)
    table[np.array(ground.inside)] = cell_values(content, ground)
    known = table[np.isfinite(table)]
    if not len(known) or ground.rows < 2 or ground.columns < 2:
        return []
    x = ground.west_m + ground.cell_m * (np.arange(ground.columns) + 0.5)
    y = ground.south_m + ground.cell_m * (np.arange(ground.rows) + 0.5)
    drawn = contour_generator(x, y, np.ma.masked_invalid(table.reshape(ground.rows, ground.columns)))

    def ring(line: Any) -> list[list[float]]:
        return _ring(plane, [(float(a), float(b)) for a, b in np.asarray(line)])

    levels = np.quantile(known, np.linspace(0, 1, CONTOURS + 2)[1:-1])
    return [
        _feature({"type": "LineString", "coordinates": ring(line)},
                 kind="contour", value=round(float(level), 3))
        for level in levels
        for line in drawn.lines(level)
    ]  # fmt: skip


def cells_csv(content: MapContent) -> str:
    """Cells that are not blank as CSV text; only the head where there is no map."""
    if content.ground is None:
        return as_csv(HEAD, [])
    plane = _plane(content)
    told, rows = cell_values(content, content.ground), []
    for (x, y), value, doubt in zip(
        cell_middles(content.ground).tolist(), told.tolist(), content.ground.doubt, strict=True
    ):
        if not np.isnan(value):
            longitude, latitude = plane.degrees(np.array([x, y]))
            rows.append((round(x, 1), round(y, 1), round(longitude, 6), round(latitude, 6), round(value, 3), doubt))
    return as_csv(HEAD, rows)
