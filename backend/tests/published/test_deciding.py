"""Deciding when and how much, held against published equations, tables and worked examples."""

import numpy as np
import pytest

from embalse.core.crop.depletion_forecast import stress_coefficient
from embalse.core.crop.dry_down import DailyUse, days_to_refill
from embalse.core.crop.stages import CropCalendar
from embalse.core.crop.yield_response import yield_loss_fraction, yield_response_factor
from embalse.core.delivery.capacity import net_capacity
from embalse.core.delivery.delivery import Emitters, IrrigationSystem, Supply, application_rate_mm_h
from embalse.core.delivery.infiltration import intake_limit_mm_h
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.leaching import leaching_requirement
from embalse.core.delivery.set_amount import SetRules, advised_set
from embalse.core.weather.effective_rain import effective_rain_mm
from embalse.core.weather.reference_et import Place
from embalse.core.weather.reference_et_hourly import (
    HourWeather,
    Meridian,
    day_from_hours,
    extraterrestrial_hour_mj_m2,
    hourly_reference_et_mm,
)
from embalse.core.wording import Notice

GALLON_M3, ACRE_HA, INCH_MM = 0.003785411784, 0.40468564224, 25.4


@pytest.mark.published(source="FAO-56 Eq. 84, situation of Example 37; the recursion computed from the equation")
def test_stress_slows_the_dry_down() -> None:
    taw, raw, depletion = 136.0, 54.4, 55.0
    for ks, after in [(0.993, 60.96), (0.920, 66.47), (0.852, 71.59), (0.789, 76.32), (0.731, 80.71), (0.678, 84.78)]:
        found = float(stress_coefficient(np.array(depletion), taw, raw))
        depletion += found * 1.2 * 5
        assert found == pytest.approx(ks, abs=0.001) and depletion == pytest.approx(after, abs=0.02)


@pytest.mark.published(
    source="FAO-29 Rev. 1, LR = ECw / (5 ECe − ECw); computed, the maize rows recalled from the book"
)
@pytest.mark.parametrize(
    ("water", "soil", "share", "depth"),
    [(1.2, 2.5, 0.1062, 895), (1.2, 1.7, 0.1644, 957), (1.0, 2.5, 0.0870, 876), (2.0, 1.5, 0.3636, 1257),
     (3.0, 7.7, 0.0845, 874), (0.5, 1.0, 0.1111, 900)],
)  # fmt: skip
def test_leaching_requirement(water: float, soil: float, share: float, depth: float) -> None:
    found = leaching_requirement(water, soil)
    assert found == pytest.approx(share, abs=5e-5)
    assert advised_set(800, SetLimits(), IrrigationSystem("sprinkler", 5.0, 1.0), SetRules(leaching_fraction=found))\
        .gross_mm == pytest.approx(depth, abs=0.5)  # fmt: skip


@pytest.mark.published(source="FAO-56 ch. 8: rain below a fifth of ETo is left out")
def test_small_rain_is_lost() -> None:
    assert effective_rain_mm(np.array([0.9, 1.1]), np.array([5.0, 5.0])).tolist() == [0.0, 1.1]


@pytest.mark.published(source="FAO-56 Example 19, N'Diaye, hourly; recalled, high confidence")
def test_hourly_reference_et() -> None:
    place, meridian = Place(16.217, 8.0), Meridian(-16.25, -15.0)
    above = extraterrestrial_hour_mj_m2(16.217, meridian, 274, 14.5)
    assert above == pytest.approx(3.543, abs=0.01)
    by_day = hourly_reference_et_mm(HourWeather(14, 38.0, 52.0, 3.3, 2.450), place, above)
    by_night = hourly_reference_et_mm(HourWeather(2, 28.0, 90.0, 1.9, 0.0), place, 0.0, 0.8)
    assert by_day == pytest.approx(0.63, abs=0.01) and by_night == pytest.approx(0.0, abs=0.01)


