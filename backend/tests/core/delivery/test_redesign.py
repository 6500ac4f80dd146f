"""A sprinkler rate that fits, and a basin of rain."""

import pytest

from embalse.core.delivery.rain_basin import Basin, basin_days
from embalse.core.delivery.redesign import redesign
from embalse.core.errors import DeliveryError


@pytest.mark.parametrize(("rate", "fits"), [(5.0, True), (5.1, False)])
def test_a_rate_fits_up_to_what_the_soil_takes(rate: float, fits: bool) -> None:
    assert redesign(20.0, rate, 5.0).fits is fits


def test_the_smaller_outlet_takes_longer_for_the_same_depth() -> None:
    found = redesign(20.0, 10.0, 5.0, 12.0 * 12.0)
    assert (found.outlet_l_h, found.set_h, found.now_h, found.less_share) == (720.0, 4.0, 2.0, 0.5)
    with pytest.raises(DeliveryError):
        redesign(20.0, 0.0, 5.0)


def test_a_basin_closes_its_balance_every_day() -> None:
    basin = Basin(30.0, 5.0, 1000.0, 0.8, 20.0)
    rain, eto, asked = [0.0, 26.0, 31.0, 0.0, 0.5], [5.0] * 5, [2.0, 2.0, 2.0, 40.0, 1.0]
    days, stored = basin_days(basin, rain, eto, asked), 5.0
    for day, wanted in zip(days, asked, strict=True):
        out = day.drawn_m3 + day.evaporated_m3 + day.spilled_m3
        assert stored + day.caught_m3 - out == pytest.approx(day.stored_m3)
        assert day.drawn_m3 + day.short_m3 == pytest.approx(wanted) and 0 <= day.stored_m3 <= 30.0
        stored = day.stored_m3
    # 25 of 26 mm run off 1,000 m² at 0.8, and 26 mm fall on its own 20 m²
    assert days[1].caught_m3 == pytest.approx(20.0 + 0.52) and days[2].spilled_m3 > 0 and days[3].short_m3 > 0


@pytest.mark.parametrize(("rain", "caught"), [(1.0, 0.0), (2.0, 0.8)])
def test_the_first_millimetre_only_wets_the_roof(rain: float, caught: float) -> None:
    assert basin_days(Basin(9.0, 0.0, 1000.0), [rain], [0.0], [0.0])[0].caught_m3 == pytest.approx(caught)


def test_a_basin_that_holds_more_than_it_can_is_refused() -> None:
    with pytest.raises(DeliveryError):
        basin_days(Basin(9.0, 10.0, 1000.0), [0.0], [0.0], [0.0])
