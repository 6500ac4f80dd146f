"""Daily weather from a table: reference ET worked out day by day, rain beside it, both into the farm."""

import csv
import io
import json
from collections.abc import Iterator, Mapping
from datetime import date, datetime
from typing import Annotated, Any, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from embalse.core.errors import CoreError
from embalse.core.weather.reference_et import DayWeather, Place, reference_et, wind_at_2m
from embalse.core.weather.reference_et_hourly import HourWeather, Meridian, day_from_hours
from embalse.core.wording import text as kept_words  # kept for everybody: in English, whoever brings it in
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import EtoPart, FarmDocument, RainPart, parse_document
from embalse.services.intake.weather_columns import LEFT_OUT, in_our_names, remember
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.schema.base import Day
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store.database import transaction

LARGEST_TABLE = 20_000_000
Row = TypeVar("Row", bound=BaseModel)
Celsius = Annotated[float, Field(ge=-60, le=60)]


class WeatherRow(BaseModel):
    """A day of the table; what was not measured is left empty."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)

    day: Day
    tmax_c: Celsius
    tmin_c: Celsius
    rhmax_pct: float | None = None
    rhmin_pct: float | None = None
    tdew_c: float | None = None
    wind_m_s: float | None = None
    radiation_mj_m2: float | None = None
    sunshine_h: float | None = None
    rain_mm: Annotated[float, Field(ge=0, le=1000)] | None = None
    eto_mm: float | None = None


class HourRow(BaseModel):
    """An hour of the table, by its first instant on the farm's clock; what was not measured is left empty."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)

    at: datetime
    t_c: Celsius | None = None
    rh_pct: float | None = None
    wind_m_s: float | None = None
    radiation_mj_m2: float | None = None
    radiation_w_m2: Annotated[float, Field(ge=0, le=1600)] | None = None
    rain_mm: Annotated[float, Field(ge=0, le=300)] | None = None

    def hour(self) -> HourWeather:
        """The hour as the core knows it: one W/m² over an hour is 0.0036 MJ/m²."""
        solar = self.radiation_mj_m2 if self.radiation_w_m2 is None else 0.0036 * self.radiation_w_m2
        return HourWeather(self.at.hour, self.t_c, self.rh_pct, self.wind_m_s, solar, self.rain_mm)


class ForecastRow(BaseModel):
    """A day of a forecast for one member; reference ET, or the temperatures and what else is forecast."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)

    day: Day
    member: str = "1"
    eto_mm: Annotated[float, Field(ge=0, le=20)] | None = None
    rain_mm: Annotated[float, Field(ge=0, le=500)] = 0.0
    tmax_c: Celsius | None = None
    tmin_c: Celsius | None = None
    rhmax_pct: float | None = None
    rhmin_pct: float | None = None
    wind_m_s: float | None = None
    radiation_mj_m2: float | None = None

    def eto(self, place: Place | None) -> float:
        """Reference ET of the day [mm]; raises CoreError where neither it nor the temperatures are given."""
        if self.eto_mm is not None:
            return self.eto_mm
        if self.tmax_c is None or self.tmin_c is None:
            raise CoreError("eto_mm", "give eto_mm, or tmax_c and tmin_c")
        if place is None:
            raise CoreError("elevation_m", "a forecast of temperatures needs the elevation")
        day = DayWeather(
            self.day.timetuple().tm_yday, self.tmax_c, self.tmin_c, self.rhmax_pct, self.rhmin_pct,
            wind_m_s=self.wind_m_s, radiation_mj_m2=self.radiation_mj_m2,
        )  # fmt: skip
        return reference_et(day, place).eto_mm


class WeatherReport(Content):
    """What became of a table: days by method, what was taken for granted, and counts of what was stored."""

    days: int
    methods: dict[str, int]
    words: list[Words]
    created: int
    changed: int
    unchanged: int


def farm_latitude() -> float | None:
    """Mean latitude of the farm's stations [°], None where none has a place."""
    stations = farm_store.farm_rows().stations.values()
    known = [s.latitude for group in stations for s in group if s.latitude is not None]
    return sum(known) / len(known) if known else None


def import_weather(table: str, place: Place, mapping: Mapping[str, str] | None = None) -> WeatherReport:
    """Work out reference ET of every day of a CSV table and keep it with the rain; all of it or nothing.

    ``mapping`` says which column is which (our name → the table's); without it what is remembered of the table's head
    counts, or its names. A table of these very names is taken as it is, and one with others must say what they are.

    Raises
    ------
    DocumentErrors
        With line and column of everything wrong.
    """
    text, taken = in_our_names(table, mapping) if mapping is not None or _foreign(table) else (table, {})
    with transaction():  # what is remembered is what was stored
        report = _import_hours(text, place) if "at" in _header(text) else _import_days(text, place)
        if taken:
            remember(table, taken)
    return report


