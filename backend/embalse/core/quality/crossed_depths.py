"""Two depths wired the wrong way round, found from how wettings arrive."""

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


def _paired(upper: Sequence[int], lower: Sequence[int]) -> list[int]:
    """Hours by which each wetting reached the lower sensor later than the upper (negative: earlier)."""
    lags = []
    for hour in upper:
        near = [other - hour for other in lower if abs(other - hour) <= WITHIN_H]
        if near:
            lags.append(min(near, key=abs))
    return lags


def _activity(theta: Floats) -> float:
    """How much a sensor moves from hour to hour [m³/m³], the noise taken out by a six-hour step."""
    steps = np.abs(theta[6:] - theta[:-6])
    known = steps[np.isfinite(steps)]
    return float(known.mean()) if len(known) else 0.0


def crossed_notice(depths_cm: tuple[float, float], against: int, wettings: int) -> Notice:
    """Why two depths [cm], the upper first, look crossed: how many of how many wettings came the wrong way."""
    return Notice("crossed.suspected", upper_cm=depths_cm[0], lower_cm=depths_cm[1], against=against, wettings=wettings)


def swap_suspicions(series: Sequence[DepthSeries]) -> list[SwapSuspicion]:
    """Pairs of depths that wettings reach in the wrong order.

    A pair is suspected when in at least three wettings, and in four of five, the deeper sensor answers at least an
    hour before the shallower one, and it also moves more from hour to hour. When three depths are out of order only
    the pair with the most evidence is named.

    Parameters
    ----------
    series : sequence of DepthSeries
        Depths [cm] and hourly water contents [m³/m³], NaN where missing; all on one axis.
    """
    ordered = sorted(series, key=lambda s: s.depth_cm)
    comes = {s.sensor: arrivals(s.theta) for s in ordered}
    moves = {s.sensor: _activity(s.theta) for s in ordered}
    found = []
    for upper, lower in combinations(ordered, 2):
        lags = _paired(comes[upper.sensor], comes[lower.sensor])
        against = sum(lag <= -1 for lag in lags)
        if against < FEWEST_WETTINGS or against < AGAINST_SHARE * len(lags):
            continue
        if moves[lower.sensor] <= 1.15 * moves[upper.sensor]:
            continue
        words = crossed_notice((upper.depth_cm, lower.depth_cm), against, len(lags))
        found.append(SwapSuspicion(upper.sensor, lower.sensor, against, len(lags), words))
    found.sort(key=lambda s: -s.against)
    named: list[SwapSuspicion] = []
    for one in found:
        if not any({one.upper, one.lower} & {n.upper, n.lower} for n in named):
            named.append(one)
    return named
