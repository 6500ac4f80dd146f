"""Kriging against a second library, a published worked example, and fields whose truth is known."""

from dataclasses import replace

import numpy as np
import pytest
from pykrige.ok import OrdinaryKriging  # type: ignore[import-untyped]

from bench.field_maps import ERRORS, SQUARE, field
from embalse.core.spatial.block_map import APART, apart_from_ground, block_map, grid_in, in_outline, next_place
from embalse.core.spatial.kriging import (
    FEWEST_IN_SOIL,
    FEWEST_NODES,
    GAIN,
    SURE,
    Fitted,
    Likeness,
    NoMap,
    check_worth,
    fit,
    nearest_left_out,
    plane_through,
    soils_differ,
    weights_to,
)

SAMPLES = np.array(
    [[61, 139, 477], [63, 140, 696], [64, 129, 227], [68, 128, 646], [71, 140, 606], [73, 141, 791], [75, 128, 783]],
    dtype=float,
)
FIELD = field(3, 300.0, 12)


def fitted(xy: np.ndarray, values: np.ndarray, sill: float, range_m: float, nugget: float) -> Fitted:
    own = np.full(len(values), nugget)
    return Fitted(
        xy, values, own, Likeness(sill, range_m, nugget, 0.001, ()), np.ones(len(values)), np.ones(len(values))
    )


@pytest.mark.published(
    source="Isaaks & Srivastava (1989), An Introduction to Applied Geostatistics, ch. 12, V at 65E 137N; recalled, high confidence"
)
def test_the_worked_example_of_ordinary_kriging() -> None:
    """Covariance 10 exp(−0.3 h): weights 0.173 0.318 0.129 0.086 0.151 0.057 0.086, estimate 592.7, variance 8.96."""
    told = fitted(SAMPLES[:, :2], SAMPLES[:, 2], 10.0, 10.0, 0.0)
    weights, doubt = weights_to(told, np.array([[65.0, 137.0]]))
    assert weights[0] == pytest.approx([0.173, 0.318, 0.129, 0.086, 0.151, 0.057, 0.086], abs=0.001)
    assert float(weights[0] @ SAMPLES[:, 2]) == pytest.approx(592.7, abs=0.3)
    assert float(doubt[0]) ** 2 == pytest.approx(8.96, abs=0.01)


@pytest.mark.published(source="PyKrige, geostatistics library, ordinary kriging of the same data")
@pytest.mark.parametrize("nugget", [0.0, 9.0])
def test_a_second_library_says_the_same(nugget: float) -> None:
    values = FIELD.days[-1]
    theirs = OrdinaryKriging(
        *FIELD.xy_m.T, values, variogram_model="exponential", exact_values=False,
        variogram_parameters={"psill": 80.0, "range": 200.0, "nugget": nugget},
    )  # fmt: skip
    places = grid_in(SQUARE, 10).places_m
    mean, variance = theirs.execute("points", *places.T)
    weights, doubt = weights_to(fitted(FIELD.xy_m, values, 80.0, 200.0, nugget), places)
    assert weights.sum(axis=1) == pytest.approx(1.0)
    assert weights @ values == pytest.approx(np.asarray(mean), abs=1e-6)
    assert doubt**2 + nugget == pytest.approx(np.asarray(variance), abs=1e-6)


def test_errors_left_out_are_those_of_kriging_without_the_node() -> None:
    found = fit(FIELD.xy_m, FIELD.days[-1], ERRORS)
    for n in (0, 7, 20):
        rest = np.delete(np.arange(len(found.values)), n)
        without = replace(found, xy_m=found.xy_m[rest], values=found.values[rest], own=found.own[rest])
        weights, _ = weights_to(without, found.xy_m[n : n + 1])
        assert found.left_out[n] == pytest.approx(float(weights[0] @ found.values[rest]) - found.values[n], abs=1e-6)
        assert found.mean_left_out[n] == pytest.approx(found.values[rest].mean() - found.values[n])


def test_what_the_ground_does_is_found_again() -> None:
    found = [fit(f.xy_m, f.days[-1], ERRORS).likeness for f in (field(s, 400.0, 6) for s in range(12))]
    assert 6 < np.median([one.sill**0.5 for one in found]) < 16
    assert 100 < np.median([one.range_m for one in found]) < 700
    assert all(lag.pairs > 0 for one in found for lag in one.lags)


