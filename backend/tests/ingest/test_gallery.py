"""Thirty shapes of logger files, all with the same readings: each is read by its column names, value by value."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest

from embalse.config import Settings
from embalse.ingest.clock_text import TimeReader, TimeRefused
from embalse.ingest.layout import inspect_file
from embalse.services.intake.import_plan import plan_by_names
from embalse.services.intake.imports import run_import
from embalse.store import farm as farm_store
from embalse.store.database import database

ZONE = ZoneInfo("Europe/Madrid")
HOURS = 40
TIMES = [datetime(2026, 6, 11, 22, tzinfo=UTC) + timedelta(hours=n) for n in range(HOURS)]
SHALLOW = [round(0.21 + 0.001 * (n % 9), 3) for n in range(HOURS)]
DEEP = [round(0.3 - 0.0005 * n, 4) for n in range(HOURS)]


def local(moment: datetime, form: str) -> str:
    return moment.astimezone(ZONE).strftime(form)


def wide(
    form: str = "%Y-%m-%d %H:%M",
    apart: str = ",",
    decimal: str = ".",
    before: tuple[str, ...] = (),
    head: str = "time{0}one-10{0}one-30",
    end: str = "\n",
    cells: Callable[[str], str] = str,
    after_head: tuple[str, ...] = (),
    tail: str = "",
) -> str:
    rows = [
        apart.join([local(t, form), cells(f"{a:g}".replace(".", decimal)), cells(f"{b:g}".replace(".", decimal))])
        + tail
        for t, a, b in zip(TIMES, SHALLOW, DEEP, strict=True)
    ]
    return end.join([*before, head.format(apart) + tail, *after_head, *rows]) + end


def long(columns: str, row: Callable[[str, str, float], str], form: str = "%Y-%m-%d %H:%M") -> str:
    lines = [columns]
    for t, a, b in zip(TIMES, SHALLOW, DEEP, strict=True):
        lines += [row(local(t, form), "one-10", a), row(local(t, form), "one-30", b)]
    return "\n".join(lines) + "\n"


def quoted(text: str) -> str:
    return "\n".join(",".join(f'"{c}"' for c in line.split(",")) for line in text.splitlines()) + "\n"


def with_gaps(text: str, gap: str) -> str:
    lines = text.splitlines()
    lines.insert(5, f"{local(TIMES[0] - timedelta(hours=1), '%Y-%m-%d %H:%M')},{gap},{gap}")
    return "\n".join(lines) + "\n"


def iso(offset: bool) -> str:
    fixed = timezone(timedelta(hours=-3))
    rows = [
        f"{(t.astimezone(fixed) if offset else t).isoformat().replace('+00:00', 'Z')},{a},{b}"
        for t, a, b in zip(TIMES, SHALLOW, DEEP, strict=True)
    ]
    return "time,one-10,one-30\n" + "\n".join(rows) + "\n"


GALLERY: dict[str, str | bytes] = {
    "commas": wide(),
    "semicolons": wide(apart=";"),
    "tabs": wide(apart="\t"),
    "semicolons, decimal commas": wide(apart=";", decimal=","),
    "tabs, decimal commas": wide(apart="\t", decimal=","),
    "dos line ends": wide(end="\r\n"),
    "byte order mark": "\ufeff" + wide(),
    "latin letters": wide(before=("Estación: señal nº 4",)).encode("latin-1"),
    "sixteen bits": wide().encode("utf-16"),
    "day first": wide("%d/%m/%Y %H:%M"),
    "day first, dots": wide("%d.%m.%Y %H:%M", apart=";", decimal=","),
    "month first": wide("%m/%d/%Y %H:%M"),
    "year first, slashes": wide("%Y/%m/%d %H:%M"),
    "half days": wide("%m/%d/%Y %I:%M %p"),
    "seconds": wide("%Y-%m-%d %H:%M:%S"),
    "parts of a second": wide("%Y-%m-%d %H:%M:%S.000"),
    "T between": wide("%Y-%m-%dT%H:%M"),
    "UTC, Z": iso(False),
    "an offset": iso(True),
    "date and clock apart": wide("%Y-%m-%d,%H:%M", head="date{0}time{0}one-10{0}one-30"),
    "four lines before": wide(before=("Logger 7", "Serial: 123", "Firmware: 2.1", "")),
    "a line of units": wide(after_head=("yyyy-mm-dd HH:MM,m3/m3,m3/m3",)),
    "units in the head": wide(head="time{0}one-10 (m3/m3){0}one-30 (m3/m3)"),
    "quotes": quoted(wide()),
    "a delimiter at every end": wide(tail=","),
    "gaps as nan": with_gaps(wide(), "NaN"),
    "gaps as numbers": with_gaps(wide(), "-9999"),
    "blank lines at the end": wide() + "\n\n\n",
    "newest first": "\n".join([wide().splitlines()[0], *wide().splitlines()[:0:-1]]) + "\n",
    "blanks around": wide(cells=lambda c: f"  {c} "),
    "a reading a row": long("time,sensor,value", lambda t, s, v: f"{t},{s},{v:g}"),
    "a reading a row, with units": long("sensor;time;value;unit", lambda t, s, v: f"{s};{t};{v:g};m3/m3"),
}  # fmt: skip


def test_there_are_thirty_at_least() -> None:
    assert len(GALLERY) >= 30


@pytest.mark.parametrize("name", GALLERY)
def test_every_shape_gives_the_same_readings(farm: Settings, tmp_path: Path, name: str) -> None:
    text = GALLERY[name]
    path = tmp_path / "logger.csv"
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    plan = plan_by_names(inspect_file(path), farm_store.sensors(companions=None), "Europe/Madrid")
    assert plan is not None, "columns are known by name"
    report = run_import(path, path.name, plan)
    assert report.status == "done", report
    stored = database.execute_sql(
        "SELECT s.channel, r.ts, r.raw FROM reading r JOIN sensor s ON s.id = r.sensor_id ORDER BY s.channel, r.ts"
    ).fetchall()
    at = [int(t.timestamp()) for t in TIMES]
    expected = [("one-10", t, v) for t, v in zip(at, SHALLOW, strict=True)]
    expected += [("one-30", t, v) for t, v in zip(at, DEEP, strict=True)]
    assert stored == [(c, t, pytest.approx(v, abs=1e-9)) for c, t, v in expected]


@pytest.mark.parametrize(
    ("clock", "hour"), [("12:05 AM", 0), ("1:05 am", 1), ("11:05 a.m.", 11), ("12:05 PM", 12), ("11:05pm", 23)]
)
def test_half_days(clock: str, hour: int) -> None:
    told = TimeReader("mdy", "UTC").reader()(f"06/12/2026 {clock}")
    assert datetime.fromtimestamp(told, UTC) == datetime(2026, 6, 12, hour, 5, tzinfo=UTC)


@pytest.mark.parametrize("clock", ["13:05 PM", "0:05 AM"])
def test_hours_that_no_half_day_has(clock: str) -> None:
    with pytest.raises(TimeRefused, match="from 1 to 12"):
        TimeReader("mdy", "UTC").reader()(f"06/12/2026 {clock}")


def test_years_of_two_digits_stay_refused() -> None:
    """They can be read three ways, and nothing in a file of one day tells which."""
    with pytest.raises(TimeRefused, match="four digits"):
        TimeReader("dmy", "UTC").reader()("12/06/26 06:00")
