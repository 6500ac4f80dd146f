"""The refill point as the crop shows it: the depletion from which it takes up less than the weather asks for."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice

Floats = NDArray[np.float64]
FEWEST_DAYS: Final = 12  # dry days with demand and depletion (ours)
DRAINS_DAYS: Final = 2
"""Days after a wetting that are left out: what is lost then drains as well as being used."""
FEWEST_EACH_SIDE: Final = 4  # days on either side of a break (ours)
LEAST_FALL: Final = 0.15  # share of full uptake [-] it must fall by to be told from noise (ours)
SURE_F: Final = 7.0
"""Gain in squared error by the break, per added number, below which it may be chance (F at about 1 %)."""
INTERVAL: Final = 2.71
"""Rise of the squared error over its mean that bounds a 90 % interval."""
STEPS: Final = 80  # places a break is tried at
HIGHEST_RATIO: Final = 2.0  # times the upper quartile beyond which a day's ratio is cut: a reading error (ours)


@dataclass(frozen=True)
class UptakeDays:
    """Days without water, all shape (n,): depletion at dawn [mm], use to the next dawn [mm], demand Kc·ETo [mm]."""

    depletion_mm: Floats
    use_mm: Floats
    demand_mm: Floats


def dry_days(days: Iterable[int], wet: Collection[int]) -> list[int]:
    """Days (numbers) on which no water came in, nor in the two before."""
    return [day for day in days if not any(day - ago in wet for ago in range(DRAINS_DAYS + 1))]


@dataclass(frozen=True)
class SlowDown:
    """Where uptake slows: depletion [mm] with its 90 % interval, use over demand before it [-]; None with the reason.

    ``points`` are depletion [mm] and use over demand [-] of each day; ``line`` the fitted corner points of the same.
    """

    depletion_mm: float | None
    interval_mm: tuple[float, float] | None
    before: float | None
    points: tuple[tuple[float, float], ...]
    line: tuple[tuple[float, float], ...]
    words: Notice


def refill_from_slow_down(days: UptakeDays) -> SlowDown:
    """The depletion at which use over demand begins to fall.

    Use over demand is level up to a break and falls in a straight line after it; the break with the least squared
    error is offered only when it is better than no break by more than chance, enough days lie on both sides, and the
    fall is real.

    Use over demand beyond 0 and twice its upper quartile is taken as noise of that day's readings and cut there.

    Parameters
    ----------
    days : UptakeDays
        Days above the full point, and those up to two days after a wetting, should be left out (``dry_days``).

    References
    ----------
    .. [1] The shape: FAO-56 (Allen et al. 1998), ch. 8, Ks; two-segment fits: Muggeo (2003), Stat. Med. 22:3055-3071.
    """
    kept = np.isfinite(days.depletion_mm) & np.isfinite(days.use_mm) & (days.demand_mm > 0.5)
    x, y = days.depletion_mm[kept], days.use_mm[kept] / days.demand_mm[kept]
    y = np.clip(y, 0.0, HIGHEST_RATIO * max(float(np.quantile(y, 0.75)), 0.1)) if len(y) else y
    points = tuple(zip(x.round(1).tolist(), y.round(3).tolist(), strict=True))

    def none(words: Notice) -> SlowDown:
        return SlowDown(None, None, None, points, (), words)

    order = np.sort(x)
    if len(x) < FEWEST_DAYS or order[-FEWEST_EACH_SIDE] <= order[FEWEST_EACH_SIDE - 1]:
        return none(Notice("slow_down.few_days", days=len(x), wanted=FEWEST_DAYS))
    low, high = order[FEWEST_EACH_SIDE - 1], order[-FEWEST_EACH_SIDE]
    breaks = np.linspace(low, high, STEPS)
    fits = [_segments(x, y, at) for at in breaks]
    errors = np.array([f[2] for f in fits])
    best = int(np.argmin(errors))
    level, slope, error = fits[best]
    flat = float(np.sum((y - y.mean()) ** 2))
    gain = (flat - error) / 2 / max(error / (len(x) - 3), 1e-12)
    fall = -slope * (float(x.max()) - float(breaks[best])) / max(level, 1e-9)
    if slope >= 0:
        return none(Notice("slow_down.keeps_up", days=len(x), deepest_mm=float(x.max())))
    if gain < SURE_F:
        return none(Notice("slow_down.not_seen", days=len(x), deepest_mm=float(x.max())))
    if fall < LEAST_FALL:
        return none(Notice("slow_down.little", fall_fraction=fall, deepest_mm=float(x.max())))
    if best in (0, STEPS - 1):
        return none(Notice("slow_down.from_the_start"))
    inside = breaks[errors <= error * (1 + INTERVAL / (len(x) - 3))]
    interval = (float(inside.min()), float(inside.max()))
    at, last = float(breaks[best]), float(x.max())
    line = ((float(x.min()), level), (at, level), (last, level + slope * (last - at)))
    words = Notice("slow_down.found", days=len(x), low_mm=interval[0], high_mm=interval[1])
    return SlowDown(at, interval, level, points, line, words)


def _segments(x: Floats, y: Floats, at: float) -> tuple[float, float, float]:
    """Level before a break, slope after it, and the squared error, by least squares."""
    design = np.stack([np.ones(len(x)), np.maximum(x - at, 0)], axis=1)
    found, *_ = np.linalg.lstsq(design, y, rcond=None)
    left = y - design @ found
    return float(found[0]), float(found[1]), float(left @ left)
