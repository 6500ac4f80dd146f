"""Values between nodes: a Gaussian process over the ground, its mean as in ordinary kriging, and how sure it is."""

import warnings
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_solve

from embalse.core.errors import CoreError, require
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
FEWEST_IN_SOIL: Final = 3  # nodes of a soil zone from which on its own mean is told (ours)
FEWEST_NODES: Final = 5  # nodes below which nothing is said between them (ours: four corners and a middle)
SURE: Final = 0.97  # chance with which likeness between neighbours must be no accident (ours)
GAIN: Final = 0.95  # error left out over the mean's [-] that a map must stay below (ours)
LAGS: Final = 8  # classes of distance of the evidence
DEALINGS: Final = 999


class NoMap(CoreError):
    """A map that would be invention."""


@dataclass(frozen=True)
class Lag:
    """A class of distances: mean distance [m], half the mean squared difference of its pairs, and how many."""

    distance_m: float
    semivariance: float
    pairs: int


@dataclass(frozen=True)
class Likeness:
    """How alike neighbours are: an exponential covariance, and the evidence it was fitted to.

    ``sill`` is the variance of what the ground varies by, ``nugget`` that of what each node has for itself (in the
    square of the values' unit), ``range_m`` the distance within which nodes tell of each other (19 parts in 20 of the
    likeness are gone there). ``chance`` is that of seeing as much likeness where there is none [-].
    """

    sill: float
    range_m: float
    nugget: float
    chance: float
    lags: tuple[Lag, ...]


@dataclass(frozen=True)
class Fitted:
    """Nodes with the likeness between them. ``weights_to`` and ``doubt_at`` say the rest.

    ``own`` is the variance each node has for itself, its error with it. ``left_out`` are the errors of every node told
    by the others, ``mean_left_out`` those of the others' mean (told less true, in the values' unit). ``soil`` numbers
    the soil zone each node lies in where those have means of their own; all 0 where the ground has one.
    """

    xy_m: Floats
    values: Floats
    own: Floats
    likeness: Likeness
    left_out: Floats
    mean_left_out: Floats
    soil: Ints | None = None

    @property
    def by_soil(self) -> bool:
        """Whether soil zones have means of their own."""
        return self.soil is not None and len(np.unique(self.soil)) > 1

    @property
    def drift(self) -> Floats:
        """What the ground's mean is made of at each node: a column a soil zone, shape (n, k)."""
        return _columns(np.zeros(len(self.values), dtype=np.int64) if self.soil is None else self.soil, self.soil)

    @property
    def error(self) -> float:
        """Root mean square of the errors left out, in the values' unit."""
        return float(np.sqrt(np.mean(self.left_out**2)))

    @property
    def mean_error(self) -> float:
        """The same of the mean of the others."""
        return float(np.sqrt(np.mean(self.mean_left_out**2)))


def soils_differ(soil: Ints, values: Floats) -> bool:
    """Whether soil zones tell of their nodes: three in each at least, and apart by more than accident (3 in 100).

    Parameters
    ----------
    soil : array of int, shape (n,)
        Number of the soil zone each node lies in.
    values : array, shape (n,)

    References
    ----------
    .. [1] Analysis of variance of one way (Fisher 1925; by scipy).
    """
    groups = [values[soil == one] for one in np.unique(soil)]
    if len(groups) < 2 or min(len(g) for g in groups) < FEWEST_IN_SOIL:
        return False
    from scipy.stats import f_oneway  # here: it takes most of a second to load, and few blocks have soil zones

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # groups that are constant: told apart, or not a number
        return bool(f_oneway(*groups).pvalue <= 1 - SURE)


def fit(xy_m: Floats, values: Floats, errors: Floats, soil: Ints | None = None) -> Fitted:
    """Fit how alike neighbours are, by greatest likelihood.

    Parameters
    ----------
    xy_m : array, shape (n, 2)
        Places of the nodes [m].
    values, errors : array, shape (n,)
        Their values and standard errors, in any one unit.
    soil : array of int, shape (n,), optional
        Soil zone of each node, where each zone has a mean of its own; else the ground has one.

    Raises
    ------
    NoMap
        With fewer than five nodes, all of one value, or two in one place.

    References
    ----------
    .. [1] Matheron (1963), Economic Geology 58:1246-1266; Rasmussen & Williams (2006), Gaussian Processes for Machine
       Learning, ch. 2 and 5 (by scikit-learn). Means by soil zone: universal kriging with classes as drift (Matheron
       1969; Webster & Oliver 2007, Geostatistics for Environmental Scientists, ch. 9).
    """
    require(len(values) >= FEWEST_NODES, "nodes", Notice("map.few", nodes=len(values), wanted=FEWEST_NODES), NoMap)
    apart = _distances(xy_m, xy_m)
    require(bool((apart[np.triu_indices(len(values), 1)] > 0).all()), "nodes", Notice("map.one_place"), NoMap)
    require(float(np.std(values)) > 0, "nodes", Notice("map.alike"), NoMap)
    drift = _columns(np.zeros(len(values), dtype=np.int64) if soil is None else soil, soil)
    around = values - drift @ np.linalg.lstsq(drift, values, rcond=None)[0]
    likeness = _likeness(xy_m, around, errors, apart)
    own = likeness.nugget + errors**2
    covariance = _covariance(apart, likeness) + np.diag(own)
    return Fitted(xy_m, values, own, likeness, _left_out(covariance, values, drift), _mean_left_out(values), soil)


