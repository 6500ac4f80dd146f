"""The weather as it was known at an instant: past days with gaps filled, and the latest forecast issued by then."""

import json
from dataclasses import dataclass
from datetime import date, datetime

import numpy as np

from embalse.core.weather.weather_outlook import Forecast, Outlook, filled_days, outlook
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.schema.deciding import forecast_subject
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRow

PAST_DAYS = 45
MEASURED = "reference ET of the farm's record"


def outlook_at(farm: FarmRow, now: int) -> Outlook | None:
    """Weather known at an instant [s, UTC]; None without a forecast and with too few recent days."""
    today = times.local_day(now, farm.time_zone)
    first = today - PAST_DAYS
    known = {day: (mm, note or MEASURED) for day, mm, note in readings_store.eto(first, today - 1)}
    return outlook(filled_days(known, first, today - 1), forecast_at(now, farm.time_zone), today)


def forecast_at(now: int, zone: str) -> Forecast | None:
    """The latest forecast issued by an instant [s, UTC]."""
    text = record_store.latest_forecast(forecast_subject(now))
    if text is None:
        return None
    body = json.loads(text)
    days = body["days"]
    first = times.day_number(date.fromisoformat(days[0]["day"]))
    eto = np.array([d["eto_mm"] for d in days]).T
    rain = np.array([d["rain_mm"] for d in days]).T
    at = times.epoch(datetime.fromisoformat(body["issued"]), zone)
    name = Notice("outlook.name", issued_day=times.local_day(at, zone), note=body["note"])
    return Forecast(float(at), first, eto, rain, name)


@dataclass(frozen=True)
class ForecastDay:
    """A day ahead (day number) with its members' lowest and highest temperatures [°C]; empty where not forecast."""

    day: int
    tmin_c: tuple[float, ...]
    tmax_c: tuple[float, ...]


def forecast_days(now: int) -> list[ForecastDay]:
    """Temperatures of the latest forecast issued by an instant [s, UTC]; empty without one."""
    text = record_store.latest_forecast(forecast_subject(now))
    if text is None:
        return []
    found = []
    for told in json.loads(text)["days"]:
        day = times.day_number(date.fromisoformat(told["day"]))
        found.append(ForecastDay(day, tuple(told.get("tmin_c", ())), tuple(told.get("tmax_c", ()))))
    return found