class TestRefusing:
    def test_below_five_nodes(self) -> None:
        xy, values = FIELD.xy_m[: FEWEST_NODES - 1], FIELD.days[-1][: FEWEST_NODES - 1]
        with pytest.raises(NoMap, match="invention"):
            fit(xy, values, ERRORS[: FEWEST_NODES - 1])
        fit(FIELD.xy_m[:FEWEST_NODES], FIELD.days[-1][:FEWEST_NODES], ERRORS[:FEWEST_NODES])

    def test_two_in_one_place_and_all_alike(self) -> None:
        xy = FIELD.xy_m.copy()
        xy[1] = xy[0]
        with pytest.raises(NoMap, match="same place"):
            fit(xy, FIELD.days[-1], ERRORS)
        with pytest.raises(NoMap, match="read the same"):
            fit(FIELD.xy_m, np.full(24, 80.0), ERRORS)

    @pytest.mark.parametrize(("chance", "refused"), [(1 - SURE, False), (1 - SURE + 0.001, True)])
    def test_likeness_that_may_be_an_accident(self, chance: float, refused: bool) -> None:
        found = fitted(FIELD.xy_m, FIELD.days[-1], 80.0, 200.0, 9.0)
        found = replace(found, likeness=replace(found.likeness, chance=chance), left_out=0.5 * found.left_out)
        assert self.refuses(found) == refused

    @pytest.mark.parametrize(("share", "refused"), [(GAIN - 0.001, False), (GAIN, True)])
    def test_an_error_no_better_than_the_means(self, share: float, refused: bool) -> None:
        found = fitted(FIELD.xy_m, FIELD.days[-1], 80.0, 200.0, 9.0)
        assert self.refuses(replace(found, left_out=share * found.mean_left_out)) == refused

    def test_fields_without_structure(self) -> None:
        refused = [self.refuses(fit(f.xy_m, f.days[-1], ERRORS)) for f in (field(200 + s, 0.0, 6) for s in range(25))]
        assert sum(refused) >= 23

    @staticmethod
    def refuses(found: Fitted) -> bool:
        try:
            check_worth(found)
        except NoMap:
            return True
        return False


def test_a_map_says_less_of_what_lies_far_from_every_node() -> None:
    corner = FIELD.xy_m.max(axis=0)
    near = FIELD.xy_m[(np.hypot(*(corner - FIELD.xy_m).T) < 260)]
    values = 100 + 0.1 * near[:, 0] + 0.05 * near[:, 1]
    found = block_map(near, (values, np.full(len(near), 1.0)), SQUARE, 20)
    apart = np.sqrt(((found.grid.places_m[:, None] - near[None]) ** 2).sum(axis=2)).min(axis=1)
    assert np.corrcoef(apart, found.doubt)[0, 1] > 0.8
    place, gain = next_place(found, near)
    assert gain > 0.02 and np.sqrt(((near - place) ** 2).sum(axis=1)).min() > 30


@pytest.mark.parametrize(("off", "apart"), [(0.0, []), (60.0, [7])])
def test_a_node_unlike_all_around_it_is_not_the_grounds(off: float, apart: list[int]) -> None:
    smooth = 100 + 0.1 * FIELD.xy_m[:, 0] + np.random.default_rng(2).normal(0, 1.0, 24)
    smooth[7] -= off
    found = block_map(FIELD.xy_m, (smooth, np.full(24, 1.0)), SQUARE, 12)
    assert np.setdiff1d(np.arange(24), found.used).tolist() == apart
    assert found.fitted.error < 4


@pytest.mark.parametrize(("times", "apart"), [(APART - 0.01, 0), (APART + 0.01, 1)])
def test_from_four_times_the_usual_error_on(times: float, apart: int) -> None:
    found = fitted(FIELD.xy_m, FIELD.days[-1], 80.0, 200.0, 9.0)
    off = np.ones(24)
    off[3] = times * 1.4826
    assert len(apart_from_ground(replace(found, left_out=off))) == apart
    assert len(apart_from_ground(replace(found, left_out=np.concatenate([np.ones(18), np.full(6, 99.0)])))) == 3


def test_the_nearest_node_and_the_outline() -> None:
    xy = np.array([[0.0, 0.0], [1.0, 0.0], [10.0, 0.0]])
    assert nearest_left_out(xy, np.array([1.0, 2.0, 5.0])).tolist() == [1.0, -1.0, -3.0]
    ell = np.array([[0, 0], [4, 0], [4, 1], [1, 1], [1, 4], [0, 4]], dtype=float)
    assert in_outline(np.array([[3.0, 0.5], [3.0, 3.0], [0.5, 3.0]]), ell).tolist() == [True, False, True]
    grid = grid_in(ell, 8)
    assert grid.inside.shape == (8, 8) and grid.inside.sum() == len(grid.places_m) == 28


@pytest.mark.published(source="pyproj, geodesics of the WGS 84 ellipsoid")
def test_metres_on_the_ground() -> None:
    from pyproj import Geod

    places = [(-1.62, 38.31), (-1.61, 38.31), (-1.61, 38.32)]
    plane = plane_through(places)
    told = plane.metres(places)
    assert plane.degrees(told[2]) == pytest.approx(places[2], abs=1e-12)
    east = Geod(ellps="WGS84").inv(*places[0], *places[1])[2]
    north = Geod(ellps="WGS84").inv(*places[1], *places[2])[2]
    assert np.hypot(*(told[1] - told[0])) == pytest.approx(east, rel=2e-4)
    assert np.hypot(*(told[2] - told[1])) == pytest.approx(north, rel=2e-4)