def _foreign(table: str) -> bool:
    """Whether a table's head has other names than those used here, but is no mere mistake in one of them."""
    head = set(_header(table))
    return not {"day", "at"} & head


def _import_days(text: str, place: Place) -> WeatherReport:
    errors: list[PathError] = []
    eto: dict[date, EtoPart] = {}
    rain: dict[date, RainPart] = {}
    methods: dict[str, int] = {}
    words: dict[str, None] = {}
    for line, cells in _cells(text):
        try:
            row = WeatherRow.model_validate({str(n).strip(): c for n, c in cells.items() if c not in (None, "")})
            if row.day in eto:
                raise CoreError("day", f"{row.day.isoformat()} is given twice")
            found = reference_et(_day(row), place)
        except ValidationError as wrong:
            errors += [
                PathError(path=f"line {line}, {e['loc'][0] if e['loc'] else 'row'}", reason=e["msg"])
                for e in wrong.errors()
            ]
            continue
        except CoreError as refusal:
            errors.append(PathError(path=f"line {line}, {refusal.field}", reason=say(refusal.reason)))
            continue
        note = found.method if not found.words else f"{found.method}: {kept_words(found.words)}"
        wind = None if row.wind_m_s is None else round(wind_at_2m(row.wind_m_s, place.wind_height_m), 2)
        eto[row.day] = EtoPart(
            day=row.day, eto_mm=round(found.eto_mm, 3), note=note, tmax_c=row.tmax_c, tmin_c=row.tmin_c,
            wind_2m_m_s=wind, rh_min_pct=row.rhmin_pct,
        )  # fmt: skip
        if row.rain_mm is not None:
            rain[row.day] = RainPart(day=row.day, depth_mm=row.rain_mm, note="weather station")
        methods[found.method] = methods.get(found.method, 0) + 1
        words |= {say(found.words): None} if found.words else {}
    if not eto and not errors:
        errors.append(
            PathError(path="file", reason="there is no day; the first line names the columns: day, tmax_c, …")
        )
    if errors:
        raise DocumentErrors(errors)
    report = apply_document(FarmDocument(embalse=1, eto=list(eto.values()), rain=list(rain.values())))
    return WeatherReport(
        days=len(eto), methods=methods, words=list(words), created=sum(report.created.values()),
        changed=sum(report.changed.values()), unchanged=sum(report.unchanged.values()),
    )  # fmt: skip


def _day(row: WeatherRow) -> DayWeather:
    return DayWeather(
        row.day.timetuple().tm_yday, row.tmax_c, row.tmin_c, row.rhmax_pct, row.rhmin_pct, row.tdew_c, row.wind_m_s,
        row.radiation_mj_m2, row.sunshine_h, row.eto_mm,
    )  # fmt: skip


def _header(text: str) -> list[str]:
    try:
        return [name.strip() for name in next(csv.reader(_lines(text)), [])]
    except csv.Error as wrong:
        raise _no_table(1, wrong) from wrong


def _cells(text: str) -> Iterator[tuple[int, dict[str | None, Any]]]:
    reader = csv.DictReader(_lines(text))
    while True:
        try:
            cells = next(reader)
        except StopIteration:
            return
        except csv.Error as wrong:
            raise _no_table(reader.line_num + 1, wrong) from wrong
        yield reader.line_num, {n: c for n, c in cells.items() if n is None or not n.startswith(LEFT_OUT)}


def _lines(text: str) -> io.StringIO:
    return io.StringIO(text.lstrip("\ufeff"), newline="")


def _no_table(line: int, wrong: csv.Error) -> DocumentErrors:
    return DocumentErrors([PathError(path=f"line {line}", reason=f"the row cannot be read: {wrong}")])


def _rows(text: str, kind: type[Row]) -> list[tuple[int, Row]]:
    """Rows of a CSV table with their lines; raises DocumentErrors with line and column of everything wrong."""
    errors: list[PathError] = []
    found = []
    for line, cells in _cells(text):
        try:
            values = {str(n).strip(): c for n, c in cells.items() if c not in (None, "")}
            found.append((line, kind.model_validate(values)))
        except ValidationError as wrong:
            errors += [
                PathError(path=f"line {line}, {e['loc'][0] if e['loc'] else 'row'}", reason=e["msg"])
                for e in wrong.errors()
            ]
    if not found and not errors:
        columns = ", ".join(kind.model_fields)
        errors.append(PathError(path="file", reason=f"there is no row; the first line names the columns: {columns}"))
    if errors:
        raise DocumentErrors(errors)
    return found


