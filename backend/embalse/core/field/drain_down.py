"""The full point as the field shows it: what a layer still holds two days after a wetting that filled it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
Times = NDArray[np.int64]
READ_AT_H: Final = 48.0  # hours after a wetting the full point is read: two days (common practice, no source)
QUIET_H: Final = 44.0  # hours without new water in the layer from which two days' reading stands (ours)
SETTLED_H: Final = 6  # hours after a wetting from which what a layer loses is drainage or use (ours)
READ_OVER_H: Final = 4.0  # hours up to the reading whose middle is taken (ours)
RISE_THETA: Final = 0.012  # m³/m³ a layer must rise by for a wetting of its own (ours)
REACH_H: Final = 36.0  # hours a wetting may take to a layer (ours)
PASSED_ON_THETA: Final = 0.006
"""m³/m³ the next sensor below must rise by: a layer passes water on when it holds no more (ours, as of an arrival)."""
PASSED_WITHIN_H: Final = (
    60.0  # hours the water may take to the next sensor below, as long as a front is followed (ours)
)
FELL_THETA: Final = 0.004  # m³/m³ the deepest layer, with none below to tell, must lose of its peak: it drains (ours)
AGAIN_THETA: Final = 0.006  # m³/m³ by which a layer shows that later water came to it (ours, as of an arrival)
BEFORE_H: Final = 72.0  # hours before a wetting from which its gain counts: rain goes on for days (ours)
GAINED_BY_H: Final = 30.0  # hours after a wetting by which the profile's gain is seen (ours)
BIG_SHARE: Final = 2 / 3
"""Of the profile's gain in the largest wetting that can be read, below which a wetting is left out (ours): the more
goes in, the longer and deeper a layer stands wet, and the less the dry soil below draws from it."""
FULL_SHARE: Final = 0.5
"""How far up between its driest and its wettest a layer's peak must lie [-] (ours): below half it was only dampened."""
DEEP_RISE_THETA: Final = 0.008  # m³/m³ the deepest layer rises by where a wetting went through the profile (ours)
DEEP_WITHIN_H: Final = 72.0  # hours a front may take to the deepest layer (ours)
FEWEST_EVENTS: Final = 3  # wettings for a fair answer; one or two are told as such
GOOD_EVENTS: Final = 5  # wettings for a good one (ours)
GOOD_SPREAD_THETA: Final = 0.01  # m³/m³ between wettings: a good answer (ours)
FAIR_SPREAD_THETA: Final = 0.02  # m³/m³ between wettings: a fair answer (ours)
ONE_ERROR_THETA: Final = 0.015  # m³/m³ by which one wetting's reading differs from the next's (ours)
NIGHTS_H: Final = (12.0, 96.0)  # hours after a wetting whose nights are told beside it (ours)
NIGHT_H: Final = (20, 6)  # farm-local hours in which roots rest and a fall is drainage (common practice, no source)
STILL_DRAINING_SHARE_D: Final = 0.02
"""Night drainage, as a share of the water above a day, from which a profile is full to its end and has not come to rest
two days after a wetting (ours). Ratliff, Ritchie & Cassel (1983) call it at rest at 0.1 to 0.2 %."""
SURE: Final = 2.0  # standard errors above the limit before a layer is called still draining
JOINED_H: Final = 12.0  # hours between waters that count as one (ours)
FEWEST_HOURS: Final = 7  # hours of a night for its slope
HOUR_S: Final = 3600  # seconds
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

    ``filled`` tells that the wetting raised the deepest sensor too; ``used_theta`` is what the crop took from the layer
    until it was read [m³/m³], as far as it lost more by day than at night, None where no night tells.
    """

    ended_at: int
    nights: tuple[Night, ...]
    theta: float | None
    why_not: Text = ""
    filled: bool = True
    used_theta: float | None = 0.0

    @property
    def accepted(self) -> bool:
        """Whether it gives a full point [m³/m³]."""
        return self.theta is not None

    @property
    def overfull(self) -> bool:
        """Whether it went through the profile, which was still draining when it was read."""
        read = min(self.nights, key=lambda n: abs(n.hours - READ_AT_H), default=None)
        if read is None or not (self.accepted and self.filled):
            return False
        return read.drained_share_d - SURE * read.error_share_d > STILL_DRAINING_SHARE_D


@dataclass(frozen=True)
class FieldFullPoint:
    """What drain-downs say of a layer's full point [m³/m³]: median, quartiles, and every event with its reason.

    ``theta`` is None without an accepted event; ``confidence`` says how sure it is, ``words`` why. With one
    or two events ``quartiles`` are what another wetting may show.
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
    def deep(self) -> int:
        """How many accepted events raised the deepest sensor too: then no dry soil below drew the water down."""
        return sum(event.accepted and event.filled for event in self.events)

    @property
    def at_least(self) -> bool:
        """Whether the soil may hold more than is said, because no wetting went through to the deepest sensor."""
        return self.theta is not None and self.deep == 0

    @property
    def agree(self) -> bool:
        """Whether the events lie near each other."""
        values = [event.theta for event in self.events if event.theta is not None]
        if not values:
            return False
        low, high = np.quantile(values, (0.25, 0.75))
        return bool(high - low <= FAIR_SPREAD_THETA)

    @property
    def without_use(self) -> float | None:
        """What the layer would hold had the crop taken nothing meanwhile [m³/m³]; None where that is not known."""
        found = [e.theta + e.used_theta for e in self.events if e.theta is not None and e.used_theta is not None]
        return float(np.median(found)) if len(found) == self.accepted and found else None

    @property
    def overfull(self) -> int:
        """How many accepted events were read in a profile still draining."""
        return sum(event.overfull for event in self.events)


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
    """The full point of a layer: what it holds two days after wettings that filled it.

    A wetting counts for a layer when it raised the layer, and the next sensor below too, or, at the deepest, when the
    layer then lost water again: a layer passes water on when it holds no more. Of those, the ones count that put much
    water into the profile beside the largest, that wetted the layer well beside its own range, and after which no new
    water came to it for two days. Small wettings fill a layer for hours only; the dry soil below then draws it empty.

    Parameters
    ----------
    series : ProfileSeries
    layer : int
        Place of the layer, from 0 at the top.

    Returns
    -------
    FieldFullPoint
        Median of the accepted events [m³/m³]. The crop's use of the two days is in it, as in what is read by hand.

    References
    ----------
    .. [1] Drained upper limit: Ratliff, Ritchie & Cassel (1983), Soil Sci. Soc. Am. J. 47:770-775. Their 0.1 to 0.2 %
       a day is met by a covered plot after days to weeks; here the reading is taken at a set time, as people in the
       field do, and the drainage of the nights told beside it.
    """
    wettings = _wettings(series.waters)
    gains = _gains_mm(series, wettings)
    seen = [_seen(series, layer, wetting, wettings) for wetting in wettings]
    largest = max((g for g, one in zip(gains, seen, strict=True) if one.theta is not None), default=0.0)
    return _summed(
        tuple(
            one if one.theta is None or gain >= BIG_SHARE * largest else _too_small(one, gain, largest)
            for gain, one in zip(gains, seen, strict=True)
        )
    )


