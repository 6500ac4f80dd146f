"""Places that keep their rank: always dry, always wet, and the one that stands best for the block."""

from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError, require
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
FEWEST_DAYS: Final = 15  # days every node was read on before anything is called lasting (ours: two weeks and one)
KEPT_SHARE: Final = 0.9  # of the days on either course on which it lies on one side (ours)
FEWEST_NODES: Final = 5


class NotStable(CoreError):
    """Too little to tell what lasts."""


@dataclass(frozen=True)
class Standing:
    """How a node stands to the block's mean over time, in the values' unit.

    ``difference`` is its mean difference, ``spread`` the standard deviation of that, ``rank`` its mean rank, 0 to 1 for
    the wettest. ``index`` joins both: the root of the sum of their squares. ``lasting`` says where it always lies.
    """

    place: int
    difference: float
    spread: float
    rank: float
    index: float
    lasting: Literal["", "dry", "wet"]


def standings(values: Floats, doubt: float) -> list[Standing]:
    """How every node stands to the mean of all, through wettings and dry-downs.

    Parameters
    ----------
    values : array, shape (days, nodes)
        Water of each node on each day, more is wetter; NaN where not read. Days on which one is missing are left out.
    doubt : float
        Difference that must be beaten before a place is named, in the values' unit: the map's error left out.

    Returns
    -------
    list of Standing
        In the order of the nodes. A place is named where its mean difference beats the doubt and it lies on that
        side on nine days in ten, both of those on which the block got wetter and of those on which it dried.

    Raises
    ------
    NotStable
        With fewer than five nodes, or fifteen days on which all were read.

    References
    ----------
    .. [1] Vachaud et al. (1985), Soil Sci. Soc. Am. J. 49:822-828 (relative differences; here absolute ones, of which
       the relative are the same divided by the day's mean).
    .. [2] The index that joins both: Jacovides et al. (1996); Zhao et al. (2010), recalled.
    """
    whole = values[np.isfinite(values).all(axis=1)]
    require(values.shape[1] >= FEWEST_NODES, "nodes",
            Notice("map.few", nodes=values.shape[1], wanted=FEWEST_NODES), NotStable)  # fmt: skip
    require(len(whole) >= FEWEST_DAYS, "days",
            Notice("map.few_days", days=float(len(whole)), wanted_days=float(FEWEST_DAYS)), NotStable)  # fmt: skip
    mean = whole.mean(axis=1)
    off = whole - mean[:, None]
    wetter = np.diff(mean, prepend=mean[0]) > 0
    ranks = whole.argsort(axis=1).argsort(axis=1) / (values.shape[1] - 1)
    found = []
    for place in range(values.shape[1]):
        mine = off[:, place]
        difference, spread = float(mine.mean()), float(mine.std(ddof=1))
        index = float(np.hypot(difference, spread))
        side = _lasting(mine, wetter, difference, doubt)
        found.append(Standing(place, difference, spread, float(ranks[:, place].mean()), index, side))
    return found


def _lasting(off: Floats, wetter: NDArray[np.bool_], difference: float, doubt: float) -> Literal["", "dry", "wet"]:
    if abs(difference) <= doubt:
        return ""
    kept = [float((np.sign(off[course]) == np.sign(difference)).mean()) for course in (wetter, ~wetter) if course.any()]
    if min(kept) < KEPT_SHARE:
        return ""
    return "wet" if difference > 0 else "dry"


def best_for_mean(found: list[Standing]) -> Standing:
    """The node that lies nearest to the block's mean and stays there: least index."""
    return min(found, key=lambda one: one.index)


def worst_for_mean(found: list[Standing]) -> Standing:
    """The node that tells least of the block's mean: greatest index."""
    return max(found, key=lambda one: one.index)


def error_by_one(values: Floats, place: int) -> float:
    """What the block's mean is off by, root mean square, when told by one node alone, in the values' unit."""
    whole = values[np.isfinite(values).all(axis=1)]
    return float(np.sqrt(np.mean((whole[:, place] - whole.mean(axis=1)) ** 2)))
