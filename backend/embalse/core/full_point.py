"""The full point as the field shows it: where drainage at night has nearly stopped after a good wetting."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Times = NDArray[np.int64]
CRITERION_SHARE_D: Final = 0.0015
"""Drainage a day as a share of the water above: 0.1 to 0.2 % (Ratliff, Ritchie & Cassel 1983), the middle of it."""
WINDOW_H: Final = (12.0, 96.0)
NIGHT_H: Final = (20, 6)
FEWEST_EVENTS: Final = 3
RISE_THETA: Final = 0.012
SURE: Final = 2.0
FARTHEST: Final = 12.0
JOINED_H: Final = 12.0
FEWEST_HOURS: Final = 7
LEAST_ERROR_MM_D: Final = 0.05
DAY_S: Final = 86400
MEANING: Final = "θ at which drainage at night falls to 0.15 % of the water above a day"


@dataclass(frozen=True)
class Night:
    """A night after a wetting: hours since it ended, mean θ [m³/m³], water that went through the layer [mm/day]."""

    hours: float
    theta: float
    drained_mm_d: float
    error_mm_d: float
    criterion_mm_d: float


@dataclass(frozen=True)
class DrainDown:
    """One drain-down of a layer: when its wetting ended [s], its nights, its answer [m³/m³], or why it has none."""

    ended_at: int
    nights: tuple[Night, ...]
    theta: float | None
    why_not: str = ""

    @property
    def accepted(self) -> bool:
        """Whether it gives a full point [m³/m³]."""
        return self.theta is not None


@dataclass(frozen=True)
class FieldFullPoint:
    """What drain-downs say of a layer's full point [m³/m³]: median, quartiles, and every event with its reason.

    ``theta`` is None with fewer than three accepted events; ``words`` says so, or how sure it is.
    """

    theta: float | None
    quartiles: tuple[float, float] | None
    events: tuple[DrainDown, ...]
    words: str

    @property
    def accepted(self) -> int:
        """How many events were accepted."""
        return sum(event.accepted for event in self.events)


@dataclass(frozen=True)
class ProfileSeries:
    """Hourly water contents of a station: farm-local instants [s], θ [m³/m³] shape (layers, n), thicknesses [cm].

    NaN where nothing is known. ``waters`` are sets and rain [s, farm-local], start and end.
    """

    local_s: Times
    theta: Floats
    thickness_cm: tuple[float, ...]
    waters: tuple[tuple[int, int], ...]


def full_point_from_drain_down(series: ProfileSeries, layer: int, steepness: float) -> FieldFullPoint:
    """The full point of a layer from the nights after wettings.

    At night nothing is taken up, so what the soil above the layer's lower limit loses has drained through it. That
    flow falls steeply with the layer's water content; its logarithm is taken as a straight line of it over all
    nights 12 to 96 hours after a wetting, and each event says at which water content the flow passes the criterion.

    Parameters
    ----------
    series : ProfileSeries
    layer : int
        Place of the layer, from 0 at the top; the layers above it must have readings too.

    Returns
    -------
    FieldFullPoint
        Median of the accepted events [m³/m³].

    References
    ----------
    .. [1] Ratliff, Ritchie & Cassel (1983), Soil Sci. Soc. Am. J. 47:770-775: drained upper limit where the water
       content falls by 0.1 to 0.2 % a day.
    """
    wettings = joined(series.waters)
    nights = [_nights(series, layer, end, _next_start(wettings, end)) for _, end in wettings]
    events = tuple(
        _event(series, layer, (start, end), found, steepness)
        for (start, end), found in zip(wettings, nights, strict=True)
    )
    values = np.array([event.theta for event in events if event.theta is not None])
    if len(values) < FEWEST_EVENTS:
        seen = f"{len(values)} drain-down{'s' if len(values) != 1 else ''} of {len(events)} wettings can be used"
        return FieldFullPoint(None, None, events, f"{seen}; {FEWEST_EVENTS} are wanted")
    low, middle, high = (float(q) for q in np.quantile(values, (0.25, 0.5, 0.75)))
    return FieldFullPoint(middle, (low, high), events, _confidence(len(values), high - low))


def _confidence(count: int, spread: float) -> str:
    if count >= 5 and spread <= 0.01:
        return f"good: {count} drain-downs within {spread:.3f} m³/m³"
    if spread <= 0.02:
        return f"fair: {count} drain-downs within {spread:.3f} m³/m³"
    return f"poor: {count} drain-downs, the middle half spread over {spread:.3f} m³/m³"


def joined(waters: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Sets and rain [s] as wettings: those less than twelve hours apart are one."""
    found: list[tuple[int, int]] = []
    for start, end in sorted(waters):
        if found and start - found[-1][1] < JOINED_H * 3600:
            found[-1] = (found[-1][0], max(end, found[-1][1]))
        else:
            found.append((start, end))
    return found