def pooled(found: Sequence[FieldFullPoint]) -> FieldFullPoint:
    """What the drain-downs of several stations say together of a layer's full point [m³/m³]."""
    return _summed(tuple(event for one in found for event in one.events))


def _summed(events: tuple[DrainDown, ...]) -> FieldFullPoint:
    values = np.array([event.theta for event in events if event.theta is not None])
    if not len(values):
        none = Notice("drain_down.none", wettings=len(events))
        return FieldFullPoint(None, None, events, "none", none)
    low, middle, high = (float(q) for q in np.quantile(values, (0.25, 0.5, 0.75)))
    if len(values) < FEWEST_EVENTS:
        span = (float(values.min()) - ONE_ERROR_THETA, float(values.max()) + ONE_ERROR_THETA)
        return FieldFullPoint(
            middle, span, events, "poor", Notice("drain_down.first", events=len(values), error_theta=ONE_ERROR_THETA)
        )
    if not any(event.accepted and event.filled for event in events):
        least = Notice("drain_down.at_least", events=len(values), spread_theta=high - low)
        return FieldFullPoint(middle, (low, high), events, "poor", least)
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


class _Wetting(NamedTuple):
    """Start and end [s] of a wetting, and whether no other ended in the three days before it."""

    start: int
    end: int
    alone: bool


