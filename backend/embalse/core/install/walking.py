"""The way on foot round the places to visit."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.install.boundary import LonLat, frame_of

Table = list[list[float]]

LEAST_GAIN_M = 1e-6
LONGEST_MOVED = 3
MOST_MOVED = 30  # more than a person walks to in a morning; beyond it stretches are only turned, which is quick


@dataclass(frozen=True)
class Walk:
    """The order in which places are walked to, by their index, and its length [m] as the crow flies."""

    order: tuple[int, ...]
    length_m: float


def walk_round(places: Sequence[LonLat]) -> Walk:
    """A short way through all places that begins at the first and need not come back.

    To the nearest next, then stretches are turned round (2-opt: Croes 1958, Operations Research 6, 791) or up to
    three places taken elsewhere (Or 1976) for as long as that makes the way shorter. Not proven the shortest.

    Parameters
    ----------
    places : sequence of (longitude, latitude)
        Places [degrees], the one to begin with first.

    Examples
    --------
    >>> walk_round([(-3.0, 40.0), (-3.0, 40.02), (-3.0, 40.01)]).order
    (0, 2, 1)
    >>> walk_round([])
    Walk(order=(), length_m=0.0)
    """
    if not places:
        return Walk((), 0.0)
    frame = frame_of(places)
    at = [frame.metres(place) for place in places]
    apart = [[math.dist(a, b) for b in at] for a in at]
    order = _shortened(_to_the_nearest(apart), apart)
    return Walk(tuple(order), _way_m(order, apart))


def _to_the_nearest(apart: Table) -> list[int]:
    left = set(range(1, len(apart)))
    order = [0]
    while left:
        here = apart[order[-1]]
        order.append(min(left, key=lambda i: (here[i], i)))
        left.remove(order[-1])
    return order


def _shortened(order: list[int], apart: Table) -> list[int]:
    """The way with stretches turned round, and short ones taken elsewhere, until neither makes it shorter."""
    while (better := _turned(order, apart) or _moved(order, apart)) is not None:
        order = better
    return order


def _turned(order: list[int], apart: Table) -> list[int] | None:
    before = order
    for i, j in itertools.combinations(range(1, len(order)), 2):
        end = order[j + 1 : j + 2]
        now = _way_m([order[i - 1], order[i]], apart) + _way_m([order[j], *end], apart)
        then = _way_m([order[i - 1], order[j]], apart) + _way_m([order[i], *end], apart)
        if now - then > LEAST_GAIN_M:
            order = [*order[:i], *reversed(order[i : j + 1]), *order[j + 1 :]]
    return order if order is not before else None


def _moved(order: list[int], apart: Table) -> list[int] | None:
    if len(order) > MOST_MOVED:
        return None
    for i, length in itertools.product(range(1, len(order)), range(1, LONGEST_MOVED + 1)):
        stretch, after = order[i : i + length], order[i + length : i + length + 1]
        rest = order[:i] + order[i + length :]
        saved = _way_m([order[i - 1], *stretch, *after], apart) - _way_m([order[i - 1], *after], apart)
        for k, way in itertools.product(range(len(rest)), (stretch, stretch[::-1])):
            then = rest[k + 1 : k + 2]
            if saved - _way_m([rest[k], *way, *then], apart) + _way_m([rest[k], *then], apart) > LEAST_GAIN_M:
                return [*rest[: k + 1], *way, *rest[k + 1 :]]
    return None


def _way_m(order: Sequence[int], apart: Table) -> float:
    return sum(apart[a][b] for a, b in itertools.pairwise(order))
