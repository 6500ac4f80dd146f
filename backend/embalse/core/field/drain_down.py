"""The full point as the field shows it: where drainage at night has nearly stopped after a good wetting."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
Times = NDArray[np.int64]
# hours after a wetting that are looked at: from drained macropores to the fourth day (ours)
WINDOW_H: Final = (12.0, 96.0)
READ_AT_H: Final = 54.0  # hours after a wetting the full point is read: two to three days (common practice, no source)
EARLIEST_H: Final = 30.0  # hours after a wetting from which a shorter drain-down is read at all (ours)
NIGHT_H: Final = (20, 6)  # farm-local hours in which roots rest and a fall is drainage (common practice, no source)
STILL_DRAINING_SHARE_D: Final = 0.02
"""Night drainage, as a share of the water above a day, from which a layer has not come to rest (common practice, no
source). The 0.1 to 0.2 % of Ratliff, Ritchie & Cassel (1983) is told beside it; a watered crop seldom waits for it."""
FEWEST_EVENTS: Final = 3  # drain-downs for an answer
GOOD_EVENTS: Final = 5  # drain-downs for a good one (ours)
GOOD_SPREAD_THETA: Final = 0.01  # m³/m³ between drain-downs: a good answer (ours)
FAIR_SPREAD_THETA: Final = 0.02  # m³/m³ between drain-downs: a fair answer (ours)
RISE_THETA: Final = 0.012  # m³/m³ a layer must rise by for a wetting of its own (ours)
DEEP_RISE_THETA: Final = 0.008  # m³/m³ the deepest layer must rise by: less comes down there (ours)
DEEP_WITHIN_H: Final = 72.0  # hours a front may take to the deepest layer (ours)
SURE: Final = 2.0  # standard errors above the limit before a layer is called still draining
JOINED_H: Final = 12.0  # hours between waters that count as one (ours)
FEWEST_HOURS: Final = 7  # hours of a night for its slope
DAY_S: Final = 86400  # seconds
MEANING: Final = Notice("meaning.drain_down", after_h=READ_AT_H)


@dataclass(frozen=True)
class Night:
    """A night after a wetting: hours from its end to the middle of the night, mean θ [m³/m³], and what drained.

    ``drained_share_d`` is the share of the water above the layer's lower limit that went through it, a day, with its
    standard error.
    """

    hours: float
    theta: float
    drained_share_d: float
    error_share_d: float


@dataclass(frozen=True)
class DrainDown:
    """One drain-down of a layer: when its wetting ended [s], its nights, its answer [m³/m³], or why it has none.

    ``filled`` tells that the wetting reached this layer and the deepest sensor.
    """

    ended_at: int
    nights: tuple[Night, ...]
    theta: float | None
    why_not: Text = ""
    filled: bool = True

    @property
    def accepted(self) -> bool:
        """Whether it gives a full point [m³/m³]."""
        return self.theta is not None


@dataclass(frozen=True)
class FieldFullPoint:
    """What drain-downs say of a layer's full point [m³/m³]: median, quartiles, and every event with its reason.

    ``theta`` is None with fewer than three accepted events; ``confidence`` says how sure it is, ``words`` why.
    """

    theta: float | None
    quartiles: tuple[float, float] | None
    events: tuple[DrainDown, ...]
    confidence: Literal["good", "fair", "poor", "none"]
    words: Notice

    @property
    def accepted(self) -> int:
        """How many events were accepted."""
        return sum(event.accepted for event in self.events)

    @property
    def through_share(self) -> float:
        """Share of the wettings that went through the whole profile [-]; 0 without any."""
        return sum(event.filled for event in self.events) / len(self.events) if self.events else 0.0


@dataclass(frozen=True)
class ProfileSeries:
    """Hourly water contents of a station: farm-local instants [s], θ [m³/m³] shape (layers, n), thicknesses [cm].

    NaN where nothing is known. ``waters`` are sets and rain [s, farm-local], start and end.
    """

    local_s: Times
    theta: Floats
    thickness_cm: tuple[float, ...]
    waters: tuple[tuple[int, int], ...]


def full_point_from_drain_down(series: ProfileSeries, layer: int) -> FieldFullPoint:
    """The full point of a layer from the nights after wettings that filled it.

    A wetting counts when it raised the layer and the deepest sensor too: then the soil below was no longer so dry that
    it drew water down. At night nothing is taken up, so what the soil above the layer's lower limit loses has drained
    through it; the layer is read on the night nearest 54 hours after the wetting, once that drainage has become small.

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
    .. [1] Drained upper limit: Ratliff, Ritchie & Cassel (1983), Soil Sci. Soc. Am. J. 47:770-775. Their 0.1 to 0.2 %
       a day is met by a covered plot after days to weeks; here the reading is taken at a set time and the drainage of
       that night told beside it.
    """
    wettings = joined(series.waters)
    return _summed(
        tuple(
            _event(series, layer, (start, end), _nights(series, layer, end, _next_start(wettings, end)))
            for start, end in wettings
        )
    )


def pooled(found: Sequence[FieldFullPoint]) -> FieldFullPoint:
    """What the drain-downs of several stations say together of a layer's full point [m³/m³]."""
    return _summed(tuple(event for one in found for event in one.events))


