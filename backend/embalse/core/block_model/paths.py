"""Where a fitted block goes from here: its root zone over the days ahead, by many weathers and many likely soils."""

from dataclasses import dataclass
from statistics import NormalDist
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import LEAST_BARE, OPEN_KCB, STEPS_A_DAY, Forcing, advance, started
from embalse.core.block_model.fit import Fitted, samples
from embalse.core.block_model.parameters import Prior, demand_log, scale, soil_of
from embalse.core.block_model.record import DAWN_STEP, Record, sun_share
from embalse.core.crop.depletion_forecast import LossPaths
from embalse.core.weather.weather_outlook import RECENT_DAYS, Outlook

Floats = NDArray[np.float64]
MEMBERS: Final = 48  # ways the days ahead may go (ours)
AHEAD_DAYS: Final = 14  # days ahead a path runs (ours)
START_SD: Final = 0.0018  # m³/m³ the state of a layer is uncertain by, beside its fixed bias (ours)
COMMON_SD: Final = 0.0008
"""m³/m³ all layers are uncertain by together: 0.0002 a degree for 4 °C between dawns (common practice, no source).
"""
DEMAND_SD: Final = 0.10  # log of what the crop's demand may do in the days ahead (ours)
FEWEST_MISSES: Final = 8  # own misses a spread is taken from (ours)
UNKNOWN_MISS: Final = 0.0015  # m³/m³ over the root zone a day ahead, where the model has no past to go by (ours)
GREATEST_MISS: Final = 3.0  # usual misses that one miss counts as at most (ours)
MISS_WIDENED: Final = 1.3  # fitted windows miss less than new ones (ours)
ASTRAY_MM: Final = 3.0  # mm the root zone may differ by from what paths said before they no longer hold (ours)
ASTRAY_SDS: Final = 3.0  # and in their own spreads
RAIN_STEP: Final = 5  # step of a day that its forecast rain falls in: the afternoon, where no hour is known


@dataclass(frozen=True, eq=False)
class Ahead:
    """Weather and crop of the days ahead from today on: ETo and rain [mm] of shape (members, days), the rest (days,).

    ``kcb`` is the basal coefficient [-], ``roots_cm`` the root depth [cm] of each day.
    """

    eto_mm: Floats
    rain_mm: Floats
    kcb: Floats
    roots_cm: Floats


def loss_paths(
    prior: Prior, found: Fitted, state: tuple[Floats, Floats, Floats], ahead: Ahead, from_step: int = DAWN_STEP
) -> LossPaths:
    """Forty-eight ways the root zone may go on from a step of today.

    Parameters
    ----------
    prior : Prior
    found : Fitted
    state : (array, array, array), shape (layers,) each
        Water contents now [m³/m³], the thickness of each layer's part in the root zone [mm], and the water contents of
        the driest dawn read so far [m³/m³].
    ahead : Ahead
    from_step : int
        Step of three hours of today that begins now.

    Returns
    -------
    LossPaths
        In steps of three hours.
    """
    theta, rooted_mm, driest = state
    x = samples(found, MEMBERS)
    generator = np.random.default_rng(21)
    x[:, 0] = found.x
    start = theta[:, None] + START_SD * generator.standard_normal((len(theta), MEMBERS))
    start += COMMON_SD * generator.standard_normal(MEMBERS)
    start[:, 0] = theta
    wander = np.exp(DEMAND_SD * generator.standard_normal(MEMBERS))
    days = min(AHEAD_DAYS, ahead.eto_mm.shape[1])
    member = np.arange(MEMBERS) % len(ahead.eto_mm)
    factor = np.exp(demand_log(prior, x, np.zeros(1)))[0] * wander
    soil = soil_of(prior, x, np.full(MEMBERS, ahead.roots_cm[0]))
    shares = sun_share()
    bare, into = scale(prior, x, "bare"), scale(prior, x, "rain")
    columns = started(np.clip(start, 0.0, soil.saturation))
    steps = days * STEPS_A_DAY - from_step
    level = float(rooted_mm @ theta)  # as read: what a path starts from beside it is part of its doubt
    lost = np.zeros((MEMBERS, steps + 1))
    forcing = _forcing(ahead, member, (factor, bare, into), shares)
    for step in range(steps):
        advance(columns, soil, forcing, step + from_step)
        lost[:, step + 1] = level - rooted_mm @ columns.theta
    times = np.arange(steps + 1) / STEPS_A_DAY
    lost = _no_brake_unseen(lost, level - float(rooted_mm @ driest))
    lost += own_miss_mm(found, rooted_mm, times) * _normal_places(generator)[:, None]
    miss_mm = float(own_miss_mm(found, rooted_mm, np.ones(1))[0])
    taken = float(np.exp(demand_log(prior, found.x[:, None], np.zeros(1)))[0, 0])
    return LossPaths(times, lost, found.windows, miss_mm, taken)


