"""Daily weather from a table: reference ET worked out day by day, rain beside it, both into the farm."""

import csv
import io
from datetime import date
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from embalse.core.demand import DayWeather, Place, reference_et
from embalse.core.errors import CoreError
from embalse.services.apply import apply_document
from embalse.services.content import Content
from embalse.services.farm_document import DocumentErrors, EtoPart, FarmDocument, PathError, RainPart
from embalse.store import farm as farm_store

LARGEST_TABLE = 20_000_000
Celsius = Annotated[float, Field(ge=-60, le=60)]


class WeatherRow(BaseModel):
    """A day of the table; what was not measured is left empty."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)

    day: date
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


class WeatherReport(Content):
    """What became of a table: days by method, what was taken for granted, and counts of what was stored."""

    days: int
    methods: dict[str, int]
    words: list[str]
    created: int
    changed: int
    unchanged: int


def farm_latitude() -> float | None:
    """Mean latitude of the farm's stations [°], None where none has a place."""
    stations = farm_store.farm_rows().stations.values()
    known = [s.latitude for group in stations for s in group if s.latitude is not None]
    return sum(known) / len(known) if known else None


def import_weather(text: str, place: Place) -> WeatherReport:
    """Work out reference ET of every day of a CSV table and keep it with the rain; all of it or nothing.

    Raises
    ------
    DocumentErrors
        With line and column of everything wrong.
    """
    errors: list[PathError] = []
    eto: dict[date, EtoPart] = {}
    rain: dict[date, RainPart] = {}
    methods: dict[str, int] = {}
    words: dict[str, None] = {}
    reader = csv.DictReader(io.StringIO(text.lstrip("\ufeff")))
    for cells in reader:
        line = reader.line_num
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
            errors.append(PathError(path=f"line {line}, {refusal.field}", reason=refusal.reason))
            continue
        note = found.method if not found.words else f"{found.method}: {found.words}"
        eto[row.day] = EtoPart(day=row.day, eto_mm=round(found.eto_mm, 3), note=note)
        if row.rain_mm is not None:
            rain[row.day] = RainPart(day=row.day, depth_mm=row.rain_mm, note="weather station")
        methods[found.method] = methods.get(found.method, 0) + 1
        words |= {found.words: None} if found.words else {}
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
