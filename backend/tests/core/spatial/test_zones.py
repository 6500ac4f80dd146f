"""Zones: contiguous, few, apart by more than the doubt; amounts that add up."""

import numpy as np
import pytest

from bench.field_maps import SQUARE
from embalse.core.spatial.block_map import block_map, grid_in
from embalse.core.spatial.zones import (
    LEAST_SHARE,
    Amount,
    amounts,
    derive_zones,
    saved_by,
    sector_means,
    zones_of,
)

GRID = grid_in(SQUARE, 20)
EAST, NORTH = GRID.places_m.T


def halves(step: float) -> np.ndarray:
    return np.where(EAST > 150, step / 2, -step / 2) + np.random.default_rng(1).normal(0, 0.2, len(EAST))


@pytest.mark.parametrize(("step", "many"), [(5.5, 1), (6.5, 2)])
def test_two_halves_are_two_zones_where_they_beat_the_doubt(step: float, many: int) -> None:
    zones = derive_zones(GRID, halves(step), 6.0)
    assert len(np.unique(zones)) == many
    if many == 2:
        dry, wet = zones_of(zones, halves(step))
        assert dry.share == pytest.approx(0.5, abs=0.01) and wet.mean - dry.mean == pytest.approx(step, abs=0.1)


def test_three_bands_are_three_zones() -> None:
    bands = np.select([NORTH < 100, NORTH < 200], [-10.0, 0.0], 10.0)
    assert len(np.unique(derive_zones(GRID, bands, 4.0))) == 3


@pytest.mark.parametrize(("side", "many"), [(88, 1), (101, 2)])
def test_a_piece_of_less_than_a_tenth_is_no_zone(side: float, many: int) -> None:
    patch = np.where((side > EAST) & (side > NORTH), -20.0, 0.0)
    share = float((patch < 0).mean())
    assert (share >= LEAST_SHARE) == (many == 2)
    assert len(np.unique(derive_zones(GRID, patch, 3.0))) == many


def test_zones_hang_together() -> None:
    stripes = np.where((EAST // 75) % 2 == 0, -8.0, 8.0)
    zones = derive_zones(GRID, stripes, 3.0)
    assert len(np.unique(zones)) == 4, "two dry stripes that do not touch are two zones"


def test_amounts_are_what_each_zone_lacks() -> None:
    xy = np.array([(x, y) for x in (30.0, 90, 150, 210, 270) for y in (40.0, 110, 190, 260)])
    lacks = np.where(xy[:, 0] > 150, 30.0, 12.0) + np.random.default_rng(3).normal(0, 0.5, 20)
    found = block_map(xy, (lacks, np.full(20, 1.0)), SQUARE, 20)
    zones = np.where(found.grid.places_m[:, 0] > 170, 1, 0)
    west, east = amounts(found, zones, found.fitted.values, 0.9)
    assert west.lacks_mm < 18 and east.lacks_mm > 25 and east.gross_mm == pytest.approx(east.lacks_mm / 0.9)
    assert 0 < east.error_mm < found.fitted.error
    told = saved_by([z.share for z in zones_of(zones, EAST)], [west, east])
    assert told.by_zone_mm == pytest.approx(0.55 * west.gross_mm + 0.45 * east.gross_mm, rel=0.03)
    assert told.saved_mm == pytest.approx(told.uniform_mm - told.by_zone_mm) and told.uniform_mm == east.gross_mm


def test_a_zone_above_full_gets_nothing() -> None:
    told = saved_by([0.75, 0.25], [Amount(0, -4.0, 1.0, 0.0), Amount(1, 20.0, 2.0, 25.0)])
    assert told.by_zone_mm == pytest.approx(6.25) and told.saved_mm == pytest.approx(18.75)
    assert told.error_mm == pytest.approx(0.75 * 2.0)


def test_sectors_of_a_pivot_from_north_by_the_clock() -> None:
    values = np.where((EAST > 150) & (NORTH > 150), 8.0, 2.0)
    assert sector_means(GRID, values, (150.0, 150.0), 4) == [8.0, 2.0, 2.0, 2.0]
    assert sector_means(GRID, values, (-1000.0, 150.0), 4)[2:] == [None, None]
