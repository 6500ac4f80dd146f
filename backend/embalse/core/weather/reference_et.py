"""Reference evapotranspiration of a day: FAO-56 Penman–Monteith, Hargreaves where only temperatures are known."""

import math
from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.errors import CoreError, require, require_between
from embalse.core.wording import Notice, Text

ALBEDO: Final = 0.23  # share of radiation reflected by the reference crop [-] (FAO-56 Eq. 38)
SOLAR_CONSTANT: Final = 0.0820  # MJ/m²/min (FAO-56 Eq. 21)
STEFAN_BOLTZMANN: Final = 4.903e-9  # MJ/K⁴/m²/day (FAO-56 Eq. 39)
LATENT_HEAT: Final = 2.45  # MJ/kg at 20 °C (FAO-56 Eq. 20)
ANGSTROM: Final = (0.25, 0.50)  # shares of clear-sky radiation [-] where not calibrated (FAO-56 Eq. 35)
UNKNOWN_WIND_M_S: Final = 2.0  # m/s at 2 m where none is measured (FAO-56, chapter 3)
Method = Literal["Penman–Monteith", "Hargreaves", "given"]


class WeatherError(CoreError):
    """A day's weather that cannot be."""


@dataclass(frozen=True)
class Place:
    """Where the weather was measured: latitude [°, north positive], elevation [m], height of the wind gauge [m]."""

    latitude: float
    elevation_m: float
    wind_height_m: float = 2.0


@dataclass(frozen=True)
class DayWeather:
    """A day's weather: temperatures and dew point [°C], humidity [%], wind [m/s], radiation [MJ/m²] or sunshine [h].

    ``day_of_year`` from 1; None where not measured. ``eto_mm`` is the station's own reference ET [mm], if it gives it.
    """

    day_of_year: int
    tmax_c: float
    tmin_c: float
    rhmax_pct: float | None = None
    rhmin_pct: float | None = None
    tdew_c: float | None = None
    wind_m_s: float | None = None
    radiation_mj_m2: float | None = None
    sunshine_h: float | None = None
    eto_mm: float | None = None


@dataclass(frozen=True)
class ReferenceEt:
    """Reference ET of a day [mm] with its method and what had to be taken for granted."""

    eto_mm: float
    method: Method
    words: Text


def saturation_kpa(temperature_c: float) -> float:
    """Saturation vapour pressure [kPa] at a temperature [°C] (FAO-56 Eq. 11).

    Examples
    --------
    >>> round(saturation_kpa(25.0), 3)
    3.168
    """
    return 0.6108 * math.exp(17.27 * temperature_c / (temperature_c + 237.3))


def pressure_kpa(elevation_m: float) -> float:
    """Air pressure [kPa] at an elevation [m] (FAO-56 Eq. 7)."""
    return float(101.3 * ((293 - 0.0065 * elevation_m) / 293) ** 5.26)


def psychrometric_kpa_c(elevation_m: float) -> float:
    """Psychrometric constant [kPa/°C] at an elevation [m] (FAO-56 Eq. 8)."""
    return 0.665e-3 * pressure_kpa(elevation_m)


def wind_at_2m(wind_m_s: float, height_m: float) -> float:
    """Wind at two metres [m/s] from wind at another height [m] (FAO-56 Eq. 47)."""
    return wind_m_s if height_m == 2.0 else wind_m_s * 4.87 / math.log(67.8 * height_m - 5.42)


def _sun(latitude: float, day_of_year: int) -> tuple[float, float, float]:
    """Latitude, declination and sunset hour angle [rad] (FAO-56 Eqs. 22, 24, 25)."""
    phi = math.radians(latitude)
    declination = 0.409 * math.sin(2 * math.pi * day_of_year / 365 - 1.39)
    return phi, declination, math.acos(max(-1.0, min(1.0, -math.tan(phi) * math.tan(declination))))


def extraterrestrial_mj_m2(latitude: float, day_of_year: int) -> float:
    """Extraterrestrial radiation of a day [MJ/m²] at a latitude [°] (FAO-56 Eq. 21).

    Examples
    --------
    >>> round(extraterrestrial_mj_m2(-20.0, 246), 1)
    32.2
    """
    phi, declination, sunset = _sun(latitude, day_of_year)
    distance = 1 + 0.033 * math.cos(2 * math.pi * day_of_year / 365)
    return (
        24 * 60 / math.pi * SOLAR_CONSTANT * distance
        * (sunset * math.sin(phi) * math.sin(declination) + math.cos(phi) * math.cos(declination) * math.sin(sunset))
    )  # fmt: skip


def daylight_h(latitude: float, day_of_year: int) -> float:
    """Daylight of a day [h] at a latitude [°] (FAO-56 Eq. 34)."""
    return 24 / math.pi * _sun(latitude, day_of_year)[2]


def solar_mj_m2(sunshine_h: float, latitude: float, day_of_year: int) -> float:
    """Solar radiation of a day [MJ/m²] from hours of sunshine (FAO-56 Eq. 35)."""
    share = sunshine_h / daylight_h(latitude, day_of_year)
    return (ANGSTROM[0] + ANGSTROM[1] * share) * extraterrestrial_mj_m2(latitude, day_of_year)