def check_worth(fitted: Fitted) -> None:
    """Refuse a map that says no more than the mean does; raises NoMap with the figures of its evidence.

    Where soil zones have means of their own, those are the likeness.
    """
    if not fitted.by_soil and fitted.likeness.chance > 1 - SURE:
        raise NoMap(
            "nodes", Notice("map.no_likeness", nodes=len(fitted.values), chance_fraction=fitted.likeness.chance)
        )
    if fitted.error >= GAIN * fitted.mean_error:
        raise NoMap("nodes", Notice("map.no_gain", nodes=len(fitted.values)))


def weights_to(fitted: Fitted, places_m: Floats, soil: Ints | None = None) -> tuple[Floats, Floats]:
    """What every node weighs at places, and how unsure the places are.

    Parameters
    ----------
    fitted : Fitted
    places_m : array, shape (m, 2)
        Places [m].
    soil : array of int, shape (m,), optional
        Soil zone of each place, where the fit has means by soil zone; the weights of one without a node sum to 0.

    Returns
    -------
    weights : array, shape (m, n)
        Shares of the nodes [-], each row's sum is 1; the map is their product with the nodes' values.
    doubt : array, shape (m,)
        Standard deviation of what the ground is there, in the values' unit.
    """
    like = fitted.likeness
    between = _covariance(_distances(fitted.xy_m, fitted.xy_m), like) + np.diag(fitted.own)
    to = _covariance(_distances(places_m, fitted.xy_m), like)
    lower = np.linalg.cholesky(between)
    drift = fitted.drift
    own = cho_solve((lower, True), drift)
    simple = cho_solve((lower, True), to.T).T
    here = np.ones((len(places_m), 1)) if drift.shape[1] == 1 or soil is None else _columns(soil, fitted.soil)
    lacking = here - simple @ drift
    by_mean = lacking @ np.linalg.inv(drift.T @ own)
    weights = simple + by_mean @ own.T
    variance = like.sill - np.einsum("ij,ij->i", simple, to) + np.einsum("ij,ij->i", by_mean, lacking)
    return weights, np.sqrt(np.maximum(variance, 0.0))


def useful_doubt(fitted: Fitted) -> float:
    """Doubt from which on a place is left blank, in the values' unit: the nodes say almost nothing of it.

    Nine tenths of the ground's whole variance, what its soil zones differ by with it.
    """
    means = fitted.drift @ np.linalg.lstsq(fitted.drift, fitted.values, rcond=None)[0]
    return float(np.sqrt(0.9 * (fitted.likeness.sill + np.var(means))))


def _likeness(xy_m: Floats, values: Floats, errors: Floats, apart: Floats) -> Likeness:
    # here, not above: they take a second to load, and most of what Embalse answers draws no map
    from sklearn.exceptions import ConvergenceWarning  # type: ignore[import-untyped]
    from sklearn.gaussian_process import GaussianProcessRegressor  # type: ignore[import-untyped]
    from sklearn.gaussian_process.kernels import ConstantKernel, Matern, WhiteKernel  # type: ignore[import-untyped]

    spread = max(float(np.std(values)), 1e-9)
    far, near = float(apart.max()), float(np.min(apart[apart > 0]))
    z = (values - values.mean()) / spread
    ground = ConstantKernel(0.7, (1e-2, 5)) * Matern(far / 4, (near / 3, 2 * far), nu=0.5)
    kernel = ground + WhiteKernel(0.3, (1e-3, 3))
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", ConvergenceWarning)
        model = GaussianProcessRegressor(kernel, alpha=(errors / spread) ** 2 + 1e-9, n_restarts_optimizer=2,
                                         random_state=0).fit(xy_m, z)  # fmt: skip
    told, alone = model.kernel_.k1, model.kernel_.k2
    length = float(told.k2.length_scale)
    return Likeness(
        spread**2 * told.k1.constant_value, 3 * length, spread**2 * alone.noise_level, _chance(apart, values),
        _lags(apart, values),
    )  # fmt: skip


def _chance(apart: Floats, values: Floats) -> float:
    """Chance of neighbours as alike as these among nodes that are dealt out anew [-], by 999 dealings.

    Alike by the likelihood of an exponential covariance over a third of the block, seven tenths of it the ground's:
    on simulated fields it finds more of what is there than Moran's I does, at the same number of false ones.

    References
    ----------
    .. [1] Permutation tests of autocorrelation: Cliff & Ord (1981), Spatial Processes, ch. 2.
    """
    covariance = 0.7 * np.exp(-9 * apart / apart.max()) + 0.3 * np.eye(len(values))
    inverse = np.linalg.inv(covariance)
    z = values - values.mean()
    random = np.random.default_rng(0)
    dealt = np.array([random.permutation(z) for _ in range(DEALINGS)])
    as_alike = np.einsum("ij,jk,ik->i", dealt, inverse, dealt) <= float(z @ inverse @ z) + 1e-9
    return float((1 + as_alike.sum()) / (1 + DEALINGS))


