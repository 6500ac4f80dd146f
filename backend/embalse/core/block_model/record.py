"""What a profile's probes, the weather and the log say, on steps of three hours of the farm's clock."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import STEP_H, STEPS_A_DAY
from embalse.core.root_zone.sensor_water import MOVING_THETA

Floats = NDArray[np.float64]
HOUR_S: Final = 3600
STEP_S: Final = STEP_H * HOUR_S
DAWN_STEP: Final = 2  # steps from midnight to six o'clock
DUSK_STEP: Final = 6  # steps from midnight to eighteen o'clock
STEADY_H: Final = 4  # hours whose mean is the state where no water moves (ours)
NEAR_H: Final = ((-1, 0), (-2, -1), (-3, 1), (-4, -2))
"""Those hours, from the one that counts alone on: before a dawn, and around any other step [h]."""
READ_BEFORE_S: Final = 3600.0  # seconds before a step at which its state was read
RAIN_RISE: Final = 0.004  # m³/m³ the top probe must rise by for a day's rain to be put there (ours)
WEEK_DAYS: Final = 7
LONGEST_DAYS: Final = 150  # days looked back at most: a season's soil is told by then (ours)
SETTLED_DAYS: Final = 20  # days over which the fixed differences of stations are taken (ours)
PASSING: Final = ("pivot", "furrow", "border")  # systems whose water passes a place within the time of a set
LONG_SET_S: Final = 6 * 3600  # seconds from which such a set is far longer than its water at one place (ours)
SUN_FROM_H, SUN_TO_H = 6.0, 19.0  # hours between which a crop's use follows half a sine (common practice)


@dataclass(frozen=True, eq=False)
class Record:
    """A profile's season: water contents at every third hour, and weather and water of each day and step.

    ``first_day`` is the day number of the first row; ``theta`` [m³/m³] has shape (days · 8 + 1, layers): the state at
    each step's begin, NaN where nothing was read. ``eto_mm``, ``kcb`` [-] and ``roots_cm`` have shape (days,), and
    ``sets_mm`` and ``rain_mm``, what reaches the soil the probes stand in, (days · 8,). ``ends`` is how many steps are
    over.
    """

    first_day: int
    theta: Floats
    eto_mm: Floats
    kcb: Floats
    roots_cm: Floats
    sets_mm: Floats
    rain_mm: Floats
    ends: int

    @property
    def days(self) -> int:
        """How many days it has."""
        return len(self.eto_mm)

    def ending(self, day: int) -> "Record":
        """The same with its end at the dawn of a day number: from there the weeks of the crop's demand are counted."""
        return replace(self, ends=self.dawn(day))

    def going_on(self, days: int) -> "Record":
        """The same with so many days more: no water, and the weather and crop of its last week."""
        more = days * STEPS_A_DAY
        eto = float(np.nanmean(self.eto_mm[-WEEK_DAYS:]))
        return replace(
            self,
            theta=np.concatenate([self.theta, np.full((more, self.theta.shape[1]), np.nan)]),
            eto_mm=np.concatenate([self.eto_mm, np.full(days, eto)]),
            kcb=np.concatenate([self.kcb, np.full(days, self.kcb[-1])]),
            roots_cm=np.concatenate([self.roots_cm, np.full(days, self.roots_cm[-1])]),
            sets_mm=np.concatenate([self.sets_mm, np.zeros(more)]),
            rain_mm=np.concatenate([self.rain_mm, np.zeros(more)]),
        )

    def dawn(self, day: int) -> int:
        """The step that begins at six o'clock of a day number."""
        return (day - self.first_day) * STEPS_A_DAY + DAWN_STEP


