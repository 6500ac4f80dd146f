"""The way round the places to visit, against every order there is and a length on the ellipsoid."""

import itertools
import random

import pytest
from geographiclib.geodesic import Geodesic

from embalse.core.install import walking
from embalse.core.install.boundary import frame_of
from embalse.core.install.walking import walk_round


def _length_m(places: list[tuple[float, float]], order: tuple[int, ...]) -> float:
    pairs = itertools.pairwise(order)
    return sum(Geodesic.WGS84.Inverse(places[a][1], places[a][0], places[b][1], places[b][0])["s12"] for a, b in pairs)


def _farm(seed: int, count: int) -> list[tuple[float, float]]:
    rng = random.Random(seed)
    return [(-4.0 + rng.random() * 0.03, 39.0 + rng.random() * 0.02) for _ in range(count)]


@pytest.mark.published(source="all orders tried, lengths by the geodesic library on WGS84")
def test_the_way_is_within_a_twentieth_of_the_shortest_there_is() -> None:
    over = []
    for seed in range(25):
        places = _farm(seed, 7)
        walk = walk_round(places)
        assert walk.order[0] == 0
        assert sorted(walk.order) == list(range(7))
        shortest = min(_length_m(places, (0, *rest)) for rest in itertools.permutations(range(1, 7)))
        assert walk.length_m == pytest.approx(_length_m(places, walk.order), rel=2e-3)
        over.append(walk.length_m / shortest)
    assert sorted(over)[12] == pytest.approx(1.0, abs=2e-3)
    assert max(over) < 1.05


def test_no_stretch_of_the_way_can_be_turned_round_to_shorten_it() -> None:
    places = _farm(3, 30)
    walk = walk_round(places)
    at = [frame_of(places).metres(p) for p in places]

    def length(order: list[int]) -> float:
        return sum(
            ((at[a][0] - at[b][0]) ** 2 + (at[a][1] - at[b][1]) ** 2) ** 0.5 for a, b in itertools.pairwise(order)
        )

    order = list(walk.order)
    for i, j in itertools.combinations(range(1, 30), 2):
        assert length([*order[:i], *reversed(order[i : j + 1]), *order[j + 1 :]]) >= walk.length_m - 1e-3


@pytest.mark.parametrize(("limit", "shortened"), [(30, True), (29, False)])
def test_up_to_thirty_places_single_ones_are_taken_elsewhere(
    monkeypatch: pytest.MonkeyPatch, limit: int, shortened: bool
) -> None:
    assert walking.MOST_MOVED == 30
    farms = [_farm(seed, 30) for seed in range(4)]
    moved = [walk_round(farm).length_m for farm in farms]
    monkeypatch.setattr(walking, "MOST_MOVED", 0)
    turned = [walk_round(farm).length_m for farm in farms]
    monkeypatch.setattr(walking, "MOST_MOVED", limit)
    assert [walk_round(farm).length_m for farm in farms] == (moved if shortened else turned)
    assert sum(moved) < 0.99 * sum(turned)


def test_one_place_and_two_on_the_same_spot() -> None:
    assert walk_round([(-4.0, 39.0)]).order == (0,)
    same = walk_round([(-4.0, 39.0), (-4.0, 39.0)])
    assert (same.order, same.length_m) == ((0, 1), 0.0)
