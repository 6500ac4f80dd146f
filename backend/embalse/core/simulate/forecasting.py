"""Forecasts of a weather that is known: members as far from their middle as their middle is from the truth."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
FIRST_DAY_SD, GROWTH_SD = 0.03, 0.012
MEMORY = 0.6  # correlation of a day's forecast error with the day before [-] (ours)
MISSED_SHARE, FALSE_SHARE = 0.15, 0.08
FALSE_RAIN_MM = 3.0  # mm, mean of rain that is forecast and does not fall (ours)


def forecast_members(eto_mm: Floats, rain_mm: Floats, members: int, seed: int) -> tuple[Floats, Floats]:
    """Members of a forecast of some days, shape (members, days): reference ET and rain [mm]; the same for a seed.

    The middle of the members errs by 3 % on the first day and 1.2 % more on each later one, with a memory from day to
    day; each member lies about it with the same spread, so that the truth is like one of them.

    Parameters
    ----------
    eto_mm, rain_mm : array, shape (days,)
        What will come [mm/day].
    members : int
    seed : int
    """
    random = np.random.default_rng(seed)
    days = len(eto_mm)
    middle = np.asarray(eto_mm) * np.exp(_wander(random, 1, days)[0])
    eto = middle * np.exp(_wander(random, members, days))
    missed = random.random(days) < MISSED_SHARE
    seen = np.where(missed, 0.0, np.asarray(rain_mm)) * np.exp(random.normal(0, 0.25, days))
    with_it = random.random((members, days)) < np.where(seen > 0, 0.8, 0.0)
    false = random.random((members, days)) < FALSE_SHARE * (seen <= 0) * (np.asarray(rain_mm).max(initial=0) > 0)
    rain = np.where(with_it, seen * np.exp(random.normal(0, 0.3, (members, days))), 0.0)
    rain += np.where(false, random.exponential(FALSE_RAIN_MM, (members, days)), 0.0)
    return np.asarray(np.round(np.clip(eto, 0.1, 15.0), 2)), np.asarray(np.round(rain, 1), dtype=np.float64)


def _wander(random: np.random.Generator, rows: int, days: int) -> Floats:
    sd = FIRST_DAY_SD + GROWTH_SD * np.arange(days)
    steps = random.normal(0, 1, (rows, days))
    state = np.zeros((rows, days))
    for day in range(days):
        before = state[:, day - 1] if day else np.zeros(rows)
        state[:, day] = MEMORY * before + np.sqrt(1 - MEMORY**2) * steps[:, day] if day else steps[:, 0]
    return np.asarray(state * sd)
