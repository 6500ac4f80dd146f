"""Reference evapotranspiration hour by hour, and a day made of its hours."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require
from embalse.core.weather.reference_et import (
    ALBEDO,
    SOLAR_CONSTANT,
    DayWeather,
    Place,
    ReferenceEt,
    WeatherError,
    psychrometric_kpa_c,
    reference_et,
    saturation_kpa,
    wind_at_2m,
)
from embalse.core.wording import Notice

STEFAN_BOLTZMANN_H: Final = 2.043e-10  # MJ/K⁴/m²/h (a 24th of the daily one)
MOST_FILLED_H: Final = 3  # hours of a day that may be filled in (ours)
# share of clear sky [-] at night where no day was seen before (FAO-56, Example 19: 0.8 by a humid coast)
NIGHT_CLEARNESS: Final = 0.75


@dataclass(frozen=True)
class HourWeather:
    """An hour's weather, by its first clock hour: temperature [°C], humidity [%], wind [m/s], radiation [MJ/m²].

    Rain in mm; None where not measured.
    """

    hour: int
    t_c: float | None = None
    rh_pct: float | None = None
    wind_m_s: float | None = None
    radiation_mj_m2: float | None = None
    rain_mm: float | None = None


@dataclass(frozen=True)
class Meridian:
    """Longitude of the place and of its clock's zone centre [°, east positive]."""

    longitude: float
    zone_centre: float


def extraterrestrial_hour_mj_m2(latitude: float, meridian: Meridian, day_of_year: int, mid_hour: float) -> float:
    """Extraterrestrial radiation of an hour [MJ/m²] whose middle the clock shows as ``mid_hour`` [h].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eqs. 28 to 33.
    """
    phi = math.radians(latitude)
    declination = 0.409 * math.sin(2 * math.pi * day_of_year / 365 - 1.39)
    sunset = math.acos(max(-1.0, min(1.0, -math.tan(phi) * math.tan(declination))))
    b = 2 * math.pi * (day_of_year - 81) / 364
    season = 0.1645 * math.sin(2 * b) - 0.1255 * math.cos(b) - 0.025 * math.sin(b)
    middle = math.pi / 12 * (mid_hour + (meridian.longitude - meridian.zone_centre) / 15 + season - 12)
    first, last = (max(-sunset, min(sunset, middle + d)) for d in (-math.pi / 24, math.pi / 24))
    distance = 1 + 0.033 * math.cos(2 * math.pi * day_of_year / 365)
    return max(
        0.0,
        12 * 60 / math.pi * SOLAR_CONSTANT * distance
        * ((last - first) * math.sin(phi) * math.sin(declination)
           + math.cos(phi) * math.cos(declination) * (math.sin(last) - math.sin(first))),
    )  # fmt: skip


def hourly_reference_et_mm(
    hour: HourWeather, place: Place, extraterrestrial_mj_m2: float, night_clearness: float = NIGHT_CLEARNESS
) -> float:
    """Reference ET of an hour by FAO-56 Penman–Monteith [mm/h].

    Parameters
    ----------
    hour : HourWeather
        Temperature, humidity, wind and radiation are needed.
    place : Place
    extraterrestrial_mj_m2 : float
        Of the hour [MJ/m²].
    night_clearness : float
        Rs/Rso [-] of the hours before sunset, taken where the sun is down or low.

    Raises
    ------
    WeatherError
        If a value is missing or cannot be.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 53, ch. 4.
    """
    limits = (("t_c", -60, 60), ("rh_pct", 0, 105), ("wind_m_s", 0, 60), ("radiation_mj_m2", 0, 6))
    for name, low, high in limits:
        value = getattr(hour, name)
        require(value is not None, name, "is needed for hourly reference ET", WeatherError)
        require(low <= value <= high, name, f"{value:g} does not lie between {low} and {high}", WeatherError)
    assert hour.t_c is not None and hour.rh_pct is not None
    assert hour.wind_m_s is not None and hour.radiation_mj_m2 is not None
    t, solar = hour.t_c, hour.radiation_mj_m2
    saturated = saturation_kpa(t)
    vapour = saturated * min(hour.rh_pct, 100.0) / 100
    clear_sky = (0.75 + 2e-5 * place.elevation_m) * extraterrestrial_mj_m2
    clearness = min(1.0, solar / clear_sky) if clear_sky > 0.1 else night_clearness
    longwave = (
        STEFAN_BOLTZMANN_H * (t + 273.16) ** 4 * (0.34 - 0.14 * math.sqrt(vapour)) * (1.35 * clearness - 0.35)
    )  # fmt: skip
    net = (1 - ALBEDO) * solar - longwave
    soil_heat = (0.1 if solar > 0 else 0.5) * net
    slope = 4098 * saturated / (t + 237.3) ** 2
    gamma, wind = psychrometric_kpa_c(place.elevation_m), wind_at_2m(hour.wind_m_s, place.wind_height_m)
    aerodynamic = gamma * 37 / (t + 273) * wind * (saturated - vapour)
    return (0.408 * slope * (net - soil_heat) + aerodynamic) / (slope + gamma * (1 + 0.34 * wind))