def _import_hours(text: str, place: Place) -> WeatherReport:
    """An hourly table: every day of it worked out from its hours."""
    by_day: dict[date, list[tuple[int, HourRow]]] = {}
    for line, row in _rows(text, HourRow):
        by_day.setdefault(row.at.date(), []).append((line, row))
    zone = clock.the_farm().time_zone
    errors, eto, rain = [], [], []
    words: dict[str, None] = {}
    for day, rows in by_day.items():
        noon = times.local(times.instant_of(times.day_number(day), 12, zone), zone)
        offset = noon.utcoffset()
        centre = 0.0 if offset is None else offset.total_seconds() / 240
        longitude = farm_longitude()
        meridian = Meridian(centre if longitude is None else longitude, centre)
        try:
            found = day_from_hours([r.hour() for _, r in rows], place, meridian, day.timetuple().tm_yday)
        except CoreError as refusal:
            errors.append(
                PathError(path=f"lines {rows[0][0]} to {rows[-1][0]}, {refusal.field}", reason=say(refusal.reason))
            )
            continue
        note = f"{found.eto.method}: {kept_words(found.eto.words)}"
        wind = None if found.wind_2m_m_s is None else round(found.wind_2m_m_s, 2)
        eto.append(EtoPart(day=day, eto_mm=round(found.eto.eto_mm, 3), note=note, tmax_c=found.tmax_c,
                           tmin_c=found.tmin_c, wind_2m_m_s=wind, rh_min_pct=found.rh_min_pct))  # fmt: skip
        words[say(found.eto.words)] = None
        if found.rain_mm is not None:
            rain.append(RainPart(day=day, depth_mm=round(found.rain_mm, 2), note="weather station"))
    if errors:
        raise DocumentErrors(errors)
    report = apply_document(FarmDocument(embalse=1, eto=eto, rain=rain))
    return WeatherReport(
        days=len(eto), methods={"Penman–Monteith, hourly": len(eto)}, words=list(words),
        created=sum(report.created.values()), changed=sum(report.changed.values()),
        unchanged=sum(report.unchanged.values()),
    )  # fmt: skip


def farm_longitude() -> float | None:
    """Mean longitude of the farm's stations [°], None where none has a place."""
    stations = farm_store.farm_rows().stations.values()
    known = [s.longitude for group in stations for s in group if s.longitude is not None]
    return sum(known) / len(known) if known else None


def import_forecast(text: str, issued: datetime, place: Place | None, note: str = "") -> WeatherReport:
    """Keep a forecast from a CSV table of days and members; all of it or nothing.

    Raises
    ------
    DocumentErrors
        With line and column of everything wrong.
    """
    errors: list[PathError] = []
    days: dict[date, dict[str, tuple[float, float]]] = {}
    air: dict[date, list[tuple[float, float]]] = {}
    for line, row in _rows(text, ForecastRow):
        try:
            members = days.setdefault(row.day, {})
            if row.member in members:
                raise CoreError("member", f"'{row.member}' is given twice for {row.day.isoformat()}")
            members[row.member] = (row.eto(place), row.rain_mm)
            if row.tmin_c is not None and row.tmax_c is not None:
                air.setdefault(row.day, []).append((row.tmin_c, row.tmax_c))
        except CoreError as refusal:
            errors.append(PathError(path=f"line {line}, {refusal.field}", reason=say(refusal.reason)))
    if errors:
        raise DocumentErrors(errors)
    names = sorted(next(iter(days.values())))
    for day, members in days.items():
        if sorted(members) != names:
            raise DocumentErrors([PathError(path=f"day {day.isoformat()}", reason="every day needs the same members")])
    part = {
        "key": f"forecast-{issued:%Y%m%d-%H%M}", "issued": issued.isoformat(), "note": note,
        "days": [
            {"day": day.isoformat(), "eto_mm": [round(days[day][n][0], 3) for n in names],
             "rain_mm": [days[day][n][1] for n in names],
             "tmin_c": [low for low, _ in air.get(day, [])], "tmax_c": [high for _, high in air.get(day, [])]}
            for day in sorted(days)
        ],
    }  # fmt: skip
    document = {"embalse": 1, "forecasts": [part]}
    report = apply_document(parse_document(json.dumps(document)))
    return WeatherReport(
        days=len(days), methods={f"{len(names)} members": len(days)}, words=[], created=sum(report.created.values()),
        changed=sum(report.changed.values()), unchanged=sum(report.unchanged.values()),
    )  # fmt: skip