def _wettings(waters: Sequence[tuple[int, int]]) -> list[_Wetting]:
    found = joined(waters)
    ends = [None, *(end for _, end in found)]
    return [
        _Wetting(start, end, last is None or start - last > BEFORE_H * HOUR_S)
        for (start, end), last in zip(found, ends, strict=False)
    ]


def _gains_mm(series: ProfileSeries, wettings: Sequence[_Wetting]) -> list[float]:
    """What each wetting, with the rain of the days before it, put into the profile [mm]; 0 where nothing is known."""
    known = [np.isfinite(one) for one in series.theta]
    whole = sum(
        10 * cm * np.interp(series.local_s, series.local_s[there], one[there])
        for cm, one, there in zip(series.thickness_cm, series.theta, known, strict=True)
        if there.any()
    )
    water = np.broadcast_to(np.asarray(whole, dtype=np.float64), series.local_s.shape)
    found = []
    for start, end, _ in wettings:
        edges = (start - BEFORE_H * HOUR_S, start + 1, end + GAINED_BY_H * HOUR_S + 1)
        first, begun, last = np.searchsorted(series.local_s, edges)
        told = begun > first and last > begun
        found.append(float(water[begun:last].max() - water[first:begun].min()) if told else 0.0)
    return found


def _seen(series: ProfileSeries, layer: int, wetting: _Wetting, wettings: Sequence[_Wetting]) -> DrainDown:
    """What a layer shows of a wetting, whatever the others were."""
    end = wetting.end
    quiet_to = _quiet_to(series, layer, end, wettings)
    nights = tuple(_nights(series, layer, end, quiet_to))
    deep = _rise(series, len(series.theta) - 1, wetting, DEEP_WITHIN_H)
    filled = deep is not None and deep >= DEEP_RISE_THETA
    why = _why_not(series, layer, wetting, quiet_to)
    if why is not None:
        return DrainDown(end, nights, None, why, filled)
    read = _span(series, layer, end + round((READ_AT_H - READ_OVER_H) * HOUR_S), end + round(READ_AT_H * HOUR_S))
    return DrainDown(end, nights, float(np.median(read)), "", filled, _used_theta(series, layer, end))