def _next_start(wettings: Sequence[tuple[int, int]], end: int) -> int:
    return min((start for start, _ in wettings if start >= end), default=2**62)


def _nights(series: ProfileSeries, layer: int, ended: int, next_start: int) -> list[Night]:
    first, last = ended + WINDOW_H[0] * 3600, min(ended + WINDOW_H[1] * 3600, next_start)
    mm = 10 * np.array(series.thickness_cm[: layer + 1])
    above = mm @ series.theta[: layer + 1]
    found = []
    for day in range(int(first // DAY_S) - 1, int(last // DAY_S) + 1):
        start, end = day * DAY_S + NIGHT_H[0] * 3600, (day + 1) * DAY_S + NIGHT_H[1] * 3600
        if start < first or end > last:
            continue
        span = slice(*np.searchsorted(series.local_s, [start, end + 1]))
        kept = np.isfinite(above[span])
        if kept.sum() < FEWEST_HOURS:
            continue
        days, water = (series.local_s[span][kept] - start) / DAY_S, above[span][kept]
        slope, error = _line(days, water)
        hours = ((start + end) / 2 - ended) / 3600
        theta = float(np.mean(series.theta[layer, span][kept]))
        found.append(Night(hours, theta, -slope, error, CRITERION_SHARE_D * float(water.mean())))
    return found


def _line(x: Floats, y: Floats) -> tuple[float, float]:
    """Slope of a least-squares line and its standard error."""
    centred = x - x.mean()
    spread = float(centred @ centred)
    slope = float(centred @ y) / spread
    left = y - y.mean() - slope * centred
    return slope, float(np.sqrt(left @ left / max(1, len(x) - 2) / spread))


def _event(
    series: ProfileSeries, layer: int, wetting: tuple[int, int], nights: Sequence[Night], steepness: float
) -> DrainDown:
    _, end = wetting
    why = _why_not(series, layer, wetting, nights)
    if why:
        return DrainDown(end, tuple(nights), None, why)
    theta, flow = (np.array([getattr(n, name) for n in nights]) for name in ("theta", "drained_mm_d"))
    error = max(float(np.median([n.error_mm_d for n in nights])), LEAST_ERROR_MM_D)
    shape = np.exp(steepness * (theta - theta[0]))
    weight = float(shape @ shape)
    size, size_error = float(shape @ flow) / weight, error * weight**-0.5
    criterion = nights[0].criterion_mm_d
    if size < max(SURE * size_error, criterion):
        return DrainDown(end, tuple(nights), None, "it did not fill the layer: no drainage to be sure of at night")
    if size > FARTHEST * criterion and len(nights) < 2:
        return DrainDown(end, tuple(nights), None, f"still draining {size:.1f} mm a day in its only night")
    return DrainDown(end, tuple(nights), nights[0].theta - float(np.log(size / criterion)) / steepness)


def _why_not(series: ProfileSeries, layer: int, wetting: tuple[int, int], nights: Sequence[Night]) -> str:
    start, end = wetting
    before = _mean(series, layer, start - 6 * 3600, start)
    peak = _highest(series, layer, start, end + 36 * 3600)
    if before is None or peak is None:
        return "no readings around it"
    if peak - before < RISE_THETA:
        return f"the water did not reach this depth (it rose by {max(0.0, peak - before):.3f} m³/m³)"
    return "" if nights else "no whole night between 12 and 96 hours after it without water"


def _mean(series: ProfileSeries, layer: int, start: int, end: int) -> float | None:
    values = _span(series, layer, start, end)
    return float(values.mean()) if len(values) else None


def _highest(series: ProfileSeries, layer: int, start: int, end: int) -> float | None:
    values = _span(series, layer, start, end)
    return float(values.max()) if len(values) else None


def _span(series: ProfileSeries, layer: int, start: int, end: int) -> Floats:
    low, high = np.searchsorted(series.local_s, [start, end + 1])
    values = series.theta[layer, low:high]
    return values[np.isfinite(values)]