@pytest.mark.published(source="refet 0.5.0, hourly with the ASCE (2005) coefficients; FAO-56 takes more wind by day")
def test_a_day_of_hours_is_near_the_library() -> None:
    import refet

    place, meridian, day = Place(39.4575, 1208.5), Meridian(-118.77, -120.0), 182
    hours, total = [], 0.0
    for hour in range(24):
        t = 27 + 9 * np.cos((hour - 15) / 24 * 2 * np.pi)
        solar = max(0.0, 3.2 * np.sin((hour + 0.5 - 6) / 14 * np.pi)) if 6 <= hour < 20 else 0.0
        hours.append(HourWeather(hour, float(t), 35.0, 2.1, float(solar)))
        ea = 0.35 * 0.6108 * np.exp(17.27 * t / (t + 237.3))
        total += float(
            refet.Hourly(np.array(t), np.array(solar), np.array(2.1), zw=np.array(2.0), elev=np.array(1208.5),
                         lat=np.array(39.4575), lon=np.array(-118.77), doy=np.array(day), time=np.array(hour + 8.0),
                         ea=np.array(ea), method="asce").eto().item()
        )  # fmt: skip
    found = day_from_hours(hours, place, meridian, day)
    assert found.eto.words == Notice("eto_note.hours", filled=None)
    assert found.eto.eto_mm == pytest.approx(total, rel=0.06)


@pytest.mark.published(
    source="USDA-NRCS NEH 652: 800 gpm on 125 acres is 8.62 mm/day gross, 7.33 net at 85 %; computed"
)
def test_pivot_capacity() -> None:
    flow, area = 800 * GALLON_M3 * 60, 125 * ACRE_HA
    system = IrrigationSystem("pivot", flow / (10 * area), 0.85)
    assert net_capacity(system, area, None).net_mm_d == pytest.approx(7.33, abs=0.01)
    held = net_capacity(IrrigationSystem("drip", 10.0, 1.0), area, Supply("well", flow, 24.0))
    assert held.net_mm_d == pytest.approx(8.62, abs=0.01)


@pytest.mark.published(source="USDA-NRCS NEH 652: gross = net / efficiency, time = gross / rate; computed")
def test_set_time_identities() -> None:
    rate = application_rate_mm_h(Emitters(1.6, 0.5, 1.5))
    drip = advised_set(25.0, SetLimits(), IrrigationSystem("drip", rate, 0.85))
    assert drip.gross_mm == pytest.approx(29.41, abs=0.01) and drip.set_time_h == pytest.approx(13.79, abs=0.01)
    salt = advised_set(25.0, SetLimits(), IrrigationSystem("drip", rate, 1.0), SetRules(leaching_fraction=0.10))
    assert salt.gross_mm == pytest.approx(27.78, abs=0.01)


@pytest.mark.published(source="USDA-NRCS NEH 652: (RAW − Dr) / (ETc − Pe), 72, 30, 6.5; computed")
def test_days_left() -> None:
    assert days_to_refill(42.0, 0.0, DailyUse(6.5, 6.5, 6.5, 5, 0, 5, True)).mid == pytest.approx(6.46, abs=0.005)


@pytest.mark.published(source="FAO-56 Eq. 66, dry bean example")
def test_crop_calendar() -> None:
    beans = CropCalendar(0, (25, 25, 30, 20), (0.15, 1.19, 0.35))
    values = beans.kc_on(np.array([-1, 20, 40, 70, 95, 200]))
    assert np.isnan(values[0])
    assert values[1:].tolist() == pytest.approx([0.15, 0.77, 1.19, 0.56, 0.35], abs=0.005)


@pytest.mark.published(source="Keller & Bliesner (1990) Table 5.4; recalled, medium confidence")
@pytest.mark.parametrize(
    ("texture", "slope", "compact", "limit"),
    [("sand", 3, False, 50), ("sandy loam", 7, False, 20), ("silt loam", 3, True, 8), ("loam", 9, True, 4),
     ("clay", 14, False, 1.5)],
)  # fmt: skip
def test_intake_by_soil_and_slope(texture: str, slope: float, compact: bool, limit: float) -> None:
    assert intake_limit_mm_h(texture, slope, compact) == limit


@pytest.mark.published(source="FAO-33 Table 24; recalled, high confidence")
@pytest.mark.parametrize(("crop", "ky"), [("maize grain", 1.25), ("tomato", 1.05), ("sunflower", 0.95)])
def test_yield_response(crop: str, ky: float) -> None:
    assert yield_response_factor(crop) == ky
    assert yield_loss_fraction(ky, 0.8) == pytest.approx(0.2 * ky)
