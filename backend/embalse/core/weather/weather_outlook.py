"""Weather as it is known at a moment: reference ET of past days, gaps filled, and members for the days ahead."""

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require
from embalse.core.sources import Source
from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
AHEAD_DAYS: Final = 21  # days ahead
SHORT_GAP_DAYS: Final = 3  # days of a gap filled in a straight line (ours)
AROUND_DAYS: Final = 10  # days on either side whose mean fills a longer gap (ours)
RECENT_DAYS: Final = 21  # days whose mean goes on where no forecast reaches (ours)
FEWEST_RECENT: Final = 5  # known days for that mean (ours)
LASTING_SHARE: Final = 0.8
"""Share of the day-to-day spread of ETo that a mean over some days keeps (common practice, no source)."""
NO_FORECAST_Z: Final = (-1.28, -0.52, 0.0, 0.52, 1.28)  # normal quantiles of 10, 30, 50, 70 and 90 %
STALE_DAYS: Final = 4  # days after which a forecast is no longer used (ours)


@dataclass(frozen=True)
class PastDay:
    """Reference ET of a past day [mm] and how it came about; ``filled`` when it was not measured."""

    eto_mm: float
    how: Text
    filled: bool = False


@dataclass(frozen=True)
class Forecast:
    """A forecast as issued: first day number, reference ET and rain [mm], both shape (members, days)."""

    issued_at: float
    first_day: int
    eto_mm: Floats
    rain_mm: Floats
    name: Text = ""


@dataclass(frozen=True, eq=False)
class Outlook:
    """Weather known at a moment: past days, and the days ahead from ``first_day`` on, shape (members, days) [mm].

    ``forecast_days`` of them come from a forecast; the rest goes on as the last weeks did.
    """

    past: Mapping[int, PastDay]
    first_day: int
    eto_mm: Floats
    rain_mm: Floats
    forecast_days: int
    source: Source


def filled_days(known: Mapping[int, tuple[float, str]], first_day: int, last_day: int) -> dict[int, PastDay]:
    """Reference ET of every day of a span that can be given honestly.

    Parameters
    ----------
    known : mapping of day number to (float, str)
        Reference ET [mm] and its method.
    first_day, last_day : int
        Day numbers, both included.

    Returns
    -------
    dict of int to PastDay
        A gap of up to three days is filled in a straight line between its ends, a longer one with the mean of the days
        known within ten days of it; a day with nothing near is left out.

    Examples
    --------
    >>> filled_days({1: (4.0, "given"), 3: (6.0, "given")}, 1, 3)[2].eto_mm
    5.0
    """
    days = sorted(known)
    found = {}
    for day in range(first_day, last_day + 1):
        if day in known:
            found[day] = PastDay(*known[day])
            continue
        filled = _between(known, days, day) or _around(known, day)
        if filled is not None:
            found[day] = filled
    return found


def _between(known: Mapping[int, tuple[float, str]], days: Sequence[int], day: int) -> PastDay | None:
    place = int(np.searchsorted(days, day))
    if not 0 < place < len(days) or days[place] - days[place - 1] - 1 > SHORT_GAP_DAYS:
        return None
    before, after = days[place - 1], days[place]
    share = (day - before) / (after - before)
    value = (1 - share) * known[before][0] + share * known[after][0]
    return PastDay(value, Notice("eto_how.between", gap_days=after - before - 1), True)


def _around(known: Mapping[int, tuple[float, str]], day: int) -> PastDay | None:
    near = [known[d][0] for d in range(day - AROUND_DAYS, day + AROUND_DAYS + 1) if d in known]
    if len(near) < SHORT_GAP_DAYS:
        return None
    return PastDay(statistics.fmean(near), Notice("eto_how.around", known=len(near), within_days=AROUND_DAYS), True)


