"""Simulated fields with a true map: error against the mean's and the nearest node's, refusals, and what lasts."""

import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bench.timing import line
from embalse.core.spatial.block_map import BlockMap, block_map, grid_in
from embalse.core.spatial.kriging import NoMap
from embalse.core.spatial.rank_stability import best_for_mean, standings

FIELDS = 20
NODES = 24
SIDE_M = 300.0
SQUARE = np.array([[0.0, 0.0], [SIDE_M, 0.0], [SIDE_M, SIDE_M], [0.0, SIDE_M]])
GROUND_SD, NODE_SD = 12.0, 5.0
DAYS = 60
SENSOR_SD, RANGE_M = 4.0, 300.0
ERRORS = np.full(NODES, SENSOR_SD)


@dataclass(frozen=True)
class Field:
    """A field: nodes [m], the ground's true difference on a grid and at the nodes [mm], and days of readings [mm]."""

    xy_m: NDArray[np.float64]
    ground: NDArray[np.float64]
    at_nodes: NDArray[np.float64]
    own: NDArray[np.float64]
    days: NDArray[np.float64]


def field(seed: int, range_m: float, long_side: int = 48) -> Field:
    """A field whose ground varies over a range [m], 0 for none; each node has a stillness of its own and noise."""
    random = np.random.default_rng(9000 + seed)
    steps = np.linspace(0.1, 0.9, 5) * SIDE_M
    even = np.array([(x, y) for x in steps for y in steps])[:NODES]
    xy = even + random.uniform(-20, 20, even.shape)
    places = np.vstack([grid_in(SQUARE, long_side).places_m, xy])
    if range_m > 0:
        apart = np.sqrt(((places[:, None, :] - places[None, :, :]) ** 2).sum(axis=2))
        covariance = GROUND_SD**2 * np.exp(-3 * apart / range_m) + 1e-6 * np.eye(len(places))
        ground = np.linalg.cholesky(covariance) @ random.normal(size=len(places))
    else:
        ground = np.zeros(len(places))
    here, nodes = ground[: -len(xy)], ground[-len(xy) :]
    spread = NODE_SD if range_m > 0 else float(np.hypot(NODE_SD, GROUND_SD))
    own = random.normal(0, spread, len(xy))
    course = 120 - 30 * ((np.arange(DAYS) % 8) / 8) + random.normal(0, 1, DAYS)
    days = course[:, None] + nodes + own + random.normal(0, 1.5, (DAYS, len(xy)))
    return Field(xy, here, nodes, own, days)


def main() -> None:
    """Print the figures."""
    gain_mean, gain_near, stated, refused_with, places, best = [], [], [], 0, [0, 0, 0], 0
    for seed in range(FIELDS):
        one = field(seed, RANGE_M)
        values = one.days[-1]
        best += _best_rank(one) < 2
        _persistent(one, places)
        try:
            found = block_map(one.xy_m, (values, ERRORS), SQUARE)
        except NoMap:
            refused_with += 1
            continue
        truth = one.ground - one.at_nodes.mean()
        told = found.weights @ (values - values.mean())
        error = float(np.sqrt(np.mean((told - truth)[~found.blank] ** 2)))
        gain_mean.append(1 - error / float(np.sqrt(np.mean(truth[~found.blank] ** 2))))
        nearest = np.argmin(((found.grid.places_m[:, None, :] - one.xy_m[None, :, :]) ** 2).sum(axis=2), axis=1)
        by_near = (values - values.mean())[nearest]
        gain_near.append(1 - error / float(np.sqrt(np.mean((by_near - truth)[~found.blank] ** 2))))
        stated.append(float(np.sqrt(np.mean(found.doubt[~found.blank] ** 2))) / error)
    refused = sum(_refuses(field(100 + seed, 0.0)) for seed in range(5 * FIELDS))
    line(f"map of {FIELDS} fields with structure, {NODES} nodes: refused", f"{refused_with}", "none given")
    line("  error below the mean's by, median", f"{np.median(gain_mean):.0%}", "25 %")
    line("  error below the nearest node's by, median", f"{np.median(gain_near):.0%}", "25 %")
    line("  stated over true error, median", f"{np.median(stated):.2f}", "0.85 to 1.15")
    line(f"refused, of {5 * FIELDS} fields without structure", f"{refused}", "95 %")
    hits, named, true = places
    told = f"{hits / max(named, 1):.2f} and {hits / max(true, 1):.2f}"
    line(f"always dry or wet: precision and recall, of {true}", told, "0.90")
    line("the node nearest to the mean among the true two best", f"{best} of {FIELDS}", "80 %")
    _speed()


def _refuses(one: Field) -> bool:
    try:
        block_map(one.xy_m, (one.days[-1], ERRORS), SQUARE, 12)
    except NoMap:
        return True
    return False


def _true_differences(one: Field) -> NDArray[np.float64]:
    true = one.at_nodes + one.own
    return true - true.mean()


def _best_rank(one: Field) -> int:
    chosen = best_for_mean(standings(one.days, 0.0)).place
    return int(np.argsort(np.argsort(np.abs(_true_differences(one))))[chosen])


def _persistent(one: Field, places: list[int]) -> None:
    doubt = NODE_SD
    true = np.abs(_true_differences(one)) > doubt
    named = np.array([s.lasting != "" for s in standings(one.days, doubt)])
    places[0] += int((true & named).sum())
    places[1] += int(named.sum())
    places[2] += int(true.sum())


def _speed() -> None:
    random = np.random.default_rng(1)
    xy = random.uniform(0, SIDE_M, (60, 2))
    values = 100 + 12 * np.sin(xy[:, 0] / 60) + random.normal(0, 2, 60)
    block_map(xy, (values, np.full(60, SENSOR_SD)), SQUARE, 100)
    taken = []
    for _ in range(5):
        started = time.perf_counter()
        found: BlockMap = block_map(xy, (values, np.full(60, SENSOR_SD)), SQUARE, 100)
        taken.append(time.perf_counter() - started)
    assert len(found.grid.places_m) == 10_000
    line("60 nodes on a grid of 100 × 100", f"{1000 * float(np.median(taken)):.0f} ms", "200 ms")


if __name__ == "__main__":
    main()
