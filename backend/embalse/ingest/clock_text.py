"""Times in logger files: read once into a rule, then by slicing digits."""

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from typing import Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

DateOrder = Literal["ymd", "dmy", "mdy"]

_DATE = r"(\d{1,4})([-/.])(\d{1,2})\2(\d{1,4})"
_CLOCK = r"(\d{1,2}):(\d{2})(?::(\d{2})(?:\.\d+)?)?"
_HALF = r"(?:\s*([AaPp])\.?[Mm]\.?)?"
DATE_TIME = re.compile(rf"\s*{_DATE}[ T]+{_CLOCK}{_HALF}\s*(Z|[+-]\d{{2}}:?\d{{2}})?\s*$")
DATE_ONLY = re.compile(rf"\s*{_DATE}\s*$")
CLOCK_ONLY = re.compile(rf"\s*{_CLOCK}{_HALF}\s*$")
FIXED = re.compile(r"^UTC(?:([+-])(\d{1,2})(?::?([0-5]\d))?)?$", re.IGNORECASE)
USUAL_CLOCK = re.compile(r":[0-5]\d(?::[0-5]\d)?$")


class TimeRefused(ValueError):
    """A text that is no time, or a time that does not exist or exists twice in its zone."""


class TimeTwice(TimeRefused):
    """A time that exists twice, an hour apart: both instants [s, UTC]."""

    def __init__(self, text: str, early: int, late: int) -> None:
        super().__init__(f"'{text[:40]}' happens twice: clocks go back then; does the logger keep a fixed offset?")
        self.early, self.late = early, late


def zone(name: str) -> tzinfo:
    """A time zone by IANA name, or a fixed offset written like ``UTC+01:00`` that knows no daylight saving.

    Raises
    ------
    ValueError
        If it is neither.
    """
    fixed = FIXED.match(name.strip())
    if fixed:
        sign, hours, minutes = fixed.groups()
        if hours is None:
            return UTC
        shift = timedelta(hours=int(hours), minutes=int(minutes or 0))
        if shift > timedelta(hours=14):
            raise ValueError(f"'{name}' is more than 14 hours from UTC")
        return timezone(-shift if sign == "-" else shift)
    try:
        return ZoneInfo(name.strip())
    except (ZoneInfoNotFoundError, ValueError, OSError) as missing:
        raise ValueError(f"'{name}' is neither a time zone nor an offset like UTC+01:00") from missing


def date_order_of(dates: list[tuple[int, int, int]]) -> tuple[DateOrder, bool]:
    """Order of day, month and year in sampled dates, and whether it is certain.

    Dates that all could be read both ways are taken as day first, and not certain.
    """
    if any(first > 31 for first, _, _ in dates):
        return "ymd", True
    if any(first > 12 for first, _, _ in dates):
        return "dmy", True
    if any(second > 12 for _, second, _ in dates):
        return "mdy", True
    return "dmy", False


def date_numbers(text: str) -> tuple[int, int, int] | None:
    """The three numbers of a text that starts with a date, as written, or None."""
    found = DATE_TIME.match(text) or DATE_ONLY.match(text)
    return None if found is None else (int(found[1]), int(found[3]), int(found[4]))


def _of_half_day(hour: int, half: str, text: str) -> int:
    """The hour of the day of one told in half days: 12 AM is midnight, 12 PM noon."""
    if not 1 <= hour <= 12:
        raise TimeRefused(f"'{text[:40]}' is not a date and time: hours of half a day go from 1 to 12")
    return hour % 12 + (12 if half in "Pp" else 0)


class TimeReader:
    """Turns time texts of one file into instants [s, UTC].

    The instant of each date and hour is worked out once and kept; minutes and seconds are sliced off the text.
    """

    def __init__(self, order: DateOrder, zone_name: str) -> None:
        self._order = order
        self._zone = zone(zone_name)
        self._hours: dict[str, int] = {}

    def reader(self) -> Callable[[str], int]:
        """The function that reads one text; it raises TimeRefused with a reason."""
        hours, slow, usual = self._hours, self.slow, USUAL_CLOCK.match

        def read(text: str) -> int:
            base = hours.get(text[:13])
            if base is not None and usual(text, 13):
                seconds = int(text[17:19]) if len(text) > 16 else 0
                return base + 60 * int(text[14:16]) + seconds
            return slow(text)

        return read

    def slow(self, text: str) -> int:
        """Instant of any text in the file's order; a usual one is remembered by its date and hour."""
        found = DATE_TIME.match(text)
        if found is None:
            raise TimeRefused(f"'{text[:40]}' is not a date and time")
        year, month, day = self._date(int(found[1]), int(found[3]), int(found[4]))
        hour, minute, second = int(found[5]), int(found[6]), int(found[7] or 0)
        if found[8]:
            hour = _of_half_day(hour, found[8], text)
        try:
            naive = datetime(year, month, day, hour, minute, second)
        except ValueError as wrong:
            raise TimeRefused(f"'{text[:40]}' is not a date and time: {wrong}") from wrong
        if found[9]:
            return int(datetime.fromisoformat(naive.isoformat() + found[9]).timestamp())
        instant = self._instant(naive, text)
        if len(text) in (16, 19) and text[:2].isdigit() and USUAL_CLOCK.match(text, 13):
            self._hours[text[:13]] = instant - 60 * minute - second
        return instant

    def _date(self, first: int, second: int, third: int) -> tuple[int, int, int]:
        if self._order == "ymd":
            return first, second, third
        day, month = (first, second) if self._order == "dmy" else (second, first)
        if third < 100:
            raise TimeRefused("the year must have four digits")
        return third, month, day

    def _instant(self, naive: datetime, text: str) -> int:
        early, late = (naive.replace(tzinfo=self._zone, fold=fold) for fold in (0, 1))
        if early.utcoffset() == late.utcoffset():
            return int(early.timestamp())
        if datetime.fromtimestamp(early.timestamp(), self._zone).replace(tzinfo=None) != naive:
            raise TimeRefused(
                f"'{text[:40]}' does not exist: clocks go forward then; does the logger keep a fixed offset?"
            )
        raise TimeTwice(text, int(early.timestamp()), int(late.timestamp()))