@dataclass(frozen=True)
class HourlyDay:
    """A day from its hours: reference ET, highest and lowest temperature [°C], rain [mm].

    Mean wind at 2 m [m/s] and lowest humidity [%] are None where not every hour tells them.
    """

    eto: ReferenceEt
    tmax_c: float
    tmin_c: float
    rain_mm: float | None
    wind_2m_m_s: float | None = None
    rh_min_pct: float | None = None


def day_from_hours(hours: Sequence[HourWeather], place: Place, meridian: Meridian, day_of_year: int) -> HourlyDay:
    """A day's reference ET from its hours; hours missing are filled and said so.

    Up to three hours without a value are filled in a straight line between their neighbours. With more missing, or a
    quantity not measured at all, the day is worked out from its temperatures and means instead.

    Parameters
    ----------
    hours : sequence of HourWeather
        Hours of one day, any order.
    place : Place
    meridian : Meridian
    day_of_year : int

    Raises
    ------
    WeatherError
        If fewer than twenty hours have a temperature, or an hour is given twice.
    """
    by_hour = {h.hour: h for h in hours}
    require(len(by_hour) == len(hours), "at", "an hour is given twice", WeatherError)
    temperatures = [h.t_c for h in hours if h.t_c is not None]
    require(len(temperatures) >= 20, "t_c", f"only {len(temperatures)} of 24 hours have a temperature", WeatherError)
    rain = [h.rain_mm for h in hours if h.rain_mm is not None]
    fell = sum(rain) if rain else None
    filled, missing = _filled(by_hour)
    if filled is None:
        eto = reference_et(_as_day(hours, day_of_year), place)
        words = Notice("eto_note.day_means", more=eto.words)
        return HourlyDay(ReferenceEt(eto.eto_mm, eto.method, words), max(temperatures), min(temperatures), fell)
    night, total = NIGHT_CLEARNESS, 0.0
    above = [extraterrestrial_hour_mj_m2(place.latitude, meridian, day_of_year, h + 0.5) for h in range(24)]
    bright = [h for h in range(24) if above[h] > 1.0]
    if bright:
        clear = (0.75 + 2e-5 * place.elevation_m) * sum(above[h] for h in bright[-3:])
        night = min(1.0, sum(filled[h].radiation_mj_m2 or 0 for h in bright[-3:]) / clear)
    for one in filled:
        total += hourly_reference_et_mm(one, place, above[one.hour], max(0.3, night))
    words = Notice("eto_note.hours", filled=missing or None)
    wind = wind_at_2m(sum(h.wind_m_s or 0.0 for h in filled) / len(filled), place.wind_height_m)
    dry = min(h.rh_pct or 0.0 for h in filled)
    warm = (max(temperatures), min(temperatures))
    return HourlyDay(ReferenceEt(max(0.0, total), "Penman–Monteith", words), *warm, fell, wind, dry)


def _filled(by_hour: dict[int, HourWeather]) -> tuple[list[HourWeather] | None, int]:
    """All 24 hours with short gaps filled, and how many values were; None where too much is missing."""
    columns, count = {}, 0
    for name in ("t_c", "rh_pct", "wind_m_s", "radiation_mj_m2"):
        known = {h: getattr(one, name) for h, one in by_hour.items() if getattr(one, name) is not None}
        if 24 - len(known) > MOST_FILLED_H or not known:
            return None, 0
        count += 24 - len(known)
        columns[name] = [_value(known, h) for h in range(24)]
    return [HourWeather(h, *(columns[n][h] for n in columns)) for h in range(24)], count


def _value(known: dict[int, float], hour: int) -> float:
    if hour in known:
        return known[hour]
    before = max((h for h in known if h < hour), default=None)
    after = min((h for h in known if h > hour), default=None)
    if before is None or after is None:
        return known[after if before is None else before]  # type: ignore[index]
    share = (hour - before) / (after - before)
    return (1 - share) * known[before] + share * known[after]


def _as_day(hours: Sequence[HourWeather], day_of_year: int) -> DayWeather:
    def values(name: str) -> list[float]:
        return [getattr(h, name) for h in hours if getattr(h, name) is not None]

    t, rh, wind, solar = (values(n) for n in ("t_c", "rh_pct", "wind_m_s", "radiation_mj_m2"))
    enough = 20
    return DayWeather(
        day_of_year, max(t), min(t), max(rh) if len(rh) >= enough else None, min(rh) if len(rh) >= enough else None,
        wind_m_s=sum(wind) / len(wind) if len(wind) >= enough else None,
        radiation_mj_m2=sum(solar) if len(solar) >= enough else None,
    )  # fmt: skip
