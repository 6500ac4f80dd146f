"""Weather tables: all of it or nothing, day by day by what was measured."""

import pytest

from embalse.config import Settings
from embalse.core.weather.reference_et import Place
from embalse.services.intake.weather_import import farm_latitude, import_weather
from embalse.services.schema.refused import DocumentErrors
from embalse.store import readings as readings_store
from tests.conftest import put

PLACE = Place(38.4, 250)
HEAD = "day,tmax_c,tmin_c,rhmax_pct,rhmin_pct,wind_m_s,radiation_mj_m2,rain_mm,eto_mm\n"


def test_each_day_by_what_was_measured_with_its_method_kept(farm: Settings) -> None:
    table = HEAD + (
        "2026-07-01,34,18,80,30,2.1,26.5,0,\n"
        "2026-07-02,34,18,80,30,,26.5,3.5,\n"
        "2026-07-03,34,18,,,,,,\n"
        "2026-07-04,34,18,,,,,,6.2\n"
    )
    report = import_weather(table, PLACE)
    assert report.methods == {"Penman–Monteith": 2, "Hargreaves": 1, "given": 1} and report.created == 6
    kept = readings_store.eto(0, 40_000)
    assert [round(mm, 1) for _, mm, _ in kept][-1] == 6.2 and all(4 < mm < 9 for _, mm, _ in kept)
    assert kept[1][2].endswith("wind not measured, 2 m/s taken (FAO-56)") and "Hargreaves" in kept[2][2]
    assert readings_store.rain(0, 40_000)[-1][1] == 3.5
    again = import_weather(table, PLACE)
    assert (again.created, again.changed, again.unchanged) == (0, 0, 6)


def test_what_is_wrong_is_named_and_nothing_is_stored(farm: Settings) -> None:
    table = HEAD + "2026-07-01,10,18,,,,,,\n2026-07-02,x,18,,,,,,\n2026-07-03,30,18,,,,,,\n2026-07-03,30,18,,,,,,\n"
    with pytest.raises(DocumentErrors) as refused:
        import_weather(table, PLACE)
    assert [e.path for e in refused.value.errors] == ["line 2, tmin_c", "line 3, tmax_c", "line 5, day"]
    assert readings_store.eto(0, 40_000) == []
    with pytest.raises(DocumentErrors, match="no day"):
        import_weather(HEAD, PLACE)


def test_the_latitude_is_that_of_the_stations(farm: Settings, plain: dict) -> None:
    assert farm_latitude() is None
    plain["blocks"][0]["stations"][0] |= {"longitude": -3.0, "latitude": 38.25}
    put(plain)
    assert farm_latitude() == 38.25