def _lags(apart: Floats, values: Floats) -> tuple[Lag, ...]:
    first, second = np.triu_indices(len(values), 1)
    distance, half = apart[first, second], 0.5 * (values[first] - values[second]) ** 2
    edges = np.linspace(0, distance.max() * (2 / 3), LAGS + 1)
    found = []
    for low, high in pairwise(edges.tolist()):
        inside = (distance > low) & (distance <= high)
        if inside.any():
            found.append(Lag(float(distance[inside].mean()), float(half[inside].mean()), int(inside.sum())))
    return tuple(found)


def _covariance(apart: Floats, like: Likeness) -> Floats:
    found: Floats = like.sill * np.exp(-3 * apart / like.range_m)
    return found


def _distances(a: Floats, b: Floats) -> Floats:
    found: Floats = np.sqrt(((a[:, None, :] - b[None, :, :]) ** 2).sum(axis=2))
    return found


def _columns(soil: Ints, told: Ints | None) -> Floats:
    """A column a soil zone among those the nodes lie in, 1 where a place lies in it; one of ones without soils."""
    if told is None:
        return np.ones((len(soil), 1))
    found: Floats = (soil[:, None] == np.unique(told)[None, :]).astype(float)
    return found


def _left_out(covariance: Floats, values: Floats, drift: Floats) -> Floats:
    """Every node told by the others with the same covariance, their means fitted without it (Dubrule 1983)."""
    n, k = drift.shape
    system = np.zeros((n + k, n + k))
    system[:n, :n], system[:n, n:], system[n:, :n] = covariance, drift, drift.T
    inverse = np.linalg.inv(system)[:n, :n]
    found: Floats = -(inverse @ values) / np.diag(inverse)
    return found


def _mean_left_out(values: Floats) -> Floats:
    others: Floats = (values.sum() - values) / (len(values) - 1)
    return others - values


def nearest_left_out(xy_m: Floats, values: Floats) -> Floats:
    """Errors of every node told by its nearest one, places in m, in the values' unit."""
    apart = _distances(xy_m, xy_m)
    np.fill_diagonal(apart, np.inf)
    found: Floats = values[np.argmin(apart, axis=1)] - values
    return found


def reduced_doubt(fitted: Fitted, candidates: tuple[Floats, Ints], places: tuple[Floats, Ints]) -> Floats:
    """Mean variance over places after a node more at each candidate, in the square of the values' unit, shape (k,).

    Candidates and places come with the soil zone each lies in.
    """
    return np.array([_with_one(fitted, one, soil, places) for one, soil in zip(*candidates, strict=True)])


def _with_one(fitted: Fitted, place_m: Floats, soil: int, places: tuple[Floats, Ints]) -> float:
    values, own = np.append(fitted.values, fitted.values.mean()), np.append(fitted.own, fitted.own.mean())
    zones = None if fitted.soil is None else np.append(fitted.soil, soil)
    more = replace(fitted, xy_m=np.vstack([fitted.xy_m, place_m]), values=values, own=own, soil=zones)
    return float(np.mean(weights_to(more, *places)[1] ** 2))


@dataclass(frozen=True)
class Plane:
    """A plane through a middle (longitude, latitude) [°], and metres to a degree east and north (WGS 84).

    Within 1 in 10,000 of the ground over a farm.
    """

    middle: tuple[float, float]
    scale: tuple[float, float]

    def metres(self, places: Sequence[tuple[float, float]]) -> Floats:
        """Places (longitude, latitude) [°] as metres east and north of the middle, shape (n, 2)."""
        found: Floats = (np.array(places, dtype=float).reshape(-1, 2) - self.middle) * self.scale
        return found

    def degrees(self, place_m: Floats) -> tuple[float, float]:
        """A place in metres as longitude and latitude [°]."""
        longitude, latitude = np.asarray(place_m) / self.scale + self.middle
        return float(longitude), float(latitude)


def plane_through(places: Sequence[tuple[float, float]]) -> Plane:
    """The plane through the middle of places (longitude, latitude) [°]."""
    middle = np.array(places, dtype=float).reshape(-1, 2).mean(axis=0)
    latitude = np.radians(middle[1])
    root = np.sqrt(1 - 0.00669438 * np.sin(latitude) ** 2)
    east, north = 6_378_137.0 / root * np.cos(latitude), 6_378_137.0 * (1 - 0.00669438) / root**3
    scale = np.radians(1) * east, np.radians(1) * north
    return Plane((float(middle[0]), float(middle[1])), (float(scale[0]), float(scale[1])))