@dataclass(frozen=True, eq=False)
class Season:
    """What was read, given and measured of a block, as it came: records of it are cut from this alone.

    ``stations`` are the water contents of stations alike, shape (days · 8 + 1, layers) each; ``eto_mm`` is NaN where no
    weather is known. ``sets`` are (start, end [farm-local s], depth [mm in the soil the probes stand in]), ``passes``
    whether a long one passes the probe within its time; ``rain_mm`` is by day number. ``ends`` is how many steps are
    over.
    """

    first_day: int
    stations: tuple[Floats, ...]
    eto_mm: Floats
    kcb: Floats
    roots_cm: Floats
    sets: tuple[tuple[float, float, float], ...]
    passes: bool
    rain_mm: Mapping[int, float]
    ends: int

    def whole(self) -> Record:
        """All of it."""
        return self._cut(self.first_day, self.first_day + len(self.eto_mm) - 1, self.ends)

    def until_dawn(self, day: int) -> Record:
        """What was known of it at six o'clock of a day number, 150 days back at most; the day itself is in it.

        Whatever is read, given or measured later changes nothing of it, and no more does how far back it was gathered.
        """
        first = max(self.first_day, day - LONGEST_DAYS)
        record = self._cut(first, day, (day - first) * STEPS_A_DAY + DAWN_STEP)
        sets, eto = record.sets_mm.copy(), record.eto_mm.copy()
        sets[record.ends :] = 0.0
        if len(eto) > 1:
            eto[-1] = eto[-2]  # of the day itself no weather is known at its dawn
        return replace(record, sets_mm=sets, eto_mm=eto)

    def _cut(self, first: int, last: int, ends: int) -> Record:
        begin, end = first - self.first_day, last - self.first_day + 1
        tables = [t[begin * STEPS_A_DAY : end * STEPS_A_DAY + 1].copy() for t in self.stations]
        for table in tables:
            table[ends + 1 :] = np.nan
        theta = one_profile(tables, SETTLED_DAYS * STEPS_A_DAY)
        eto = self.eto_mm[begin:end]
        known = np.isfinite(eto)
        mean = float(eto[known].mean()) if known.any() else np.nan
        return Record(
            first_day=first,
            theta=theta,
            eto_mm=np.where(known, eto, mean),
            kcb=self.kcb[begin:end],
            roots_cm=self.roots_cm[begin:end],
            sets_mm=water_of_sets(self.sets, self.passes, theta[:, 0], first),
            rain_mm=rain_at_steps(self.rain_mm, theta[:, 0], first, ends),
            ends=ends,
        )


def sun_share() -> Floats:
    """Share of a day's use in each step [-], shape (8,): half a sine from six to nineteen o'clock."""
    hours = np.arange(STEPS_A_DAY + 1) * STEP_H
    place = np.clip((hours - SUN_FROM_H) / (SUN_TO_H - SUN_FROM_H), 0.0, 1.0)
    return np.asarray(np.diff((1 - np.cos(np.pi * place)) / 2))


def at_steps(local_s: NDArray[np.int64], theta: Floats, first_day: int, days: int) -> Floats:
    """Hourly water contents as states at every third hour, shape (days · 8 + 1,).

    Parameters
    ----------
    local_s : array of int, shape (n,)
        Farm-local seconds of the hours, increasing.
    theta : array, shape (n,)
        Water contents [m³/m³], NaN where not known.
    first_day, days : int
        Day number of the first row and how many days.

    Returns
    -------
    array
        The mean of the four hours around the step, at dawn of the four before it: nothing falls at night, and what is
        read later then changes nothing that was known at dawn. Where they lie apart water moves, and the hour at the
        step counts alone, at dawn the one before it.
    """
    steps = days * STEPS_A_DAY + 1
    table = np.full(days * 24 + 1 + 2 * STEADY_H, np.nan)
    place = local_s // HOUR_S - first_day * 24 + STEADY_H
    inside = (place >= 0) & (place < len(table))
    table[place[inside]] = theta[inside]
    at = np.arange(steps) * STEP_H + STEADY_H
    shift = np.where(np.arange(steps) % STEPS_A_DAY == DAWN_STEP, -1, 0)
    four = np.stack([table[at + np.where(shift < 0, before, around)] for before, around in NEAR_H])
    known = np.isfinite(four)
    count = known.sum(axis=0)
    mean = np.divide(np.where(known, four, 0.0).sum(axis=0), count, out=np.full(steps, np.nan), where=count > 0)
    high = np.where(known, four, -np.inf).max(axis=0)
    low = np.where(known, four, np.inf).min(axis=0)
    moving = known[0] & (high - low > MOVING_THETA)
    return np.asarray(np.where(moving, four[0], mean))


