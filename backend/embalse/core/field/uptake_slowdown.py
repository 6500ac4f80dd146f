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
LEAST_LEVEL, MOST_LEVEL = 0.7, 1.3
"""Use over demand [-] before the break that a crop may show: FAO-56's Kc within some 20 %; beyond, it drains (ours)."""
WIDEST_SHARE: Final = 0.5  # of the depletions seen [-] that the interval may cover to say anything (ours)
HIGHEST_RATIO: Final = 2.0  # times the upper quartile beyond which a day's ratio is cut: a reading error (ours)


@dataclass(frozen=True)
class UptakeDays:
    """Days without water, all shape (n,): depletion at dawn [mm], use to the next dawn [mm], demand Kc·ETo [mm].

    ``days`` are their day numbers, by which a crop that drifts away from its calendar is told from one that is dry.
    """

    depletion_mm: Floats
    use_mm: Floats
    demand_mm: Floats
    days: Floats | None = None


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

    Use over demand is level up to a break and falls in a straight line after it, while the crop may rise or fall
    against its calendar in a straight line through the season; the break with the least squared error is offered only
    when it is better than no break by more than chance, enough days lie on both sides, the fall is real, the level
    before it is one of a crop and not of a soil that drains, and the interval leaves half of what was seen open.

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
    beside = np.ones((len(x), 1))  # what use follows beside the depletion
    if days.days is not None and len(x) and np.ptp(days.days[kept]) > 0:
        beside = np.stack([beside[:, 0], days.days[kept] - days.days[kept].mean()], axis=1)
    y = np.clip(y, 0.0, HIGHEST_RATIO * max(float(np.quantile(y, 0.75)), 0.1)) if len(y) else y
    points = tuple(zip(x.round(1).tolist(), y.round(3).tolist(), strict=True))

    def none(words: Notice) -> SlowDown:
        return SlowDown(None, None, None, points, (), words)

    order = np.sort(x)
    if len(x) < FEWEST_DAYS or order[-FEWEST_EACH_SIDE] <= order[FEWEST_EACH_SIDE - 1]:
        return none(Notice("slow_down.few_days", days=len(x), wanted=FEWEST_DAYS))
    found = _least_error(x, y, beside, (order[FEWEST_EACH_SIDE - 1], order[-FEWEST_EACH_SIDE]))
    refused = _refused(x, found)
    if refused is not None:
        return none(refused)
    at, last = found.at_mm, float(x.max())
    line = ((float(x.min()), found.level), (at, found.level), (last, found.level + found.slope * (last - at)))
    low, high = found.interval_mm
    words = Notice("slow_down.found", days=len(x), low_mm=low, high_mm=high)
    return SlowDown(at, found.interval_mm, found.level, points, line, words)


@dataclass(frozen=True)
class _Break:
    """The break with the least error: where [mm], between what [mm], level before [-], slope after [1/mm], F gained."""

    at_mm: float
    interval_mm: tuple[float, float]
    level: float
    slope: float
    gain: float
    inside: bool


def _least_error(x: Floats, y: Floats, beside: Floats, between: tuple[float, float]) -> _Break:
    breaks = np.linspace(*between, STEPS)
    fits = [_segments(x, y, beside, at) for at in breaks]
    errors = np.array([f[2] for f in fits])
    best = int(np.argmin(errors))
    level, slope, error = fits[best]
    free = len(x) - 2 - beside.shape[1]
    gain = (_error(beside, y) - error) / 2 / max(error / free, 1e-12)
    near = breaks[errors <= error * (1 + INTERVAL / free)]
    interval = (float(near.min()), float(near.max()))
    return _Break(float(breaks[best]), interval, level, slope, gain, 0 < best < STEPS - 1)


def _refused(x: Floats, found: _Break) -> Notice | None:
    """Why a break is not offered; None where it is."""
    count, deepest = len(x), float(x.max())
    fall = -found.slope * (deepest - found.at_mm) / max(found.level, 1e-9)
    low, high = found.interval_mm
    tests = (
        (found.slope >= 0, Notice("slow_down.keeps_up", days=count, deepest_mm=deepest)),
        (found.gain < SURE_F, Notice("slow_down.not_seen", days=count, deepest_mm=deepest)),
        (fall < LEAST_FALL, Notice("slow_down.little", fall_fraction=fall, deepest_mm=deepest)),
        (not found.inside, Notice("slow_down.from_the_start")),
        (
            not LEAST_LEVEL <= found.level <= MOST_LEVEL,
            Notice("slow_down.no_crop", level_fraction=found.level),
        ),
        (high - low > WIDEST_SHARE * float(np.ptp(x)), Notice("slow_down.anywhere", low_mm=low, high_mm=high)),
    )
    return next((words for refused, words in tests if refused), None)


def _segments(x: Floats, y: Floats, beside: Floats, at: float) -> tuple[float, float, float]:
    """Level before a break, slope after it, and the squared error, by least squares."""
    design = np.column_stack([np.maximum(x - at, 0), beside])
    found, *_ = np.linalg.lstsq(design, y, rcond=None)
    left = y - design @ found
    return float(found[1]), float(found[0]), float(left @ left)


def _error(beside: Floats, y: Floats) -> float:
    """Squared error without a break."""
    left = y - beside @ np.linalg.lstsq(beside, y, rcond=None)[0]
    return float(left @ left)