def _used_theta(series: ProfileSeries, layer: int, end: int) -> float | None:
    """What a layer lost from six hours after a wetting until it was read beyond what its nights drain [m³/m³].

    Drainage is fastest in the first hours, by day or night, so that this is rather too much.
    """
    first, last = end + SETTLED_H * HOUR_S, end + round(READ_AT_H * HOUR_S)
    rates = []
    for day in range(first // DAY_S - 1, last // DAY_S + 1):
        night = max(first, day * DAY_S + NIGHT_H[0] * HOUR_S), min(last, (day + 1) * DAY_S + NIGHT_H[1] * HOUR_S)
        span = slice(*np.searchsorted(series.local_s, [night[0], night[1] + 1]))
        kept = np.isfinite(series.theta[layer, span])
        if kept.sum() >= FEWEST_HOURS:
            rates.append(-_line(series.local_s[span][kept] / HOUR_S, series.theta[layer, span][kept])[0])
    before, after = _span(series, layer, first - HOUR_S, first + HOUR_S), _span(series, layer, last - 2 * HOUR_S, last)
    if not rates or not len(before) or not len(after):
        return None
    fall = float(np.median(before) - np.median(after))
    return max(0.0, fall - max(0.0, float(np.mean(rates))) * (READ_AT_H - SETTLED_H))


def _too_small(one: DrainDown, gain_mm: float, largest_mm: float) -> DrainDown:
    why = Notice("drain_down.small", gain_mm=gain_mm, largest_mm=largest_mm)
    return DrainDown(one.ended_at, one.nights, None, why, one.filled)


def _quiet_to(series: ProfileSeries, layer: int, end: int, wettings: Sequence[_Wetting]) -> int:
    """Until when no later water shows in a layer [s], at most the end of the nights that are told."""
    last = end + round(NIGHTS_H[1] * HOUR_S)
    for start, after, _ in wettings:
        if not end <= start <= last:
            continue
        before = _span(series, layer, start - 3 * HOUR_S, start)
        low, high = np.searchsorted(series.local_s, [start, min(last, after + round(JOINED_H * HOUR_S)) + 1])
        if not len(before):
            return start
        up = np.flatnonzero(series.theta[layer, low:high] > np.median(before) + AGAIN_THETA)
        if len(up):
            return int(series.local_s[low + up[0]]) - HOUR_S
    return last


def _nights(series: ProfileSeries, layer: int, ended: int, quiet_to: int) -> list[Night]:
    first, last = ended + NIGHTS_H[0] * HOUR_S, min(ended + NIGHTS_H[1] * HOUR_S, quiet_to)
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


def _why_not(series: ProfileSeries, layer: int, wetting: _Wetting, quiet_to: int) -> Notice | None:
    end = wetting.end
    rise = _rise(series, layer, wetting, REACH_H)
    if rise is None:
        return Notice("drain_down.no_readings")
    if rise < RISE_THETA:
        return Notice("drain_down.not_reached", rise_theta=max(0.0, rise))
    if quiet_to - end < QUIET_H * HOUR_S:
        return Notice("drain_down.watered", earliest_h=QUIET_H)
    read = _span(series, layer, end + round((READ_AT_H - READ_OVER_H) * HOUR_S), end + round(READ_AT_H * HOUR_S))
    return _not_full(series, layer, wetting, read) if len(read) else Notice("drain_down.not_yet", after_h=READ_AT_H)


def _not_full(series: ProfileSeries, layer: int, wetting: _Wetting, read: Floats) -> Notice | None:
    """Why a layer that was wetted, and read two days later, was not full; None when it was."""
    peak = float(_span(series, layer, wetting.start, wetting.end + round(REACH_H * HOUR_S)).max())
    if not _passed_on(series, layer, wetting, peak - float(np.median(read))):
        return Notice("drain_down.held")
    dry, wet = _range(series, layer)
    return Notice("drain_down.dampened") if peak < dry + FULL_SHARE * (wet - dry) else None


def _passed_on(series: ProfileSeries, layer: int, wetting: _Wetting, fell: float) -> bool:
    """Whether a layer gave water on: the sensor below rose, or, with none that tells, it lost water again itself."""
    below = None
    if layer + 1 < len(series.theta):
        below = _rise(series, layer + 1, wetting, PASSED_WITHIN_H)
    return fell >= FELL_THETA if below is None else below >= PASSED_ON_THETA


def _range(series: ProfileSeries, layer: int) -> tuple[float, float]:
    """The driest hundredth and the wettest of a layer [m³/m³] of all that is known."""
    values = series.theta[layer]
    values = values[np.isfinite(values)]
    return float(np.quantile(values, 0.01)), float(values.max())


def _rise(series: ProfileSeries, layer: int, wetting: _Wetting, within_h: float) -> float | None:
    """How far a layer rose above what it held in the six hours before a wetting [m³/m³], None without readings.

    Of a day's rain the hour is not known: where no other water came in the days before, it is held against what the
    layer held before them too.
    """
    start, end, alone = wetting
    after = _span(series, layer, start, end + round(within_h * HOUR_S))
    hours = ((BEFORE_H, BEFORE_H - 12), (6.0, 0.0)) if alone else ((6.0, 0.0),)
    spans = [_span(series, layer, start - round(a * HOUR_S), start - round(b * HOUR_S)) for a, b in hours]
    before = [float(np.median(one)) for one in spans if len(one)]
    return float(after.max() - min(before)) if before and len(after) else None


def _span(series: ProfileSeries, layer: int, start: int, end: int) -> Floats:
    low, high = np.searchsorted(series.local_s, [start, end + 1])
    values = series.theta[layer, low:high]
    return values[np.isfinite(values)]
