"""Reference evapotranspiration against the examples of FAO-56 and an outside library."""

import math

import numpy as np
import pytest

from embalse.core.weather.reference_et import (
    DayWeather,
    Place,
    WeatherError,
    daylight_h,
    extraterrestrial_mj_m2,
    hargreaves_mm,
    net_longwave_mj_m2,
    pressure_kpa,
    psychrometric_kpa_c,
    reference_et,
    saturation_kpa,
    solar_mj_m2,
    vapour_kpa,
    wind_at_2m,
)
from embalse.core.wording import Notice

BOOK = "FAO-56 (Allen et al. 1998), inputs and answers recalled with high confidence"


@pytest.mark.published(source=f"{BOOK}: Annex 2, Table 2.3")
@pytest.mark.parametrize(("t", "kpa"), [(15, 1.705), (20, 2.338), (25, 3.168), (30, 4.243), (40, 7.376)])
def test_saturation_vapour_pressure(t: float, kpa: float) -> None:
    assert saturation_kpa(t) == pytest.approx(kpa, abs=0.002)


@pytest.mark.published(source=f"{BOOK}: Examples 2, 3, 5, 14")
def test_building_blocks() -> None:
    assert pressure_kpa(1800) == pytest.approx(81.8, abs=0.1)
    assert psychrometric_kpa_c(1800) == pytest.approx(0.054, abs=0.001)
    assert (saturation_kpa(24.5) + saturation_kpa(15)) / 2 == pytest.approx(2.39, abs=0.01)
    assert vapour_kpa(DayWeather(1, 25, 18, 82, 54)) == pytest.approx(1.70, abs=0.01)
    assert wind_at_2m(3.2, 10) == pytest.approx(2.4, abs=0.05)


@pytest.mark.published(source=f"{BOOK}: Examples 8, 9, 10, 11 and 12")
def test_radiation() -> None:
    assert extraterrestrial_mj_m2(-20, 246) == pytest.approx(32.2, abs=0.1)
    assert daylight_h(-20, 246) == pytest.approx(11.7, abs=0.1)
    assert extraterrestrial_mj_m2(13.733, 105) == pytest.approx(38.06, abs=0.05)
    assert extraterrestrial_mj_m2(50.8, 187) == pytest.approx(41.09, abs=0.05)
    rio = solar_mj_m2(7.1, -22.9, 135)
    assert rio == pytest.approx(14.5, abs=0.1)
    longwave = net_longwave_mj_m2(DayWeather(135, 25.1, 19.1), 2.1, rio / (0.75 * extraterrestrial_mj_m2(-22.9, 135)))
    assert longwave == pytest.approx(3.5, abs=0.1)
    assert 0.77 * rio - longwave == pytest.approx(7.6, abs=0.1)


@pytest.mark.published(source=f"{BOOK}: Example 17, Bangkok in April, with its soil heat of 0.14")
def test_example_17() -> None:
    dew = 237.3 * math.log(2.85 / 0.6108) / (17.27 - math.log(2.85 / 0.6108))
    day = DayWeather(105, 34.8, 25.6, tdew_c=dew, wind_m_s=2.0, sunshine_h=8.5)
    assert reference_et(day, Place(13 + 44 / 60, 2), 0.14).eto_mm == pytest.approx(5.72, abs=0.02)


@pytest.mark.published(source=f"{BOOK}: Example 18, Uccle on 6 July")
def test_example_18() -> None:
    day = DayWeather(187, 21.5, 12.3, 84, 63, wind_m_s=10 / 3.6, sunshine_h=9.25)
    found = reference_et(day, Place(50.8, 100, wind_height_m=10))
    assert found.eto_mm == pytest.approx(3.88, abs=0.02) and found.method == "Penman–Monteith"


@pytest.mark.published(source=f"{BOOK}: Example 20, Lyon in July from temperatures, and Hargreaves for it")
def test_example_20() -> None:
    place = Place(45 + 43 / 60, 200)
    radiation = 0.16 * math.sqrt(26.6 - 14.8) * extraterrestrial_mj_m2(place.latitude, 196)
    day = DayWeather(196, 26.6, 14.8, tdew_c=14.8, radiation_mj_m2=radiation)
    found = reference_et(day, place)
    assert found.eto_mm == pytest.approx(4.56, abs=0.02) and found.words == Notice("eto_note.wind", wind_m_s=2.0)
    assert hargreaves_mm(DayWeather(196, 26.6, 14.8), place) == pytest.approx(5.03, abs=0.02)


@pytest.mark.published(source="refet 0.5.0, ASCE 2005 daily ETo, a year of invented days; within 0.01 mm of FAO-56")
def test_a_year_against_an_outside_library() -> None:
    refet = pytest.importorskip("refet")
    random = np.random.default_rng(7)
    apart = []
    for doy in range(1, 366):
        tmean = 15 - 9 * math.cos(2 * math.pi * (doy - 20) / 365) + random.normal(0, 2)
        swing = random.uniform(4, 9)
        dew, wind = tmean - swing - random.uniform(0, 3), random.uniform(0.5, 5)
        radiation = extraterrestrial_mj_m2(38.4, doy) * random.uniform(0.25, 0.74)
        day = DayWeather(doy, tmean + swing, tmean - swing, tdew_c=dew, wind_m_s=wind, radiation_mj_m2=radiation)
        mine = reference_et(day, Place(38.4, 250)).eto_mm
        theirs = refet.Daily(
            tmin=tmean - swing, tmax=tmean + swing, ea=saturation_kpa(dew), rs=radiation, uz=wind, zw=2, elev=250,
            lat=38.4, doy=doy, method="asce",
        ).eto()  # fmt: skip
        apart.append(abs(mine - max(0.0, float(np.squeeze(theirs)))))
    assert max(apart) < 0.03 and float(np.median(apart)) < 0.01


@pytest.mark.parametrize(
    ("day", "field"),
    [
        (DayWeather(0, 20, 10), "day_of_year"),
        (DayWeather(100, 10, 20), "tmin_c"),
        (DayWeather(100, 20, 10, 40, 60), "rhmin_pct"),
        (DayWeather(100, 20, 10, wind_m_s=-1), "wind_m_s"),
        (DayWeather(100, 20, 10, radiation_mj_m2=60), "radiation_mj_m2"),
    ],
)
def test_weather_that_cannot_be_is_named(day: DayWeather, field: str) -> None:
    with pytest.raises(WeatherError) as refused:
        reference_et(day, Place(40, 100))
    assert refused.value.field == field


def test_what_the_station_gives_is_taken_and_little_makes_hargreaves() -> None:
    assert reference_et(DayWeather(100, 20, 10, eto_mm=4.2), Place(40, 100)).eto_mm == 4.2
    poor = reference_et(DayWeather(100, 20, 10, sunshine_h=8), Place(40, 100))
    assert poor.method == "Hargreaves" and poor.words == Notice("eto_note.temperatures", missing="humidity")
