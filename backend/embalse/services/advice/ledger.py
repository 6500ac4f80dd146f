"""The ledger of a block's demand: reference ET, Kc, crop use and rain day by day, with every source."""

import math
from typing import Literal

import numpy as np

from embalse.core.weather.effective_rain import effective_rain_mm
from embalse.core.weather.weather_outlook import AHEAD_DAYS
from embalse.core.wording import Text
from embalse.services import times
from embalse.services.advice.field_series import Field, dawn_depletion, field_at, wet_days
from embalse.services.load.schemas import Content, RangeOut
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.store import readings as readings_store


class LedgerDay(Content):
    """A day: mm over the whole ground but ``used_mm``, which the sensors saw go from the soil they stand in."""

    day: str
    when: Literal["past", "ahead"]
    eto_mm: float | None
    how: str
    filled: bool
    eto_low_mm: float | None
    eto_high_mm: float | None
    kc: float | None
    etc_mm: float | None
    rain_mm: float
    effective_rain_mm: float
    rain_chance: float | None
    used_mm: float | None
    expected_mm: float | None


class LedgerContent(Content):
    """The demand of a block at a farm-local moment."""

    key: str
    name: str
    as_of: str
    why_not: Words
    calendar: str
    stage: str
    weather: str
    wetted_fraction: float
    factor: RangeOut | None
    factor_how: str
    days: list[LedgerDay]


@as_known_then
def ledger_content(key: str, moment: str | None = None, days: int = 21) -> LedgerContent:
    """Demand of a block day by day, so many days back and the days ahead.

    Raises as :func:`field_at` does.
    """
    field = field_at(key, moment, days + 2)
    water_use, block = field.analysis.water_use, field.block
    course = water_use.course if water_use is not None else None
    return LedgerContent(
        key=key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        why_not=say(_why_not(field)),
        calendar=say(block.calendar.source) if block.calendar else "",
        stage=block.stage or "",
        weather=say(course.outlook.source.detail) if course is not None else "",
        wetted_fraction=block.limits.wetted_fraction,
        factor=RangeOut(low=course.use.low, mid=course.use.factor, high=course.use.high) if course else None,
        factor_how=say(course.use.how) if course is not None else "",
        days=[*_past(field, days), *_ahead(field)],
    )


def _why_not(field: Field) -> Text:
    """Why there are no days ahead; empty when there are."""
    water_use = field.analysis.water_use
    if water_use is None:
        return field.analysis.advice.reason
    return "" if water_use.course is not None else water_use.why_no_weather


def _past(field: Field, days: int) -> list[LedgerDay]:
    today = times.local_day(field.now, field.zone)
    water_use, block = field.analysis.water_use, field.block
    course = water_use.course if water_use is not None else None
    known = course.outlook.past if course is not None else {}
    rain = dict(readings_store.rain(today - days, today - 1))
    short, wet = dawn_depletion(field), wet_days(field)
    found = []
    for day in range(today - days, today):
        past = known.get(day)
        kc = float(block.calendar.kc_on(np.array([day]))[0]) if block.calendar is not None else math.nan
        eto, fell = past.eto_mm if past else None, rain.get(day, 0.0)
        etc = eto * kc if eto is not None and not math.isnan(kc) else None
        used = short[day + 1] - short[day] if day in short and day + 1 in short and day not in wet else None
        counts = float(effective_rain_mm(np.array(fell), np.array(eto))) if eto is not None else fell
        factor = course.use.factor if course is not None else None
        found.append(
            LedgerDay(
                day=times.day_of(day).isoformat(), when="past", eto_mm=eto, how=say(past.how) if past else "not known",
                filled=bool(past and past.filled), eto_low_mm=None, eto_high_mm=None,
                kc=None if math.isnan(kc) else kc, etc_mm=etc, rain_mm=fell, effective_rain_mm=counts,
                rain_chance=None, used_mm=used,
                expected_mm=None if etc is None or factor is None else factor * etc / block.limits.wetted_fraction,
            )
        )  # fmt: skip
    return found


def _ahead(field: Field) -> list[LedgerDay]:
    water_use = field.analysis.water_use
    course = water_use.course if water_use is not None else None
    if course is None:
        return []
    outlook, factor = course.outlook, course.use.factor
    shown = min(AHEAD_DAYS, max(7, outlook.forecast_days))
    found = []
    for n in range(shown):
        eto, rain = outlook.eto_mm[:, n], outlook.rain_mm[:, n]
        low, high = (float(np.quantile(eto, q)) for q in (0.1, 0.9))
        etc = float(eto.mean() * course.kc[n])
        found.append(
            LedgerDay(
                day=times.day_of(outlook.first_day + n).isoformat(), when="ahead", eto_mm=float(eto.mean()),
                how="forecast" if n < outlook.forecast_days else "as the last weeks", filled=False, eto_low_mm=low,
                eto_high_mm=high, kc=float(course.kc[n]), etc_mm=etc, rain_mm=float(rain.mean()),
                effective_rain_mm=float(course.rain_mm[:, n].mean()), rain_chance=float((rain >= 1).mean()),
                used_mm=None, expected_mm=factor * etc / field.block.limits.wetted_fraction,
            )
        )  # fmt: skip
    return found