def _summed(events: tuple[DrainDown, ...]) -> FieldFullPoint:
    values = np.array([event.theta for event in events if event.theta is not None])
    if len(values) < FEWEST_EVENTS:
        few = Notice("drain_down.few", usable=len(values), wettings=len(events), wanted=FEWEST_EVENTS)
        return FieldFullPoint(None, None, events, "none", few)
    low, middle, high = (float(q) for q in np.quantile(values, (0.25, 0.5, 0.75)))
    sure = _confidence(len(values), high - low)
    words = Notice(f"drain_down.{sure}", events=len(values), spread_theta=high - low)
    return FieldFullPoint(middle, (low, high), events, sure, words)


def _confidence(count: int, spread: float) -> Literal["good", "fair", "poor"]:
    if count >= GOOD_EVENTS and spread <= GOOD_SPREAD_THETA:
        return "good"
    return "fair" if spread <= FAIR_SPREAD_THETA else "poor"


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
        theta, mean = float(np.mean(series.theta[layer, span][kept])), float(water.mean())
        found.append(Night(hours, theta, -slope / mean, error / mean))
    return found


def _line(x: Floats, y: Floats) -> tuple[float, float]:
    """Slope of a least-squares line and its standard error."""
    centred = x - x.mean()
    spread = float(centred @ centred)
    slope = float(centred @ y) / spread
    left = y - y.mean() - slope * centred
    return slope, float(np.sqrt(left @ left / max(1, len(x) - 2) / spread))


def _event(series: ProfileSeries, layer: int, wetting: tuple[int, int], nights: Sequence[Night]) -> DrainDown:
    end = wetting[1]
    unfilled = _why_not(series, layer, wetting)
    if unfilled is not None:
        return DrainDown(end, tuple(nights), None, unfilled, filled=False)
    settled = [n for n in nights if n.hours >= EARLIEST_H]
    if not settled:
        why = Notice("drain_down.watered", earliest_h=EARLIEST_H)
        return DrainDown(end, tuple(nights), None, why)
    read = min(settled, key=lambda n: abs(n.hours - READ_AT_H))
    if read.drained_share_d - SURE * read.error_share_d > STILL_DRAINING_SHARE_D:
        why = Notice("drain_down.draining", drained_fraction=read.drained_share_d, after_h=round(read.hours))
        return DrainDown(end, tuple(nights), None, why)
    return DrainDown(end, tuple(nights), read.theta)


def _why_not(series: ProfileSeries, layer: int, wetting: tuple[int, int]) -> Notice | None:
    start, end = wetting
    rise = _rise(series, layer, start, end + 36 * 3600)
    if rise is None:
        return Notice("drain_down.no_readings")
    if rise < RISE_THETA:
        return Notice("drain_down.not_reached", rise_theta=max(0.0, rise))
    deep = _rise(series, len(series.theta) - 1, start, end + round(DEEP_WITHIN_H * 3600))
    if deep is None:
        return Notice("drain_down.no_deep_readings")
    if deep < DEEP_RISE_THETA:
        return Notice("drain_down.not_filled")
    return None


def _rise(series: ProfileSeries, layer: int, start: int, end: int) -> float | None:
    """How far a layer rose above what it held in the six hours before [m³/m³], None without readings."""
    before, after = _span(series, layer, start - 6 * 3600, start), _span(series, layer, start, end)
    return float(after.max() - before.mean()) if len(before) and len(after) else None


def _span(series: ProfileSeries, layer: int, start: int, end: int) -> Floats:
    low, high = np.searchsorted(series.local_s, [start, end + 1])
    values = series.theta[layer, low:high]
    return values[np.isfinite(values)]
