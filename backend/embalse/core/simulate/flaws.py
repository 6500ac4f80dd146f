"""Flaws put into what a sensor reports, each with the span it lies in, so that rules can be held against the truth."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from embalse.core.quality.faults import FaultClass

Array = NDArray[np.float64]
DAY = 24  # hours
FLAWS: tuple[FaultClass, ...] = (
    "range", "spike", "stuck", "gap", "step", "out of soil", "noise", "ripple", "rise", "drift"
)  # fmt: skip


@dataclass(frozen=True)
class Flaw:
    """A flaw of a series: its class, and its first and last reading (positions, both included)."""

    fault: FaultClass
    first: int
    last: int


def with_flaw(theta: Array, fault: FaultClass, seed: int) -> tuple[Array, Flaw]:
    """Hourly water contents [m³/m³] with one flaw in them, and where it is.

    Parameters
    ----------
    theta : array, shape (n,)
        Three months of hourly values at least.
    fault : FaultClass
        One of ``FLAWS``. Sizes: spike 0.06 to 0.15 away, stuck 2 to 10 days, gap 1 to 5 days, step −0.08 to −0.15,
        noise 0.009 to 0.02 (SD), ripple ±0.008 to 0.02, rise 0.07 to 0.15, drift 0.06 to 0.12 by the end.
    seed : int

    Returns
    -------
    (array, Flaw)
        The values, NaN in a gap, shape (n,).
    """
    random = np.random.default_rng(seed)
    flawed, n = theta.copy(), len(theta)
    start = int(random.integers(10 * DAY, n - 30 * DAY))
    sign = float(random.choice([-1.0, 1.0]))
    if fault in ("range", "spike"):
        away = 1.0 if fault == "range" else sign * random.uniform(0.06, 0.15)
        flawed[start] = max(flawed[start] + away, 0.021) if flawed[start] + away < 0.021 else flawed[start] + away
        if fault == "spike" and abs(flawed[start] - theta[start]) < 0.06:
            flawed[start] = theta[start] + abs(away)
        return flawed, Flaw(fault, start, start)
    if fault in ("step", "rise"):
        size = random.uniform(0.07, 0.15)
        if fault == "rise":
            flawed[start:] += size
        else:  # where there is that much water to lose
            room = np.flatnonzero(theta[10 * DAY : n - 30 * DAY] > size + 0.05) + 10 * DAY
            start = int(random.choice(room)) if len(room) else int(np.nanargmax(theta))
            floor = 0.03 + random.normal(0, 0.0015, n - start)
            flawed[start:] = np.maximum(flawed[start:] - size - 0.01, floor)
        return flawed, Flaw(fault, start, start)
    if fault == "drift":
        start, size = int(random.integers(5 * DAY, n - 60 * DAY)), random.uniform(0.06, 0.12)
        sign = 1.0 if float(np.nanmin(theta[start:])) - size < 0.025 else sign  # downwards only where there is room
        flawed[start:] += sign * size * np.arange(n - start) / (n - start)
        return flawed, Flaw(fault, start, n - 1)
    days = {"stuck": (2, 10), "gap": (1, 5), "out of soil": (1, 10), "noise": (10, 28), "ripple": (10, 28)}[fault]
    end = start + DAY * int(random.integers(*days))
    span = slice(start, end)
    if fault == "stuck":
        flawed[span] = flawed[start]
    elif fault == "gap":
        flawed[span] = np.nan
    elif fault == "out of soil":
        flawed[span] = np.abs(random.normal(0.008, 0.002, end - start))
    elif fault == "noise":
        flawed[span] += random.normal(0, random.uniform(0.009, 0.02), end - start)
    else:
        turn = 2 * np.pi * (np.arange(start, end) - random.integers(DAY)) / DAY
        flawed[span] += random.uniform(0.008, 0.02) * np.sin(turn)
    return flawed, Flaw(fault, start, end - 1)
