"""The days ahead of a root zone: crop use by weather, its fan, and the day it reaches a depletion."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.crop_use_factor import CropUse
from embalse.core.crop.dry_down import DaysToRefill
from embalse.core.crop.stages import CropCalendar
from embalse.core.weather.effective_rain import effective_rain_mm
from embalse.core.weather.weather_outlook import AHEAD_DAYS, Outlook

Floats = NDArray[np.float64]
STEPS_Z: Final = np.array([-1.463, -0.599, 0.0, 0.599, 1.463])
"""Five equally likely steps of a normal deviate with a variance of one."""
ABOVE_FULL_USED: Final = 0.5
"""Share of the water above the full point that the crop gets before it drains (common practice, no source)."""
OFF_TRACK_MM: Final = 2.0  # mm a model may miss a day ahead by and still be on its track (ours)
OFF_TRACK_SHARE: Final = 0.5  # of what a day takes, the same
LONGEST_DAYS: Final = 365.0  # days ahead a date is looked for: a year; later is said as never
WEEK, RAIN_DAYS = 7, 3
APART_MM: Final = 1e6  # mm added row by row so that all members are searched in one increasing list
LOW_PLACE, MID_PLACE, HIGH_PLACE = 0.1, 0.5, 0.9


@dataclass(frozen=True)
class Start:
    """Where the course starts: depletion with its errors from the sensors and from unlike stations [mm]."""

    depletion_mm: float
    sensor_error_mm: float = 0.0
    spread_error_mm: float = 0.0

    @property
    def error_mm(self) -> float:
        """Both errors as one [mm]."""
        return float(np.hypot(self.sensor_error_mm, self.spread_error_mm))


@dataclass(frozen=True)
class Means:
    """Means over the members: Kc × ETo over the whole ground and effective rain of each day [mm], shape (days,).

    ``week_mm_d`` is Kc × ETo of the coming week as 10 %, mean and 90 % of the members, ``peak_mm_d`` the highest day's;
    ``rain_sums_mm`` the effective rain of the next three days by member, ``rain_likely_mm`` its middle [mm].
    ``summed_mm`` is Kc × ETo summed up to each dawn by member, shape (members, days + 1); ``dry`` when no member rains.
    """

    etc_mm: Floats
    rain_mm: Floats
    week_mm_d: tuple[float, float, float]
    peak_mm_d: float
    rain_sums_mm: tuple[float, ...]
    rain_likely_mm: float
    summed_mm: Floats
    dry: bool


@dataclass(frozen=True, eq=False)
class LossPaths:
    """Ways the root zone may go on from now, by a model fitted to the block: what it loses [mm] by the days ahead.

    ``times_days`` has shape (steps,) and begins with 0, ``lost_mm`` (paths, steps) and begins with 0; a path gains
    where its loss falls. The first path is the likeliest. ``windows`` is how many mornings the model was held against,
    ``miss_mm`` how far it comes out a day ahead as a rule [mm], ``demand`` what the crop takes of Kcb × ET [-].
    """

    times_days: Floats
    lost_mm: Floats
    windows: int = 0
    miss_mm: float = 0.0
    demand: float = 1.0

    @property
    def off_track(self) -> bool:
        """Whether the model did not retrace the last weeks: a day ahead it is off by half of what a day takes."""
        a_day = float(np.median(self.at(np.array([1.0]))))
        return self.miss_mm >= max(OFF_TRACK_MM, OFF_TRACK_SHARE * a_day)

    def at(self, times_days: Floats) -> Floats:
        """Loss of every path at some times [mm], shape (paths, times); held at its last value beyond its end."""
        return np.stack([np.interp(times_days, self.times_days, one) for one in self.lost_mm])

    def later(self, by_days: float) -> "LossPaths | None":
        """The paths from a moment so much later on; None where they are over by then."""
        if by_days <= 0:
            return self
        left = self.times_days > by_days
        if left.sum() < 2:
            return None
        now = self.at(np.array([by_days]))
        times = np.concatenate([[0.0], self.times_days[left] - by_days])
        lost = np.concatenate([np.zeros_like(now), self.lost_mm[:, left] - now], axis=1)
        return replace(self, times_days=times, lost_mm=lost)


@dataclass(frozen=True)
class Course:
    """Crop use and effective rain of the days ahead in the soil the sensors stand in, shape (members, days) [mm].

    Crop use is Kc × ETo ÷ wetted share, for a crop-use factor of 1. ``next_dawn_days`` is how far the next dawn is
    [days], ``today_share`` how much of today's use is still to come [-]; ``kc`` has one value a day. ``paths`` are the
    days ahead by the block's own fitted model, None where there is none: dates, pictures and middle go by them.
    """

    etc_mm: Floats
    rain_mm: Floats
    use: CropUse
    kc: Floats
    outlook: Outlook
    means: Means
    wetted_fraction: float = 1.0
    next_dawn_days: float = 1.0
    today_share: float = 1.0
    paths: LossPaths | None = None

    @property
    def times_days(self) -> Floats:
        """Days from now of the start and of every dawn ahead, shape (days + 1,)."""
        return np.concatenate([[0.0], self.next_dawn_days + np.arange(self.etc_mm.shape[1])])

    def daily_mm(self, days: int) -> Floats:
        """Mean crop use of the coming days over the members, crop-use factor included [mm], shape (days,)."""
        return np.asarray(self.use.factor / self.wetted_fraction * self.means.etc_mm[:days])


def course(outlook: Outlook, calendar: CropCalendar, use: CropUse, wetted_fraction: float) -> Course | None:
    """The days ahead of a block; None where its crop has not been planted by then (shapes as in ``Course``)."""
    kc, etc, rain, means = _ahead(outlook, calendar)
    if math.isnan(kc[0]):
        return None
    return Course(etc / wetted_fraction, rain, use, kc, outlook, means, wetted_fraction)


@lru_cache(maxsize=256)
def _ahead(outlook: Outlook, calendar: CropCalendar) -> tuple[Floats, Floats, Floats, Means]:
    """Kc, crop evapotranspiration and rain [mm] of the days ahead, once for all blocks of a calendar."""
    kc = calendar.kc_on(np.arange(outlook.first_day, outlook.first_day + AHEAD_DAYS))
    etc, rain = kc * outlook.eto_mm, effective_rain_mm(outlook.rain_mm, outlook.eto_mm)
    return kc, etc, rain, _means(etc, rain)


def _means(etc: Floats, rain: Floats) -> Means:
    week = etc[:, :WEEK].mean(axis=1)
    low, high = (float(np.quantile(week, q)) for q in (LOW_PLACE, HIGH_PLACE))
    sums = rain[:, :RAIN_DAYS].sum(axis=1)
    mean = etc.mean(axis=0)
    return Means(
        etc_mm=mean,
        rain_mm=rain.mean(axis=0),
        week_mm_d=(low, float(week.mean()), high),
        peak_mm_d=float(mean.max()),
        rain_sums_mm=tuple(float(s) for s in sums),
        rain_likely_mm=float(np.median(sums)),
        summed_mm=np.concatenate([np.zeros((len(etc), 1)), np.cumsum(etc, axis=1)], axis=1),
        dry=not rain.any(),
    )


def at_time_of_day(found: Course, now_days: float) -> Course:
    """A course from an instant of its first day: ``now_days`` after that day's dawn, negative before it [days].

    Crop use is spread evenly over the fourteen hours after dawn.
    """
    if now_days < 0:
        return replace(found, next_dawn_days=1.0 - now_days, today_share=1.0)
    return replace(found, next_dawn_days=max(0.02, 1.0 - now_days), today_share=max(0.0, 1.0 - now_days * 24 / 14))


def _depletions(found: Course, start: Start, steps: tuple[Floats, Floats]) -> Floats:
    """Depletion at each dawn along every path, shape (paths, days + 1) [mm]; rain fills no further than full."""
    z_use, z_start = steps
    factor = np.maximum(0.05, found.use.factor + found.use.error * z_use)
    daily = found.etc_mm[:, None, :] * factor[:, None] - found.rain_mm[:, None, :]
    if found.today_share < 1:
        daily[..., 0] *= found.today_share
    days = daily.shape[2]
    gone = np.zeros((*daily.shape[:2], days + 1))
    np.cumsum(daily, axis=2, out=gone[..., 1:])
    begin = start.depletion_mm if start.depletion_mm >= 0 else ABOVE_FULL_USED * start.depletion_mm
    first = begin + start.error_mm * z_start
    paths = first[:, None, None, None] + gone
    if not found.means.dry:
        lower = np.minimum(0.0, paths[..., :1])
        paths = paths - np.minimum(0.0, np.minimum.accumulate(paths - lower, axis=-1))
    return np.asarray(paths.reshape(-1, days + 1))


def _crossings(paths: Floats, ahead: Course, trigger_mm: float) -> Floats:
    """Days from now at which each path first reaches a depletion [mm], shape (paths,)."""
    times = ahead.times_days
    highest = np.maximum.accumulate(paths, axis=1) if not ahead.means.dry else paths
    place = (highest < trigger_mm).sum(axis=1)
    last = paths.shape[1] - 1
    rows = np.arange(len(paths))
    after = np.minimum(place, last)
    before = np.maximum(after - 1, 0)
    low, high = highest[rows, before], highest[rows, after]
    gain = np.maximum(high - low, 1e-9)
    inside = times[before] + (times[after] - times[before]) * np.clip((trigger_mm - low) / gain, 0, 1)
    rate = np.maximum((paths[:, last] - paths[:, max(0, last - 7)]) / min(7, last), 1e-6)
    beyond = times[last] + (trigger_mm - highest[:, last]) / rate
    found = np.where(place == 0, 0.0, np.where(place > last, beyond, inside))
    return np.minimum(found, LONGEST_DAYS)


def _dry_crossings(found: Course, start: Start, trigger_mm: float) -> Floats:
    """The same without rain, where every path of a member is its summed use times a factor: looked up, not drawn."""
    factor = np.maximum(0.05, found.use.factor + found.use.error * STEPS_Z)
    begin = start.depletion_mm if start.depletion_mm >= 0 else ABOVE_FULL_USED * start.depletion_mm
    left = np.maximum(0.0, trigger_mm - begin - start.error_mm * STEPS_Z)
    wanted = (left[:, None] / factor * found.wetted_fraction).ravel()
    summed = found.means.summed_mm
    last = summed.shape[1] - 1
    # members laid end to end, far apart, so that one search finds the place in each
    rows = np.arange(len(summed))[:, None]
    apart = APART_MM * rows
    place = np.searchsorted((summed + apart).ravel(), wanted + apart) - (last + 1) * rows
    after = np.minimum(np.maximum(place, 1), last)
    low, high = summed[rows, after - 1], summed[rows, after]
    share = (wanted - low) / np.maximum(high - low, 1e-9)
    inside = np.where(after == 1, share * found.next_dawn_days, found.next_dawn_days + after - 2 + share)
    rate = np.maximum((summed[:, -1] - summed[:, -8]) / 7, 1e-6)[:, None]
    beyond = found.next_dawn_days + last - 1 + (wanted - summed[:, -1:]) / rate
    crossings: Floats = np.where(place > last, beyond, np.maximum(inside, 0.0))
    return np.minimum(crossings.ravel(), LONGEST_DAYS)


def _path_crossings(paths: LossPaths, start: Start, trigger_mm: float, steps: Floats = STEPS_Z) -> Floats:
    """Days at which the fitted model's paths reach a depletion, joined with what unlike stations leave open.

    What a calibration is wrong by is no doubt of these dates: it stands in the state and in the full point alike.
    """
    left = trigger_mm - start.depletion_mm - start.spread_error_mm * steps
    lost = np.maximum.accumulate(paths.lost_mm, axis=1)
    times, last = paths.times_days, lost.shape[1] - 1
    week_ago = int(np.searchsorted(times, times[-1] - WEEK))
    rows = np.arange(len(lost))
    found = []
    for wanted in left.tolist():
        if wanted <= 0:
            found.append(np.zeros(len(lost)))
            continue
        place = (lost < wanted).sum(axis=1)
        after = np.minimum(place, last)
        before = np.maximum(after - 1, 0)
        low, high = lost[rows, before], lost[rows, after]
        share = np.clip((wanted - low) / np.maximum(high - low, 1e-9), 0.0, 1.0)
        inside = times[before] + (times[after] - times[before]) * share
        rate = np.maximum((lost[:, last] - lost[:, week_ago]) / max(times[-1] - times[week_ago], 1e-9), 1e-6)
        beyond = times[-1] + (wanted - lost[:, last]) / rate
        found.append(np.where(place > last, beyond, inside))
    return np.minimum(np.concatenate(found), LONGEST_DAYS)


def days_until(found: Course, start: Start, trigger_mm: float) -> DaysToRefill:
    """Days until the root zone reaches a depletion, as 10, 50 and 90 % of the paths.

    Every member of the forecast is joined with five steps of the crop-use factor and five of the present depletion,
    all equally likely: the doubts of weather, use, calibration and replicates are in the answer together.

    Parameters
    ----------
    found : Course
    start : Start
        Present depletion and its errors [mm].
    trigger_mm : float
        Depletion to reach [mm].

    Returns
    -------
    DaysToRefill
        Days from now, 0 when already there, a year at most.
    """
    if found.paths is not None:
        crossings = np.sort(_path_crossings(found.paths, start, trigger_mm))
    elif found.means.dry and found.today_share == 1.0:
        crossings = np.sort(_dry_crossings(found, start, trigger_mm))
    else:
        crossings = np.sort(_crossings(_depletions(found, start, (STEPS_Z, STEPS_Z)), found, trigger_mm))
    low, mid, high = (float(crossings[round(q * (len(crossings) - 1))]) for q in (LOW_PLACE, MID_PLACE, HIGH_PLACE))
    return DaysToRefill(low, mid, high)


def width_causes(found: Course, start: Start, trigger_mm: float) -> Mapping[str, float]:
    """How wide the date would be from each doubt alone [days]: weather, use, calibration, replicates.

    By a fitted model weather, use and soil are in its paths together.
    """
    none = np.zeros(1)
    if found.paths is not None:
        alone = LossPaths(found.paths.times_days, found.paths.lost_mm[:1])
        both = {
            "weather, crop use and soil": _path_crossings(found.paths, start, trigger_mm, none),
            "unlike stations": _path_crossings(alone, start, trigger_mm),
        }
        return {name: float(np.subtract(*np.quantile(c, (HIGH_PLACE, LOW_PLACE)))) for name, c in both.items()}
    mean = replace(
        found,
        etc_mm=found.etc_mm.mean(axis=0, keepdims=True),
        rain_mm=found.rain_mm.mean(axis=0, keepdims=True),
    )
    sure = Start(start.depletion_mm)
    tries = {
        "weather": (found, sure, (none, none)),
        "crop use": (mean, sure, (STEPS_Z, none)),
        "calibration": (mean, Start(start.depletion_mm, start.sensor_error_mm), (none, STEPS_Z)),
        "unlike stations": (mean, Start(start.depletion_mm, start.spread_error_mm), (none, STEPS_Z)),
    }
    widths = {}
    for name, (one, begin, steps) in tries.items():
        crossings = np.quantile(_crossings(_depletions(one, begin, steps), one, trigger_mm), (LOW_PLACE, HIGH_PLACE))
        widths[name] = float(crossings[1] - crossings[0])
    return widths


def middle_path_mm(found: Course, start: Start, days: int) -> list[float]:
    """Depletion at the next dawns along the mean of weather and use, without stress [mm].

    By a fitted model its middle path, with the crop's own brake.
    """
    if found.paths is not None:
        lost = np.median(found.paths.at(found.times_days[1 : days + 1]), axis=0)
        return [start.depletion_mm + float(mm) for mm in lost]
    begin = start.depletion_mm if start.depletion_mm >= 0 else ABOVE_FULL_USED * start.depletion_mm
    values, now = [], begin
    use, rain = found.daily_mm(days), found.means.rain_mm[:days]
    for number, (out, into) in enumerate(zip(use.tolist(), rain.tolist(), strict=True)):
        now = max(min(now, 0.0), now + (out - into) * (found.today_share if number == 0 else 1.0))
        values.append(now)
    return values


def stressed_fan_mm(found: Course, start: Start, limits: tuple[float, float], days: int) -> list[tuple[float, ...]]:
    """Depletion now and at the next dawns as 10, 50 and 90 % of the paths, with the crop's brake beyond refill [mm].

    Parameters
    ----------
    found : Course
    start : Start
    limits : (float, float)
        Available water and readily available water [mm].
    days : int

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 84: Ks = (TAW − Dr) / ((1 − p) TAW).
    """
    if found.paths is not None:
        lost = found.paths.at(found.times_days[: days + 1])
        now = start.depletion_mm + start.spread_error_mm * STEPS_Z[:, None, None] + lost
        places = np.quantile(now.reshape(-1, now.shape[-1]), (LOW_PLACE, MID_PLACE, HIGH_PLACE), axis=0)
        return [tuple(float(v) for v in column) for column in places.T]
    taw, raw = limits
    factor = np.maximum(0.05, found.use.factor + found.use.error * STEPS_Z)
    now = (start.depletion_mm + start.error_mm * STEPS_Z)[:, None, None] + np.zeros((1, len(found.etc_mm), len(factor)))
    steps = [tuple(float(v) for v in np.quantile(now, (LOW_PLACE, MID_PLACE, HIGH_PLACE)))]
    for day in range(min(days, found.etc_mm.shape[1])):
        share = found.today_share if day == 0 else 1.0
        out = found.etc_mm[None, :, day, None] * factor * share * stress_coefficient(now, taw, raw)
        rain = found.rain_mm[None, :, day, None]
        drained = np.where(now < 0, (1 - ABOVE_FULL_USED) * -now, 0.0)
        now = np.clip(now + drained + out - rain, np.minimum(now, 0.0), taw)
        steps.append(tuple(float(v) for v in np.quantile(now, (LOW_PLACE, MID_PLACE, HIGH_PLACE))))
    return steps


def stress_coefficient(depletion_mm: Floats, taw_mm: float, raw_mm: float) -> Floats:
    """FAO-56 stress coefficient Ks [-] of depletions [mm], any one shape: 1 up to RAW, 0 at TAW.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 84.

    Examples
    --------
    >>> round(float(stress_coefficient(np.array(60.96), 136.0, 54.4)), 3)
    0.92
    """
    return np.clip((taw_mm - depletion_mm) / max(taw_mm - raw_mm, 1e-9), 0.0, 1.0)