HALVES = [[np.array([[0, 0], [150, 0], [150, 300], [0, 300]], dtype=float)], []]


def two_soils(step: float, seed: int = 4) -> tuple[np.ndarray, np.ndarray]:
    """Soil of each node, and what they read where the east holds a step less than the west [mm]."""
    soil = np.where(FIELD.xy_m[:, 0] < 150, 0, 1)
    return soil, 60 + step * soil + np.random.default_rng(seed).normal(0, 3.0, 24)


class TestSoils:
    @pytest.mark.published(source="PyKrige, geostatistics library, universal kriging with a specified drift")
    def test_a_second_library_says_the_same(self) -> None:
        from pykrige.uk import UniversalKriging  # type: ignore[import-untyped]

        soil, values = two_soils(14.0)
        told = replace(fitted(FIELD.xy_m, values, 80.0, 200.0, 0.0), soil=soil)
        places = grid_in(SQUARE, 10).places_m
        cells = np.where(places[:, 0] < 150, 0, 1)
        weights, doubt = weights_to(told, places, cells)
        theirs = UniversalKriging(
            *FIELD.xy_m.T, values, variogram_model="exponential", drift_terms=["specified"],
            specified_drift=[soil.astype(float)],
            variogram_parameters={"psill": 80.0, "range": 200.0, "nugget": 0.0},
        )  # fmt: skip
        mean, variance = theirs.execute("points", *places.T, specified_drift_arrays=[cells.astype(float)])
        assert weights @ values == pytest.approx(np.asarray(mean), abs=1e-6)
        assert doubt**2 == pytest.approx(np.asarray(variance), abs=1e-6)
        assert weights.sum(axis=1) == pytest.approx(1.0)

    def test_a_step_at_the_soils_edge_is_drawn_sharp_and_better(self) -> None:
        _, values = two_soils(20.0)
        plain = block_map(FIELD.xy_m, (values, np.full(24, 1.0)), SQUARE, 20)
        by_soil = block_map(FIELD.xy_m, (values, np.full(24, 1.0)), SQUARE, 20, HALVES)
        assert by_soil.fitted.by_soil and not plain.fitted.by_soil
        assert by_soil.fitted.error < 0.8 * plain.fitted.error
        east = by_soil.grid.places_m[:, 0]
        told = by_soil.weights @ by_soil.fitted.values
        edge = np.abs(east - 150) < 16
        assert told[edge & (east > 150)].mean() - told[edge & (east < 150)].mean() > 14
        assert not by_soil.blank.all(), "the soils' means are known though nothing else is alike"
        place, gain = next_place(by_soil, FIELD.xy_m)
        assert gain > 0 and (place > 0).all()

    def test_soils_that_do_not_differ_change_nothing(self) -> None:
        _, values = two_soils(0.0)
        smooth = values + 0.1 * FIELD.xy_m[:, 1]
        plain = block_map(FIELD.xy_m, (smooth, np.full(24, 1.0)), SQUARE, 12)
        drawn = block_map(FIELD.xy_m, (smooth, np.full(24, 1.0)), SQUARE, 12, HALVES)
        assert not drawn.fitted.by_soil and drawn.weights == pytest.approx(plain.weights)

    @pytest.mark.parametrize(("inside", "used"), [(FEWEST_IN_SOIL - 1, False), (FEWEST_IN_SOIL, True)])
    def test_three_nodes_in_each_at_least(self, inside: int, used: bool) -> None:
        soil = np.where(np.arange(24) < inside, 1, 0)
        values = 60 + 40.0 * soil + np.random.default_rng(1).normal(0, 1.0, 24)
        assert soils_differ(soil, values) == used

    @pytest.mark.parametrize(("step", "used"), [(2.0, False), (6.0, True)])
    def test_apart_by_more_than_accident(self, step: float, used: bool) -> None:
        assert [soils_differ(*two_soils(step, s)) for s in range(20)].count(used) >= 15

    def test_ground_of_a_soil_without_a_node_stays_blank(self) -> None:
        _, values = two_soils(20.0)
        corner = [np.array([[0, 0], [20, 0], [20, 20], [0, 20]], dtype=float)]
        found = block_map(FIELD.xy_m, (values, np.full(24, 1.0)), SQUARE, 30, [corner, *HALVES])
        low = (found.grid.places_m < 20).all(axis=1)
        assert found.blank[low].all() and not found.blank[~low].all()

    def test_errors_left_out_are_those_without_the_node(self) -> None:
        soil, values = two_soils(15.0)
        found = fit(FIELD.xy_m, values, np.full(24, 1.0), soil)
        rest = np.delete(np.arange(24), 5)
        without = replace(found, xy_m=found.xy_m[rest], values=values[rest], own=found.own[rest], soil=soil[rest])
        weights, _ = weights_to(without, found.xy_m[5:6], soil[5:6])
        assert found.left_out[5] == pytest.approx(float(weights[0] @ values[rest]) - values[5], abs=1e-6)