def net_longwave_mj_m2(day: DayWeather, vapour_kpa: float, clearness: float) -> float:
    """Net outgoing longwave radiation of a day [MJ/m²]; ``clearness`` is Rs/Rso [-], 1 at most (FAO-56 Eq. 39)."""
    kelvin = ((day.tmax_c + 273.16) ** 4 + (day.tmin_c + 273.16) ** 4) / 2
    return STEFAN_BOLTZMANN * kelvin * (0.34 - 0.14 * math.sqrt(vapour_kpa)) * (1.35 * min(1.0, clearness) - 0.35)


def vapour_kpa(day: DayWeather) -> float | None:
    """Actual vapour pressure [kPa] from dew point or humidities, None where neither is known (FAO-56 Eqs. 14, 17)."""
    if day.tdew_c is not None:
        return saturation_kpa(day.tdew_c)
    if day.rhmax_pct is None or day.rhmin_pct is None:
        return None
    return (
        saturation_kpa(day.tmin_c) * day.rhmax_pct + saturation_kpa(day.tmax_c) * day.rhmin_pct
    ) / 200  # fmt: skip


def reference_et(day: DayWeather, place: Place, soil_heat_mj_m2: float = 0.0) -> ReferenceEt:
    """Reference ET of a day by the best method its weather allows.

    Penman–Monteith where humidity and radiation (or sunshine) are known; missing wind is taken as 2 m/s and said so.
    Hargreaves where only temperatures are. What the station itself gives is taken as it is.

    Parameters
    ----------
    day : DayWeather
    place : Place
    soil_heat_mj_m2 : float
        Soil heat flux [MJ/m²]: 0 for a day.

    Raises
    ------
    WeatherError
        If a value cannot be, naming it.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eqs. 6 and 52.
    """
    check_weather(day, place)
    if day.eto_mm is not None:
        return ReferenceEt(day.eto_mm, "given", Notice("eto_note.given"))
    vapour = vapour_kpa(day)
    solar = day.radiation_mj_m2
    if solar is None and day.sunshine_h is not None:
        solar = solar_mj_m2(day.sunshine_h, place.latitude, day.day_of_year)
    if vapour is None or solar is None:
        missing = " and ".join(n for n, v in (("humidity", vapour), ("radiation", solar)) if v is None)
        return ReferenceEt(hargreaves_mm(day, place), "Hargreaves", Notice("eto_note.temperatures", missing=missing))
    words: Text = "" if day.wind_m_s is not None else Notice("eto_note.wind", wind_m_s=UNKNOWN_WIND_M_S)
    return ReferenceEt(max(0.0, _penman_mm(day, place, (vapour, solar, soil_heat_mj_m2))), "Penman–Monteith", words)


def _penman_mm(day: DayWeather, place: Place, known: tuple[float, float, float]) -> float:
    vapour, solar, soil_heat = known
    mean = (day.tmax_c + day.tmin_c) / 2
    saturated = (saturation_kpa(day.tmax_c) + saturation_kpa(day.tmin_c)) / 2
    slope = 4098 * saturation_kpa(mean) / (mean + 237.3) ** 2
    clear_sky = (0.75 + 2e-5 * place.elevation_m) * extraterrestrial_mj_m2(place.latitude, day.day_of_year)
    net = (1 - ALBEDO) * solar - net_longwave_mj_m2(day, vapour, solar / clear_sky if clear_sky > 0 else 0.5)
    wind = UNKNOWN_WIND_M_S if day.wind_m_s is None else wind_at_2m(day.wind_m_s, place.wind_height_m)
    gamma = psychrometric_kpa_c(place.elevation_m)
    aerodynamic = gamma * 900 / (mean + 273) * wind * (saturated - vapour)
    return (0.408 * slope * (net - soil_heat) + aerodynamic) / (slope + gamma * (1 + 0.34 * wind))


def hargreaves_mm(day: DayWeather, place: Place) -> float:
    """Reference ET of a day [mm] from its temperatures alone (FAO-56 Eq. 52, Hargreaves & Samani)."""
    mean = (day.tmax_c + day.tmin_c) / 2
    radiation = extraterrestrial_mj_m2(place.latitude, day.day_of_year) / LATENT_HEAT
    return max(0.0, 0.0023 * (mean + 17.8) * math.sqrt(day.tmax_c - day.tmin_c) * radiation)


def check_weather(day: DayWeather, place: Place) -> None:
    """Refuse weather that cannot be; raises WeatherError naming the value (units as in ``DayWeather``)."""
    require_between(place.latitude, -90, 90, "latitude", "°")
    require_between(place.elevation_m, -430, 6000, "elevation_m", "m")
    require(1 <= day.day_of_year <= 366, "day_of_year", "must lie between 1 and 366", WeatherError)
    limits = (
        ("tmax_c", -50, 60), ("tmin_c", -60, 50), ("rhmax_pct", 0, 105), ("rhmin_pct", 0, 105), ("tdew_c", -60, 40),
        ("wind_m_s", 0, 60), ("radiation_mj_m2", 0, 45), ("sunshine_h", 0, 24), ("eto_mm", 0, 20),
    )  # fmt: skip
    for name, low, high in limits:
        value = getattr(day, name)
        if value is not None:
            require(low <= value <= high, name, f"{value:g} does not lie between {low} and {high}", WeatherError)
    require(day.tmin_c <= day.tmax_c, "tmin_c", f"{day.tmin_c:g} is above the maximum {day.tmax_c:g}", WeatherError)
    if day.rhmax_pct is not None and day.rhmin_pct is not None:
        require(day.rhmin_pct <= day.rhmax_pct, "rhmin_pct", "is above the maximum", WeatherError)
