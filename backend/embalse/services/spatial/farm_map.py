"""The farm from above: every block with what its nodes tell, drawn between them where that is no invention."""

import json
from typing import Final

import numpy as np

from embalse.core.spatial.kriging import Plane, plane_through
from embalse.core.spatial.node_error import What
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.reader import Words
from embalse.services.readings.known_then import as_known_then
from embalse.services.spatial.block_map import UNITS, CornerOut, Mapped, mapped
from embalse.store import farm as farm_store

BACK_DAYS: Final = 2
CELLS: Final = 24
"""Cells along a block's longer side: a block is small on the farm's map."""


class FarmCellsOut(Content):
    """A block's map: square cells from its lower left corner [m]; values in the order of ``inside``, null if blank."""

    cell_m: float
    rows: int
    columns: int
    west_m: float
    south_m: float
    inside: list[int]
    values: list[float | None]


class FarmBlockOut(Content):
    """A block on the farm's map: its outline [m], the mean of its nodes, and its map or why there is none."""

    key: str
    name: str
    outline: list[CornerOut]
    value: float | None
    lowest: float | None
    highest: float | None
    nodes: int
    cells: FarmCellsOut | None
    why_not: Words


class FarmMapContent(Content):
    """The farm from above at a farm-local moment; ``nowhere`` are blocks without an outline."""

    as_of: str
    what: What
    unit: str
    blocks: list[FarmBlockOut]
    nowhere: list[str]


@as_known_then
def farm_map_content(moment: str | None = None, what: What = "available") -> FarmMapContent:
    """The farm's map of a quantity at a farm-local moment; raises Conflict, ValueError."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows().blocks
    land = farm_store.land()
    corners = {r.key: [(c[0], c[1]) for c in json.loads(land[r.key].outline) or []] for r in rows}
    drawn = [r for r in rows if len(corners[r.key]) > 2]
    plane = plane_through([c for r in drawn for c in corners[r.key]] or [(0.0, 0.0)])
    return FarmMapContent(
        as_of=times.iso(now, farm.time_zone) or "",
        what=what,
        unit=UNITS[what],
        blocks=[_block(mapped(r.key, moment, what, BACK_DAYS, CELLS), corners[r.key], plane) for r in drawn],
        nowhere=[r.name for r in rows if len(corners[r.key]) <= 2],
    )


def _block(one: Mapped, corners: list[tuple[float, float]], plane: Plane) -> FarmBlockOut:
    values = [n.value for n in one.told if n.value is not None]
    return FarmBlockOut(
        key=one.field.row.key,
        name=one.field.row.name,
        outline=[CornerOut(x_m=round(float(x), 1), y_m=round(float(y), 1)) for x, y in plane.metres(corners)],
        value=round(float(np.mean(values)), 3) if values else None,
        lowest=round(min(values), 3) if values else None,
        highest=round(max(values), 3) if values else None,
        nodes=len(values),
        cells=_cells(one, plane),
        why_not=one.why_not,
    )


def _cells(one: Mapped, plane: Plane) -> FarmCellsOut | None:
    if one.found is None:
        return None
    grid, values = one.found.grid, one.found.weights @ one.found.fitted.values
    west, south = plane.metres([one.plane.degrees(np.array(grid.origin_m))])[0]
    told = [None if blank else round(float(v), 3) for v, blank in zip(values, one.found.blank, strict=True)]
    return FarmCellsOut(
        cell_m=grid.cell_m,
        rows=grid.inside.shape[0],
        columns=grid.inside.shape[1],
        west_m=round(float(west), 2),
        south_m=round(float(south), 2),
        inside=np.flatnonzero(grid.inside.ravel()).tolist(),
        values=told,
    )