def sets_at_steps(sets: Sequence[tuple[float, float, float]], first_day: int, days: int) -> Floats:
    """Water of sets by step [mm], shape (days · 8,): start and end [farm-local s] and depth [mm], spread evenly.

    The state at a step is read in the hour before it: what came in that hour counts as come after it.
    """
    found = np.zeros(days * STEPS_A_DAY)
    edges = (first_day * 86400.0) + np.arange(days * STEPS_A_DAY + 1) * STEP_S
    for start, end, depth in sets:
        length = max(end - start, 600.0)
        overlap = np.minimum(edges[1:], start + READ_BEFORE_S + length) - np.maximum(edges[:-1], start + READ_BEFORE_S)
        found += depth * np.maximum(0.0, overlap) / length
    return found


def passing_at_steps(sets: Sequence[tuple[float, float, float]], top: Floats, first_day: int) -> Floats:
    """Water of sets that pass the probe within their time [mm], shape (days · 8,): a pivot's turn, a block in parts.

    Each comes at once where the top probe rises most within it, as rain does; over its whole time where it does not.

    Parameters
    ----------
    sets : sequence of (float, float, float)
        Start and end [farm-local s] and depth [mm].
    top : array, shape (days · 8 + 1,)
        Water content of the top layer at each step's begin [m³/m³].
    first_day : int
    """
    days = (len(top) - 1) // STEPS_A_DAY
    rises = np.nan_to_num(np.diff(top), nan=-1.0)
    found = np.zeros(days * STEPS_A_DAY)
    for start, end, depth in sets:
        first, last = (int((t + READ_BEFORE_S - 86400.0 * first_day) // STEP_S) for t in (start, end))
        inside = range(max(0, first), min(last + 1, len(found)))
        best = max(inside, key=lambda step: rises[step], default=None)
        if best is not None and rises[best] > RAIN_RISE:
            found[best] += depth
        else:
            found += sets_at_steps([(start, end, depth)], first_day, days)
    return found


def water_of_sets(sets: Sequence[tuple[float, float, float]], passes: bool, top: Floats, first_day: int) -> Floats:
    """Water of sets by step [mm], shape (days · 8,): a long one that passes over the block comes where the probe rises.

    Parameters are as for :func:`passing_at_steps`; ``passes`` is whether the system's water passes a place.
    """
    long = [s for s in sets if passes and s[1] - s[0] > LONG_SET_S]
    still = [s for s in sets if not passes or s[1] - s[0] <= LONG_SET_S]
    days = (len(top) - 1) // STEPS_A_DAY
    return sets_at_steps(still, first_day, days) + passing_at_steps(long, top, first_day)


def rain_at_steps(rain: Mapping[int, float], top: Floats, first_day: int, ends: int) -> Floats:
    """Rain by step [mm]: a day's depth where the top probe rises most, over the whole day where it does not.

    Parameters
    ----------
    rain : mapping of day number to float
        Depth of each day [mm].
    top : array, shape (days · 8 + 1,)
        Water content of the top layer at each step's begin [m³/m³].
    first_day : int
    ends : int
        How many steps are over: of a day that is not, only what the probe shows counts.
    """
    steps = len(top) - 1
    found = np.zeros(steps)
    rises = np.nan_to_num(np.diff(top), nan=-1.0)
    for day, depth in rain.items():
        begin = (day - first_day) * STEPS_A_DAY
        if depth <= 0 or begin < 0 or begin >= steps:
            continue
        stop = min(begin + STEPS_A_DAY, steps, ends)
        if stop <= begin:
            continue
        best = begin + int(np.argmax(rises[begin:stop]))
        if rises[best] > RAIN_RISE:
            found[best] += depth
        elif stop == begin + STEPS_A_DAY:
            found[begin:stop] += depth / STEPS_A_DAY
    return found


def one_profile(stations: Sequence[Floats], settled: int) -> Floats:
    """The profile of several stations alike: each one's fixed difference taken off, then the median.

    Parameters
    ----------
    stations : sequence of array, shape (steps, layers) each
        Water contents [m³/m³].
    settled : int
        Steps at the beginning over which the fixed differences are taken.
    """
    if len(stations) == 1:
        return stations[0]
    table = np.stack(stations)
    known = np.isfinite(table)
    together = known[:, :settled].all(axis=0)
    counts = np.maximum(together.sum(axis=0), 1)
    level = np.where(together, table[:, :settled], 0.0).sum(axis=1) / counts
    level_off = table - (level - level.mean(axis=0))[:, None, :]
    some = known.any(axis=0)
    return np.where(some, np.nanmedian(np.where(some, level_off, 0.0), axis=0), np.nan)