def _no_brake_unseen(lost: Floats, seen_mm: float) -> Floats:
    """Losses beyond what the root zone was ever seen to lose go on as in the day before: a brake nobody saw is none.

    A date that counts on the crop slowing down where no reading has shown it to would come too late.
    """
    last = lost.shape[1] - 1
    for path in lost:
        past = np.flatnonzero(path > max(seen_mm, 0.0))
        first = int(past[0]) if len(past) else last
        if not STEPS_A_DAY <= first < last:
            continue
        a_day = path[first] - path[first - STEPS_A_DAY]
        course = path[first - STEPS_A_DAY : first + 1] - path[first]
        days, within = np.divmod(np.arange(1, last - first + 1), STEPS_A_DAY)
        unbraked = path[first] + (days + 1) * a_day + course[within]
        path[first + 1 :] = np.maximum(path[first + 1 :], unbraked)
    return lost


def _normal_places(generator: np.random.Generator) -> Floats:
    """Places of a normal deviate, evenly spread in a fixed mixed order, the first in the middle, shape (members,)."""
    places = np.array([NormalDist().inv_cdf((n + 0.5) / (MEMBERS - 1)) for n in range(MEMBERS - 1)])
    return np.concatenate([[0.0], generator.permutation(places)])


def own_miss_mm(found: Fitted, rooted_mm: Floats, days: Floats) -> Floats:
    """How far the root zone came out from what the model said so many days ahead, in its own last weeks [mm].

    Parameters
    ----------
    found : Fitted
    rooted_mm : array, shape (layers,)
        Thickness of each layer's part in the root zone [mm].
    days : array
        Days ahead.

    Returns
    -------
    array, shape of ``days``
        A standard deviation: robust, by lead, growing with the square root of the days where no lead tells.
    """
    storage = np.tensordot(found.misses, rooted_mm, axes=(1, 0))
    leads = np.arange(1, storage.shape[0] + 1)
    by_day = np.abs(storage) / np.sqrt(leads)[:, None]
    known = by_day[np.isfinite(by_day)]
    if len(known) < FEWEST_MISSES:
        one_day = UNKNOWN_MISS * float(rooted_mm.sum())
    else:  # one great miss, of a set nobody logged, is no more than three usual ones
        one_day = float(np.sqrt(np.mean(np.minimum(known, GREATEST_MISS * np.median(known)) ** 2)))
    return np.asarray(MISS_WIDENED * one_day * np.sqrt(days))


def _forcing(
    ahead: Ahead, member: NDArray[np.int64], factors: tuple[Floats, Floats, Floats], shares: Floats
) -> Forcing:
    factor, bare, into = factors
    days = ahead.eto_mm.shape[1]
    day = np.repeat(np.arange(days), STEPS_A_DAY)
    asked = ahead.eto_mm[member][:, day].T * np.tile(shares, days)[:, None]
    kcb = ahead.kcb[day][:, None]
    rain = np.zeros((days * STEPS_A_DAY, len(member)))
    rain[RAIN_STEP::STEPS_A_DAY] = ahead.rain_mm[member].T * into
    open_ground = np.maximum(LEAST_BARE, 1 - kcb / OPEN_KCB)
    return Forcing(asked * kcb * factor, asked * open_ground * bare, np.zeros_like(rain), rain)


def weathers(outlook: Outlook, today: int) -> tuple[Floats, Floats]:
    """ETo and rain of the days ahead [mm], shape (members, days): the forecast's members, or runs of the past weeks.

    Without a forecast each member is the last three weeks in their own order, begun at another day: days that go
    together stay together, so that the spread of a week's mean is that of weeks and not of days.

    Parameters
    ----------
    outlook : Outlook
    today : int
        Day number of the first day ahead.
    """
    days = AHEAD_DAYS + 1
    if outlook.forecast_days:
        return outlook.eto_mm[:, :days], outlook.rain_mm[:, :days]
    past = [outlook.past[d].eto_mm for d in range(today - RECENT_DAYS, today) if d in outlook.past]
    runs = np.array(past or [float(outlook.eto_mm.mean())])
    begins = np.arange(len(runs))
    eto = runs[(begins[:, None] + np.arange(days)) % len(runs)]
    return eto, np.zeros_like(eto)


def still_true(found: LossPaths, later_days: float, lost_mm: float) -> bool:
    """Whether paths still tell what comes, by what the root zone has lost since they began [mm].

    They do not where water came that they did not know of, or went that they did not.
    """
    expected = found.at(np.array([later_days]))[:, 0]
    return bool(abs(lost_mm - float(np.median(expected))) <= max(ASTRAY_MM, ASTRAY_SDS * float(expected.std())))


def driest_dawn(record: Record, rooted_mm: Floats) -> Floats:
    """Water contents of the dawn on which the root zone held least, shape (layers,) [m³/m³]; very wet without one.

    Parameters
    ----------
    record : Record
    rooted_mm : array, shape (layers,)
        Thickness of each layer's part in the root zone [mm].
    """
    dawns = record.theta[DAWN_STEP::STEPS_A_DAY]
    whole = dawns[np.isfinite(dawns).all(axis=1)]
    if not len(whole):
        return np.ones(len(rooted_mm))
    return np.asarray(whole[int(np.argmin(whole @ rooted_mm))])