def outlook(past: Mapping[int, PastDay], forecast: Forecast | None, day: int) -> Outlook | None:
    """The days ahead of ``day``: the forecast as far as it goes, then the last three weeks' mean with their spread.

    Parameters
    ----------
    past : mapping of day number to PastDay
        Reference ET of the days before ``day`` [mm].
    forecast : Forecast or None
        The latest issued by the moment; one that begins more than four days before ``day`` is not used.
    day : int
        Today's day number, the first of the days ahead.

    Returns
    -------
    Outlook or None
        None with neither a forecast nor five recent days: nothing honest can be said of the weather ahead.
    """
    recent = [past[d].eto_mm for d in range(day - RECENT_DAYS, day) if d in past and not past[d].filled]
    usable = forecast is not None and 0 <= day - forecast.first_day <= STALE_DAYS
    used = forecast if usable else None
    if used is None and len(recent) < FEWEST_RECENT:
        return None
    if used is None:
        assert recent
        spread = LASTING_SHARE * statistics.stdev(recent)
        levels = np.maximum(0.1, statistics.fmean(recent) + spread * np.array(NO_FORECAST_Z))
        eto = np.repeat(levels[:, None], AHEAD_DAYS, axis=1)
        how = Notice("outlook.recent", recent_days=len(recent), eto_mm_d=statistics.fmean(recent))
        return Outlook(past, day, eto, np.zeros_like(eto), 0, Source("computed", "recent weather", how))
    start = day - used.first_day
    ahead = used.eto_mm[:, start : start + AHEAD_DAYS]
    rain = used.rain_mm[:, start : start + AHEAD_DAYS]
    count = ahead.shape[1]
    eto, wet = _carried_on(ahead, recent), np.zeros((len(ahead), AHEAD_DAYS))
    wet[:, :count] = rain
    how = Notice(
        "outlook.forecast", name=used.name or "forecast", members=len(ahead), ahead_days=count, recent_days=len(recent)
    )
    return Outlook(past, day, eto, wet, count, Source("entry", "weather forecast", how))


def _carried_on(ahead: Floats, recent: Sequence[float]) -> Floats:
    """Members carried on past the forecast at a level of their own: the warm ones stay warmer."""
    members, count = ahead.shape
    if count == 0 or count >= AHEAD_DAYS:
        return ahead[:, :AHEAD_DAYS]
    base = statistics.fmean(recent) if len(recent) >= FEWEST_RECENT else float(ahead.mean())
    spread = LASTING_SHARE * (statistics.stdev(recent) if len(recent) >= FEWEST_RECENT else float(ahead.std()))
    order = np.argsort(np.argsort(ahead.mean(axis=1), kind="stable"), kind="stable")
    quantiles = (order + 0.5) / members
    z = np.array([statistics.NormalDist().inv_cdf(float(q)) for q in quantiles])
    later = np.maximum(0.1, base + spread * z)
    return np.concatenate([ahead, np.repeat(later[:, None], AHEAD_DAYS - count, axis=1)], axis=1)


def check_forecast(eto_mm: Sequence[Sequence[float]], rain_mm: Sequence[Sequence[float]]) -> None:
    """Refuse a forecast whose days have no members, unequal ones, or values that cannot be (mm a day, days × members).

    Raises
    ------
    CoreError
        Naming ``eto_mm`` or ``rain_mm``.
    """
    require(len(eto_mm) > 0, "days", "a forecast needs at least one day")
    members = len(eto_mm[0])
    require(members > 0, "eto_mm", "a day needs at least one member")
    for eto, rain in zip(eto_mm, rain_mm, strict=True):
        require(len(eto) == members, "eto_mm", Notice("error.members", members=members))
        require(len(rain) == members, "rain_mm", Notice("error.members", members=members))
        require(all(0 <= v <= 20 for v in eto), "eto_mm", Notice("error.range_mm", low_mm=0.0, high_mm=20.0))
        require(all(0 <= v <= 500 for v in rain), "rain_mm", Notice("error.range_mm", low_mm=0.0, high_mm=500.0))
