"""Collections a logger missed, by the interval its own readings keep."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

FEWEST: Final = 8  # readings from which on an interval is told (ours)
LATE_SHARE: Final = 0.5  # of an interval by which a reading may come late and still be that one (ours)


@dataclass(frozen=True)
class Collected:
    """How often a logger reads [min], how many readings were due, and how many never came."""

    every_min: int
    expected: int
    missed: int


def collected(at: NDArray[np.int64], since: int, now: int) -> Collected | None:
    """Readings a logger missed in a span; None where too few tell how often it reads.

    Parameters
    ----------
    at : array of int, shape (n,)
        Instants of its readings in order [s, UTC], those before the span too.
    since, now : int
        The span [s, UTC]; what came before the first reading was not missed.

    Notes
    -----
    The interval is the median of what lies between readings: a logger that misses fewer than half keeps it.

    Examples
    --------
    >>> hourly = np.arange(0, 24 * 3600, 3600)
    >>> collected(np.delete(hourly, [5, 6]), 0, 23 * 3600)
    Collected(every_min=60, expected=24, missed=2)
    """
    steps = np.diff(at)
    if int((steps > 0).sum()) < FEWEST - 1:
        return None
    every = max(60, 60 * round(float(np.median(steps[steps > 0])) / 60))
    begins, ends = np.maximum(at, since), np.append(at[1:], now + every)
    due = np.floor((ends - begins) / every + (1 - LATE_SHARE)) - 1
    due[-1] = np.floor((now - begins[-1]) / every - LATE_SHARE + 1e-9)
    missed = int(np.maximum(due[ends > since], 0).sum())
    return Collected(every // 60, int((at >= since).sum()) + missed, missed)
