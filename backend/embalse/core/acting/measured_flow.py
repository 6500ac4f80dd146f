"""The flow a block's sets really draw, and what it says when it changes."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from embalse.core.errors import require
from embalse.core.robust import pairwise_slopes, sd_from_deviations

LAST_SETS: Final = 5  # sets whose median is taken (ours, as the trade's rule of "the last few")
LEAST_SETS: Final = 3  # sets from which on it replaces the nominal flow (ours: two can't outvote a wrong one)
LEAST_HOURS: Final = 0.5  # hours a set must have run to tell its flow: filling the line is no set (ours)
TREND_SETS: Final = 6  # sets from which on a trend is looked for (ours)
TREND_SHARE: Final = 0.10  # of the flow that a trend must have changed to be told (common practice: 10 % is looked at)
PRESSURE_SHARE: Final = 0.05  # of its mean that a pressure may change and still be called steady (ours)
Trend = Literal["clogging", "leak"]


@dataclass(frozen=True)
class RunFlow:
    """What a set drew: when it began [s, UTC], how long it ran [h], its water [m³], and its pressure [bar] if known."""

    start_at: int
    hours: float
    volume_m3: float
    pressure_bar: float | None = None

    @property
    def flow_m3_h(self) -> float:
        """Mean flow [m³/h]."""
        return self.volume_m3 / self.hours


@dataclass(frozen=True)
class MeasuredFlow:
    """Median of the last sets and its spread (a robust standard deviation) [m³/h], of how many sets; and a trend."""

    flow_m3_h: float
    spread_m3_h: float
    sets: int
    trend: Trend | None = None
    trend_share: float = 0.0


def measured_flow(runs: Sequence[RunFlow]) -> MeasuredFlow | None:
    """The flow of a block's sets from those that were measured; None before there are three.

    A flow that falls by a tenth over the last sets at a steady pressure reads as clogging, one that rises as a leak.
    Where the pressure is not known, or is not steady, no trend is told.

    Parameters
    ----------
    runs : sequence of RunFlow
        Sets with both time and water measured, of the whole block or of the same part of it, in any order.

    Returns
    -------
    MeasuredFlow or None

    Raises
    ------
    CoreError
        If one ran no time or drew less than nothing.

    Examples
    --------
    >>> measured_flow([RunFlow(n, 4.0, 4.0 * q) for n, q in enumerate((50.0, 52.0, 51.0))]).flow_m3_h
    51.0
    """
    for run in runs:
        require(run.hours > 0, "hours", "must be more than 0")
        require(run.volume_m3 >= 0, "volume_m3", "must be 0 or more")
    told = sorted((r for r in runs if r.hours >= LEAST_HOURS and r.volume_m3 > 0), key=lambda r: r.start_at)
    if len(told) < LEAST_SETS:
        return None
    flows = np.array([r.flow_m3_h for r in told[-LAST_SETS:]])
    middle = float(np.median(flows))
    trend, share = _trend(told)
    return MeasuredFlow(middle, float(sd_from_deviations(flows - middle)), len(flows), trend, share)


def _trend(told: Sequence[RunFlow]) -> tuple[Trend | None, float]:
    last = [r for r in told if r.pressure_bar is not None][-2 * LAST_SETS :]
    if len(last) < TREND_SETS:
        return None, 0.0
    pressures = np.array([r.pressure_bar for r in last], dtype=float)
    if float(np.ptp(pressures)) > 2 * PRESSURE_SHARE * float(pressures.mean()):
        return None, 0.0
    flows = np.array([r.flow_m3_h for r in last])
    slope = np.median(pairwise_slopes(np.arange(len(flows), dtype=float), flows))
    share = float(slope * (len(flows) - 1) / np.median(flows))
    if abs(share) < TREND_SHARE:
        return None, share
    return ("clogging" if share < 0 else "leak"), share
