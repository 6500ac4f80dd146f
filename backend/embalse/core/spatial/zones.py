"""A few zones of a block that lie apart for good, and how much water each is to get."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from embalse.core.spatial.block_map import BlockMap, Grid

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
MOST_ZONES: Final = 3  # classes a block is parted into: more are never watered apart (ours)
LEAST_SHARE: Final = 0.1  # of the block that a zone takes at least (ours: a valve's worth)
ROUNDS: Final = 60


@dataclass(frozen=True)
class Zone:
    """A zone: its number, the share of the block it takes [-], and its mean [values' unit]."""

    number: int
    share: float
    mean: float


@dataclass(frozen=True)
class Amount:
    """Water of a zone [mm over it]: what it lacks, with its standard error, and the gross depth to give."""

    zone: int
    lacks_mm: float
    error_mm: float
    gross_mm: float


@dataclass(frozen=True)
class Saving:
    """What amounts by zone take less than the driest zone's for all [mm over the block, gross], with its error."""

    uniform_mm: float
    by_zone_mm: float
    saved_mm: float
    error_mm: float


def derive_zones(grid: Grid, lasting: Floats, doubt: float) -> Ints:
    """Zones from what lasts: contiguous, few, each apart from its neighbours by more than the doubt.

    Parameters
    ----------
    grid : Grid
    lasting : array, shape (cells,)
        Mean difference of each cell from the block over the season.
    doubt : float
        Difference below which two zones are one, in the same unit.

    Returns
    -------
    array of int, shape (cells,)
        Number of the zone each cell lies in, from 0; all 0 where nothing lies apart.

    References
    ----------
    .. [1] Natural breaks of one variable (Fisher 1958; Jenks 1967), by k-means in one dimension; then pieces of less
       than a tenth of the block join the neighbour they share most border with (ours).
    """
    for classes in range(MOST_ZONES, 1, -1):
        zones = _tidy(grid, _pieces(grid, _breaks(lasting, classes)))
        if zones.max() > 0 and _apart(grid, zones, lasting, doubt):
            return zones
    return np.zeros(len(lasting), dtype=np.int64)


def zones_of(zones: Ints, values: Floats) -> list[Zone]:
    """Share and mean of every zone, by its number."""
    return [Zone(n, float((zones == n).mean()), float(values[zones == n].mean())) for n in range(int(zones.max()) + 1)]


def amounts(found: BlockMap, zones: Ints, values: Floats, kept_fraction: float) -> list[Amount]:
    """What each zone lacks by the map, and what to give.

    Parameters
    ----------
    found : BlockMap
    zones : array of int, shape (cells,)
    values : array, shape (n,)
        Depletion of the nodes the map is drawn from [mm over the block].
    kept_fraction : float
        Share of the gross depth that stays for the crop [-].
    """
    told = found.weights @ values
    return [
        Amount(n, lacks, found.fitted.error / float(np.sqrt(max(1, nodes_in(found, zones == n)))),
               max(0.0, lacks) / kept_fraction)
        for n in range(int(zones.max()) + 1)
        for lacks in (float(told[zones == n].mean()),)
    ]  # fmt: skip


def saved_by(shares_of: Sequence[float], given: Sequence[Amount]) -> Saving:
    """What amounts by zone save against one amount for all that leaves no zone short [mm over the block].

    Parameters
    ----------
    shares_of : sequence of float
        Share of the block each zone takes [-], by its number.
    given : sequence of Amount
    """
    shares = np.array([shares_of[a.zone] for a in given])
    gross = np.array([a.gross_mm for a in given])
    most = int(np.argmax(gross))
    by_zone = float(shares @ gross)
    errors = np.array([a.error_mm for a in given]) * (gross > 0)
    weights = shares - np.eye(len(given))[most]
    return Saving(
        float(gross[most]), by_zone, float(gross[most]) - by_zone, float(np.sqrt(((weights * errors) ** 2).sum()))
    )


def sector_means(grid: Grid, values: Floats, centre_m: tuple[float, float], sectors: int) -> list[float | None]:
    """Mean of the cells in each sector of a circle, from north by the clock; None where no cell lies.

    Parameters
    ----------
    grid : Grid
    values : array, shape (cells,)
    centre_m : (float, float)
        Where the pivot stands [m].
    sectors : int
        How many, of the same angle.
    """
    east, north = (grid.places_m - centre_m).T
    place = (np.degrees(np.arctan2(east, north)) % 360 / (360 / sectors)).astype(int) % sectors
    return [float(values[place == n].mean()) if (place == n).any() else None for n in range(sectors)]


def _breaks(values: Floats, classes: int) -> Ints:
    middles = np.quantile(values, (np.arange(classes) + 0.5) / classes)
    for _ in range(ROUNDS):
        nearest = np.argmin(np.abs(values[:, None] - middles[None, :]), axis=1)
        moved = np.array([values[nearest == k].mean() if (nearest == k).any() else middles[k] for k in range(classes)])
        if np.allclose(moved, middles):
            break
        middles = moved
    found: Ints = np.argmin(np.abs(values[:, None] - np.sort(middles)[None, :]), axis=1)
    return found


def _pieces(grid: Grid, classes: Ints) -> Ints:
    """Contiguous pieces of each class, numbered from 0."""
    table = np.full(grid.inside.shape, -1)
    table[grid.inside] = classes
    pieces, count = np.full(grid.inside.shape, -1), 0
    for one in range(int(classes.max()) + 1):
        found, many = label(table == one)
        pieces[found > 0] = found[found > 0] - 1 + count
        count += many
    inside: Ints = pieces[grid.inside]
    return inside


def _tidy(grid: Grid, pieces: Ints) -> Ints:
    """Pieces of less than a tenth of the block, the smallest first, join the neighbour they share most border with."""
    table = np.full(grid.inside.shape, -1)
    table[grid.inside] = pieces
    while True:
        numbers, counts = np.unique(table[grid.inside], return_counts=True)
        small = [(c, n) for n, c in zip(numbers, counts, strict=True) if c < LEAST_SHARE * grid.inside.sum()]
        if not small or len(numbers) == 1:
            break
        number = min(small)[1]
        beside = _neighbours(table, number)
        if not len(beside):
            break
        table[table == number] = np.bincount(beside).argmax()
    found: Ints = np.unique(table[grid.inside], return_inverse=True)[1]
    return found


def _neighbours(table: NDArray[np.int64], number: int) -> Ints:
    """Numbers of the cells that lie beside a piece's, one for each border they share."""
    wide = np.pad(table, 1, constant_values=-1)
    mine = wide == number
    beside = [np.roll(wide, step, axis=axis)[mine] for axis in (0, 1) for step in (1, -1)]
    together = np.concatenate(beside)
    found: Ints = together[(together != number) & (together >= 0)]
    return found


def _apart(grid: Grid, zones: Ints, values: Floats, doubt: float) -> bool:
    table = np.full(grid.inside.shape, -1)
    table[grid.inside] = zones
    means = [float(values[zones == n].mean()) for n in range(int(zones.max()) + 1)]
    pairs = {(n, int(m)) for n in range(len(means)) for m in np.unique(_neighbours(table, n))}
    return all(abs(means[a] - means[b]) > doubt for a, b in pairs)


def nodes_in(found: BlockMap, cells: NDArray[np.bool_]) -> int:
    """How many of the nodes a map is drawn from stand in some of its cells."""
    places, xy = found.grid.places_m, found.fitted.xy_m
    nearest = np.argmin(((xy[:, None, :] - places[None, :, :]) ** 2).sum(axis=2), axis=1)
    return int(cells[nearest].sum())
