"""Instants and farm-local days: the only place that turns one into the other."""

from collections.abc import Sequence
from datetime import UTC, date, datetime
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

EPOCH_ORDINAL = date(1970, 1, 1).toordinal()
FIRST_YEAR, LAST_YEAR = 1970, 2100
"""Years a farm can have seen or can plan for: one range at every door."""
DAWN_START_H = 4
DAWN_END_H = 6


def epoch(moment: datetime, time_zone: str) -> int:
    """Instant [s, UTC] of a date and time; without an offset it is farm-local."""
    aware = moment if moment.tzinfo else moment.replace(tzinfo=ZoneInfo(time_zone))
    return int(aware.timestamp())


def local(instant: float, time_zone: str) -> datetime:
    """Farm-local date and time of an instant [s, UTC]."""
    return datetime.fromtimestamp(instant, ZoneInfo(time_zone))


def iso(instant: float | None, time_zone: str) -> str | None:
    """Farm-local ISO text with offset of an instant [s, UTC], None for None."""
    return None if instant is None else local(instant, time_zone).isoformat(timespec="minutes")


def day_number(day: date) -> int:
    """Days since 1970-01-01."""
    return day.toordinal() - EPOCH_ORDINAL


def day_of(number: int) -> date:
    """Date of a day number."""
    return date.fromordinal(number + EPOCH_ORDINAL)


def local_day(instant: float, time_zone: str) -> int:
    """Farm-local day number of an instant [s, UTC]."""
    return day_number(local(instant, time_zone).date())


@lru_cache(maxsize=8192)
def instant_of(day: int, hour: int, time_zone: str) -> int:
    """Instant [s, UTC] of a farm-local day number and hour."""
    when = day_of(day)
    return int(datetime(when.year, when.month, when.day, hour, tzinfo=ZoneInfo(time_zone)).timestamp())


def parse_moment(text: str, time_zone: str) -> int:
    """Instant [s, UTC] of ISO text; raises ValueError that says what was expected."""
    try:
        moment = datetime.fromisoformat(text)
        found = epoch(moment, time_zone)
    except (ValueError, OverflowError) as wrong:
        raise ValueError(f"'{text[:40]}' is not a date and time; write it like 2026-07-14T06:00") from wrong
    if not FIRST_YEAR <= moment.year <= LAST_YEAR:
        raise ValueError(f"the year must lie between {FIRST_YEAR} and {LAST_YEAR}")
    return found


def now_utc() -> int:
    """The machine's clock [s, UTC]."""
    return int(datetime.now(UTC).timestamp())


def local_seconds(ts: Sequence[int] | NDArray[np.int64], zone: str) -> NDArray[np.int64]:
    """Farm-local seconds of instants [s, UTC]: as if the clock on the wall counted them."""
    values = np.asarray(ts, dtype=np.int64)
    if not len(values):
        return values
    days = np.arange(int(values.min()) // 86400 - 1, int(values.max()) // 86400 + 2)
    offsets = np.array([_offset(int(day) * 86400, zone) for day in days])
    return np.asarray(values + offsets[np.searchsorted(days * 86400, values, side="right") - 1])


def wall_seconds(ts: Sequence[int] | NDArray[np.int64], zone: str) -> NDArray[np.int64]:
    """The same, exact on the two days on which clocks are changed; for some hundred instants, not for a season."""
    found = [int(ts_) + _offset(int(ts_), zone) for ts_ in ts]
    return np.array(found, dtype=np.int64)


def _offset(instant: int, zone: str) -> int:
    offset = local(instant, zone).utcoffset()
    return 0 if offset is None else round(offset.total_seconds())
