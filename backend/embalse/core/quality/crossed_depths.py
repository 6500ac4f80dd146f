"""Two depths wired the wrong way round, found from how much each depth moves and how wettings arrive."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from embalse.core.robust import sd_from_deviations
from embalse.core.wording import Notice

HOUR = 3600  # seconds
RISE_THETA = 0.006  # m³/m³ in four hours that are a wetting's front (ours, as wettings)
RISE_NOISES = 5.0  # noises such a rise must exceed (ours)
STEP_H = 4  # hours over which a rise is looked for (ours)
QUIET_H = 12  # hours without a rise before the next one counts as new (ours)
WITHIN_H = 48  # hours in which a front reaches the next depth, or does not (ours)
FEWEST_WETTINGS = 3  # wettings that must speak against the order (ours)
AGAINST_SHARE = 0.8  # share of the wettings [-] that must (ours)
BLURRED_SHARE = 0.4  # the same where what the depths move tells enough (ours): deep fronts blur
MOVES_MORE = 1.15  # times that a deeper sensor may move as much as one above it before that speaks against them (ours)
ENOUGH_GAIN = math.log(1.3)  # contradiction an exchange takes away that tells enough (ours), as a ratio's logarithm
LEFT_SHARE = 0.5  # share of the contradiction [-] the exchange may leave (ours)
CLEAR_BY = 0.15  # contradiction by which the next best exchange must be worse for the pair to be sure (ours)
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class DepthSeries:
    """A sensor's hourly water content [m³/m³] at a written depth [cm], on the station's common time axis."""

    sensor: str
    depth_cm: float
    theta: Floats


@dataclass(frozen=True)
class SwapSuspicion:
    """Two sensors whose wettings arrive against their written depths: how many of how many, and why."""

    upper: str
    lower: str
    against: int
    wettings: int
    words: Notice


def arrivals(theta: Floats) -> list[int]:
    """Hours (positions on the axis) at which a wetting arrives, after at least half a day without one.

    A wetting is a rise over four hours of more than 0.006 m³/m³ and more than five times the noise; the noise is that
    of such rises themselves, over √2, so that a daily swing of temperature is in it.
    """
    if len(theta) < STEP_H + 1:
        return []
    rise = np.zeros(len(theta))
    rise[STEP_H:] = theta[STEP_H:] - theta[:-STEP_H]
    known = rise[STEP_H:][np.isfinite(rise[STEP_H:])]
    noise = float(sd_from_deviations(known - np.median(known)) / np.sqrt(2)) if len(known) else 0.0
    found: list[int] = []
    before = -QUIET_H
    for hour in np.flatnonzero(rise > max(RISE_THETA, RISE_NOISES * noise)).tolist():
        if hour - before > QUIET_H:
            found.append(hour)
        before = hour
    return found


def _against(upper: Sequence[int], lower: Sequence[int]) -> tuple[int, int]:
    """Wettings that reached the lower sensor an hour or more before the upper, or never the upper; and all of them."""
    against = wettings = 0
    for hour in upper:
        near = [other - hour for other in lower if abs(other - hour) <= WITHIN_H]
        wettings += 1
        against += bool(near) and min(near, key=abs) <= -1
    alone = [hour for hour in lower if all(abs(hour - other) > WITHIN_H for other in upper)]
    return against + len(alone), wettings + len(alone)


def _activity(theta: Floats) -> float:
    """How much a sensor moves from hour to hour [m³/m³], the noise taken out by a six-hour step."""
    steps = np.abs(theta[6:] - theta[:-6])
    known = steps[np.isfinite(steps)]
    return float(known.mean()) if len(known) else 0.0


def crossed_notice(depths_cm: tuple[float, float], against: int, wettings: int, clear: bool = True) -> Notice:
    """Why two depths [cm], the upper first, look crossed: how many of how many wettings came the wrong way.

    Where another exchange would do nearly as well (not ``clear``) the station is named, and the pair as the likeliest.
    """
    code = "crossed.suspected" if clear else "crossed.unsure"
    return Notice(code, upper_cm=depths_cm[0], lower_cm=depths_cm[1], against=against, wettings=wettings)


def _contradiction(moves: Sequence[float]) -> float:
    """How far depths, from the top, move against their order: the logarithms by which deeper ones move more, summed."""
    return sum(
        max(0.0, math.log(lower / upper) - math.log(MOVES_MORE)) for upper, lower in combinations(moves, 2) if upper > 0
    )


def _exchanged(moves: Sequence[float], places: tuple[int, int]) -> list[float]:
    found = list(moves)
    first, second = places
    found[first], found[second] = found[second], found[first]
    return found


def swap_suspicions(series: Sequence[DepthSeries], from_below: bool = False) -> list[SwapSuspicion]:
    """The pair of depths whose exchange puts a station in order, where it is out of order.

    Water that comes from above moves each depth less than the one above it: uptake and wettings both fade with depth.
    Every exchange of two depths is tried; the one that leaves the least contradiction is suspected where it takes most
    of it away, and where in three wettings at least, and four of five, the deeper of the two answered first, or alone;
    two of five where the exchange takes much away.

    Parameters
    ----------
    series : sequence of DepthSeries
        Depths [cm] and hourly water contents [m³/m³], NaN where missing; all on one axis.
    from_below : bool
        Whether water comes from a buried line: then the depths above the one that moves most are not compared.

    Returns
    -------
    list of SwapSuspicion
        One or none.
    """
    ordered = sorted(series, key=lambda s: s.depth_cm)
    moves = [_activity(s.theta) for s in ordered]
    told = [place for place, much in enumerate(moves) if much > 0]
    if from_below and told:
        most = max(told, key=lambda place: moves[place])
        told = [place for place in told if place >= most]
    if len(told) < 2:
        return []
    known = [moves[place] for place in told]
    now = _contradiction(known)
    tried = sorted((_contradiction(_exchanged(known, pair)), pair) for pair in combinations(range(len(known)), 2))
    left, (first, second) = tried[0]
    if now <= left or left > LEFT_SHARE * now:
        return []
    upper, lower = ordered[told[first]], ordered[told[second]]
    against, wettings = _against(arrivals(upper.theta), arrivals(lower.theta))
    share = BLURRED_SHARE if now - left >= ENOUGH_GAIN else AGAINST_SHARE
    if against < FEWEST_WETTINGS or against < share * wettings:
        return []
    clear = len(tried) == 1 or tried[1][0] - left >= CLEAR_BY
    words = crossed_notice((upper.depth_cm, lower.depth_cm), against, wettings, clear)
    return [SwapSuspicion(upper.sensor, lower.sensor, against, wettings, words)]
