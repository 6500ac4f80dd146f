"""A block as a map: a grid inside its outline, what every node weighs there, and where the ground stays blank."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.spatial.kriging import (
    Fitted,
    check_worth,
    fit,
    reduced_doubt,
    soils_differ,
    useful_doubt,
    weights_to,
)

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Flags = NDArray[np.bool_]
Area = Sequence[Floats]
"""Rings of corners [m], each of shape (n, 2)."""
APART: Final = 4.0  # times the usual error left out from which a node is not the ground's (ours: one in 10,000)
LONG_SIDE: Final = 48  # cells along the longer side of a map (ours: finer than any node tells)


@dataclass(frozen=True)
class Grid:
    """Cells of a block: middles [m], shape (cells, 2), of those inside; side of a cell [m], rows and columns.

    ``inside`` has the shape (rows, columns); ``origin_m`` is the lower left corner.
    """

    places_m: Floats
    inside: Flags
    cell_m: float
    origin_m: tuple[float, float]


@dataclass(frozen=True)
class BlockMap:
    """A map that is worth drawing: nodes' weights and doubt in every cell inside, and which cells stay blank.

    ``used`` are the places, among the nodes that were given, of those it is drawn from; ``soil`` numbers the soil zone
    of every cell.
    """

    fitted: Fitted
    grid: Grid
    weights: Floats
    doubt: Floats
    blank: Flags
    used: Ints
    soil: Ints


def grid_in(corners_m: Floats, long_side: int = LONG_SIDE) -> Grid:
    """A grid of square cells inside an outline.

    Parameters
    ----------
    corners_m : array, shape (n, 2)
        Corners of the outline in order [m]; it may be closed or not.
    long_side : int
        Cells along its longer side.
    """
    low, high = corners_m.min(axis=0), corners_m.max(axis=0)
    cell = float((high - low).max() / long_side)
    columns, rows = (max(1, int(np.ceil(span / cell))) for span in high - low)
    west, south = (low + high) / 2 - cell * np.array([columns, rows]) / 2
    x = west + cell * (np.arange(columns) + 0.5)
    y = south + cell * (np.arange(rows) + 0.5)
    east, north = np.meshgrid(x, y)
    places = np.column_stack([east.ravel(), north.ravel()])
    inside = in_outline(places, corners_m)
    return Grid(places[inside], inside.reshape(rows, columns), cell, (float(west), float(south)))


def in_outline(places_m: Floats, corners_m: Floats) -> Flags:
    """Which places lie inside an outline, by how often a line to the east crosses it; shapes (m, 2), (n, 2) [m].

    Examples
    --------
    >>> square = np.array([[0, 0], [2, 0], [2, 2], [0, 2]], dtype=float)
    >>> in_outline(np.array([[1.0, 1.0], [3.0, 1.0]]), square).tolist()
    [True, False]
    """
    found = np.zeros(len(places_m), dtype=bool)
    x, y = places_m[:, 0], places_m[:, 1]
    for (ax, ay), (bx, by) in zip(corners_m, np.roll(corners_m, -1, axis=0), strict=True):
        crosses = (ay > y) != (by > y)
        if not crosses.any():
            continue
        at = ax + (y - ay) * (bx - ax) / np.where(by == ay, 1.0, by - ay)
        found ^= crosses & (x < at)
    return found


def in_area(places_m: Floats, area_m: Area) -> Flags:
    """Which places lie in an area: within an odd number of its rings, so that a ring in a ring is a hole."""
    found = np.zeros(len(places_m), dtype=bool)
    for ring in area_m:
        found ^= in_outline(places_m, ring)
    return found


def area_of(places_m: Floats, areas_m: Sequence[Area]) -> Ints:
    """Number of the first area each place lies in; one without rings is the rest, without one the rest is -1.

    Examples
    --------
    >>> square = np.array([[0, 0], [2, 0], [2, 2], [0, 2]], dtype=float)
    >>> area_of(np.array([[1.0, 1.0], [3.0, 1.0]]), [[], [square]]).tolist()
    [1, 0]
    """
    rest = next((n for n, area in enumerate(areas_m) if len(area) == 0), -1)
    found = np.full(len(places_m), rest, dtype=np.int64)
    for number in range(len(areas_m) - 1, -1, -1):
        if len(areas_m[number]):
            found[in_area(places_m, areas_m[number])] = number
    return found


def around(xy_m: Floats, margin: float = 0.1) -> Floats:
    """Corners of a rectangle around nodes [m], where no outline is known: a tenth wider than they stand."""
    low, high = xy_m.min(axis=0), xy_m.max(axis=0)
    more = margin * max(float((high - low).max()), 1.0)
    (west, south), (east, north) = low - more, high + more
    return np.array([[west, south], [east, south], [east, north], [west, north]])


def apart_from_ground(fitted: Fitted) -> NDArray[np.int64]:
    """Nodes that are unlike all around them: a clogged line or a seep at the node, not the ground's.

    Those whose error left out is more than four times the usual one (by the median of all), an eighth of the nodes at
    most, the farthest off first.
    """
    off = np.abs(fitted.left_out)
    usual = 1.4826 * float(np.median(off))
    order = np.argsort(-off)[: len(off) // 8]
    return order[off[order] > APART * usual]


def block_map(
    xy_m: Floats,
    told: tuple[Floats, Floats],
    corners_m: Floats,
    long_side: int = LONG_SIDE,
    soils_m: Sequence[Area] = (),
) -> BlockMap:
    """The map of a block from its nodes; those unlike all around them are left out of it and named in ``apart``.

    Parameters
    ----------
    xy_m : array, shape (n, 2)
        Places of the nodes [m].
    told : two arrays, shape (n,)
        Their values and standard errors.
    corners_m : array, shape (k, 2)
        The block's outline [m].
    soils_m : sequence of areas
        Soil zones [m]; each has a mean of its own where they differ by more than accident.

    Raises
    ------
    NoMap
        Where a map would be invention: too few nodes, no likeness between neighbours, or no less error than the mean.
    """
    soil = area_of(xy_m, soils_m) if soils_m else np.zeros(len(xy_m), dtype=np.int64)
    fitted = fit(xy_m, *told, soil=soil if soils_differ(soil, told[0]) else None)
    apart = apart_from_ground(fitted)
    used = np.setdiff1d(np.arange(len(xy_m)), apart)
    if len(apart):
        differ = soils_differ(soil[used], told[0][used])
        fitted = fit(xy_m[used], told[0][used], told[1][used], soil[used] if differ else None)
    check_worth(fitted)
    grid = grid_in(corners_m, long_side)
    cells = area_of(grid.places_m, soils_m) if soils_m else np.zeros(len(grid.places_m), dtype=np.int64)
    weights, doubt = weights_to(fitted, grid.places_m, cells)
    blank = doubt > useful_doubt(fitted)
    if fitted.soil is not None:
        blank |= ~np.isin(cells, fitted.soil)
    return BlockMap(fitted, grid, weights, doubt, blank, used, cells)


def next_place(found: BlockMap, xy_m: Floats, every: int = 4) -> tuple[Floats, float]:
    """Where a node more would teach most, and by how much it lowers the map's mean variance [-].

    Of every so-many-th cell that lies farther from all nodes (``xy_m``, those too that the map is not drawn from) than
    half of what nodes stand apart; the mean is over all of those cells.
    """
    thin = _thinned(found.grid, every)
    if found.fitted.soil is not None:
        thin = thin[np.isin(found.soil[thin], found.fitted.soil)]
    places, soil = found.grid.places_m[thin], found.soil[thin]
    near = np.sqrt(((places[:, None] - xy_m[None]) ** 2).sum(axis=2)).min(axis=1)
    between = np.sqrt(((xy_m[:, None] - xy_m[None]) ** 2).sum(axis=2)) + np.diag(np.full(len(xy_m), np.inf))
    free = near >= 0.5 * float(np.median(between.min(axis=1)))
    free = free if free.any() else np.ones(len(places), dtype=bool)
    candidates = places[free]
    before = float(np.mean(weights_to(found.fitted, places, soil)[1] ** 2))
    after = reduced_doubt(found.fitted, (candidates, soil[free]), (places, soil))
    best = int(np.argmin(after))
    return candidates[best], 1 - float(after[best]) / before


def _thinned(grid: Grid, every: int) -> NDArray[np.int64]:
    rows, columns = grid.inside.shape
    pick = np.zeros((rows, columns), dtype=bool)
    pick[every // 2 :: every, every // 2 :: every] = True
    places = np.flatnonzero((grid.inside & pick)[grid.inside])
    return places if len(places) else np.arange(len(grid.places_m))


def mean_of(found: BlockMap, values: Sequence[float]) -> float:
    """Mean of the map over the cells that are not blank, in the values' unit."""
    told = found.weights @ np.asarray(values, dtype=float)
    return float(told[~found.blank].mean()) if (~found.blank).any() else float(told.mean())
