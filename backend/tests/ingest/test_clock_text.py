from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.ingest.clock_text import TimeReader, TimeRefused, date_order_of, zone

MADRID = "Europe/Madrid"


def utc(*parts: int) -> int:
    return int(datetime(*parts, tzinfo=UTC).timestamp())  # type: ignore[arg-type, misc]


@pytest.mark.parametrize(
    ("text", "order", "zone_name", "expected"),
    [
        ("2026-07-14 06:00", "ymd", MADRID, utc(2026, 7, 14, 4)),
        ("2026-07-14T06:00:30", "ymd", MADRID, utc(2026, 7, 14, 4, 0, 30)),
        ("2026-01-14 06:00", "ymd", MADRID, utc(2026, 1, 14, 5)),
        ("2026/07/14 06:00", "ymd", "UTC+01:00", utc(2026, 7, 14, 5)),
        ("14/07/2026 06:15", "dmy", "UTC-03:30", utc(2026, 7, 14, 9, 45)),
        ("07/14/2026 06:15", "mdy", "UTC", utc(2026, 7, 14, 6, 15)),
        ("4.7.2026 6:05", "dmy", "UTC", utc(2026, 7, 4, 6, 5)),
        ("2026-07-14T06:00:00Z", "ymd", MADRID, utc(2026, 7, 14, 6)),
        ("2026-07-14 06:00:00+02:00", "ymd", "UTC", utc(2026, 7, 14, 4)),
        ("2026-07-14 06:00:00.123", "ymd", "UTC", utc(2026, 7, 14, 6)),
    ],
)
def test_times_as_loggers_write_them(text: str, order: str, zone_name: str, expected: int) -> None:
    read = TimeReader(order, zone_name).reader()  # type: ignore[arg-type]
    assert read(text) == expected
    assert read(text) == expected


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("2026-03-29 02:30", "does not exist"),
        ("2026-10-25 02:30", "happens twice"),
        ("2026-02-30 10:00", "not a date"),
        ("2026-07-14 24:10", "not a date"),
        ("2026-07-14 10:75", "not a date"),
        ("yesterday", "not a date"),
        ("", "not a date"),
    ],
)
def test_times_that_cannot_be_say_why(text: str, words: str) -> None:
    with pytest.raises(TimeRefused, match=words):
        TimeReader("ymd", MADRID).reader()(text)


def test_a_remembered_hour_does_not_let_bad_minutes_through() -> None:
    read = TimeReader("ymd", "UTC").reader()
    read("2026-07-14 06:00")
    for bad in ("2026-07-14 06:6x", "2026-07-14 06:99", "2026-07-14 06:00:0", "2026-07-14 06"):
        with pytest.raises(TimeRefused):
            read(bad)


def test_a_fixed_offset_has_no_missing_or_double_hour() -> None:
    read = TimeReader("ymd", "UTC+01:00").reader()
    assert read("2026-03-29 02:30") == utc(2026, 3, 29, 1, 30)
    assert read("2026-10-25 02:30") == utc(2026, 10, 25, 1, 30)


@given(st.integers(utc(2000, 1, 1), utc(2040, 1, 1)))
def test_an_instant_written_and_read_is_itself(instant: int) -> None:
    moment = datetime.fromtimestamp(instant, ZoneInfo(MADRID))
    naive = moment.replace(tzinfo=None)
    if moment.utcoffset() != moment.replace(fold=1 - moment.fold).utcoffset():
        return
    assert TimeReader("ymd", MADRID).reader()(naive.isoformat(sep=" ")) == instant


def test_date_orders() -> None:
    assert date_order_of([(2026, 7, 14)]) == ("ymd", True)
    assert date_order_of([(1, 2, 2026), (14, 2, 2026)]) == ("dmy", True)
    assert date_order_of([(1, 2, 2026), (1, 14, 2026)]) == ("mdy", True)
    assert date_order_of([(1, 2, 2026)]) == ("dmy", False)


@pytest.mark.parametrize("name", ["Mars/Base", "UTC+25:00", "", "../etc"])
def test_unknown_zones_are_refused(name: str) -> None:
    with pytest.raises(ValueError, match=r"zone|hours"):
        zone(name)
