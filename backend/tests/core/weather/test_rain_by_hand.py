"""Rain as one block had it, and frost and heat of the air."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.weather.air_limits import AirLimits, air_alarm
from embalse.core.weather.rain_by_hand import RainNote, block_rain, rain_from_digging

LAYERS = [(0.0, 30.0, 0.22, 0.10), (30.0, 60.0, 0.30, 0.15)]


def test_small_rain_on_dry_soil_wets_an_inch_or_two() -> None:
    # trade: 0.9 in (23 mm) on dry desert basin soil wetted 1-2 in: most of it never went in
    told = rain_from_digging(1.5 * 2.54, [(0.0, 30.0, 0.25, 0.07)])
    assert told.high_mm < 0.5 * 22.9


def test_a_wet_depth_is_what_the_soil_there_can_take_up() -> None:
    told = rain_from_digging(40.0, LAYERS)
    assert told.high_mm == pytest.approx(300 * 0.12 + 100 * 0.15) and told.mid_mm == pytest.approx(told.high_mm / 2)
    with pytest.raises(CoreError):
        rain_from_digging(201.0, LAYERS)


def test_a_gauge_of_its_own_stands_for_the_farms() -> None:
    assert block_rain({5: 10.0, 6: 3.0}, [RainNote(5, gauge_mm=4.0)], LAYERS) == {5: 4.0, 6: 3.0}
    assert block_rain({}, [RainNote(5, gauge_mm=0.0)], LAYERS) == {5: 0.0}


def test_what_was_dug_for_bounds_what_went_in() -> None:
    assert block_rain({5: 20.0}, [RainNote(5, wet_to_cm=5.0)], LAYERS)[5] == pytest.approx(6.0)
    assert block_rain({5: 2.0}, [RainNote(5, wet_to_cm=5.0)], LAYERS)[5] == 2.0
    assert block_rain({}, [RainNote(5, wet_to_cm=5.0)], LAYERS)[5] == pytest.approx(3.0)


@pytest.mark.parametrize(("least", "kind"), [(2.0, "frost"), (2.1, None)])
def test_frost_from_its_limit_down(least: float, kind: str | None) -> None:
    found = air_alarm("A", [1, 2, 3], [5.0, least, float("nan")], AirLimits(frost_c=2.0, heat_c=35.0))
    assert (found.kind if found else None) == kind


@pytest.mark.parametrize(("most", "kind"), [(35.0, "heat"), (34.9, None)])
def test_heat_from_its_limit_up(most: float, kind: str | None) -> None:
    found = air_alarm("A", [1, 2], [20.0, most], AirLimits(frost_c=2.0, heat_c=35.0))
    assert (found.kind if found else None) == kind


def test_no_limit_no_alarm() -> None:
    assert air_alarm("A", [1], [-10.0], AirLimits()) is None
