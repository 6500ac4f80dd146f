"""Root-zone water, days to refill, set times, units and slopes against outside values."""

import numpy as np
import pint
import pytest
from scipy.stats import theilslopes

from embalse.core.crop.dry_down import DailyUse, days_to_refill
from embalse.core.delivery.delivery import (
    Emitters,
    IrrigationSystem,
    application_rate_mm_h,
    gross_mm,
    set_time_h,
    volume_m3,
)
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.set_amount import advised_set
from embalse.core.robust import pooled_slope
from embalse.core.root_zone.root_zone import LayerReading, root_zone_marks, station_state
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, horizon_marks
from embalse.core.soil.layers import Layer, RootZoneRule, build_layers, layer_limits_cm
from embalse.core.soil.soil import FineEarth
from embalse.core.tables import crop_defaults
from embalse.core.wording.quantities import QUANTITIES, Units

UREG = pint.UnitRegistry()
EX_36 = "FAO-56 Example 36 (TAW, RAW); recalled, high confidence, and arithmetic"


def _marked(full: float, wilting: float, bottom: float = 150) -> Horizon:
    loam = FineEarth(0.4, 0.2)
    return Horizon(0, bottom, loam, full=MarkEntry(full, "given"), wilting=MarkEntry(wilting, "given"))


@pytest.mark.published(source=EX_36)
@pytest.mark.parametrize(
    ("crop", "root_depth_cm", "p", "expected"),
    [
        ("onion", 40, 0.3, [(36, 11), (68, 20), (48, 14)]),
        ("tomato", 80, 0.4, [(72, 29), (136, 54), (96, 38)]),
        ("maize", 120, 0.55, [(108, 59), (204, 112), (144, 79)]),
    ],
)
def test_available_and_readily_available_water(
    crop: str, root_depth_cm: float, p: float, expected: list[tuple[int, int]]
) -> None:
    soils = [(0.15, 0.06), (0.32, 0.15), (0.35, 0.23)]
    for (full, wilting), (taw, raw) in zip(soils, expected, strict=True):
        horizons = [horizon_marks(_marked(full, wilting))]
        layers = build_layers([10, 30, 60, 90, 130], horizons, RootZoneRule(root_depth_cm, p))
        marks = root_zone_marks(layers, root_depth_cm)
        assert marks.taw_mm == pytest.approx(taw, abs=1), crop
        assert marks.allowable_mm == pytest.approx(raw, abs=1), crop


@pytest.mark.published(source="FAO-56 Table 22; recalled, high confidence")
@pytest.mark.parametrize(
    ("crop", "depth", "p"),
    [("almond", 100, 0.40), ("olive", 120, 0.65), ("maize grain", 100, 0.55), ("sweet pepper", 50, 0.30)],
)
def test_crop_table(crop: str, depth: float, p: float) -> None:
    row = crop_defaults(crop)
    assert row is not None
    assert (row.root_depth_min_cm, row.depletion_fraction) == (depth, p)


@pytest.mark.published(source="water balance: (RAW - Dr)/ETc for 72, 30, 6.5 mm is 6.46 days")
def test_days_to_refill_and_the_day_not_to_pass() -> None:
    days = days_to_refill(72 - 30, 0.0, DailyUse(6.5, 6.5, 6.5, 5, 0, 5, True))
    assert days.mid == pytest.approx(6.46, abs=0.005)
    assert int(days.mid) == 6


@pytest.mark.published(source="arithmetic: each probe stands for the layer between midpoints")
@pytest.mark.parametrize(("root", "stored"), [(30, 69.50), (50, 122.00), (60, 149.75), (80, 206.75), (100, 266.75)])
def test_depth_integration(root: float, stored: float) -> None:
    depths, theta = [10, 20, 30, 45, 60, 90], [0.22, 0.24, 0.25, 0.27, 0.28, 0.30]
    limits = layer_limits_cm(depths, 100)
    layers = [
        Layer(d, top, bottom, max(0.0, min(bottom, root) - top), 0.30, 0.21, 0.1, 0.45)
        for d, top, bottom in zip(depths, limits, limits[1:], strict=False)
    ]
    state = station_state(layers, [LayerReading(t, 0.01) for t in theta])
    assert state.storage_mm == pytest.approx(stored, abs=1e-9)
    if root == 60:
        marks = root_zone_marks(layers, root)
        assert marks.full_mm - state.storage_mm == pytest.approx(30.25)
        assert marks.allowable_mm == pytest.approx(54.0)


NRCS = "USDA-NRCS National Engineering Handbook 652; arithmetic"


@pytest.mark.published(source=NRCS)
@pytest.mark.parametrize(
    ("outlets", "expected"),
    [
        (Emitters(1.6, 0.5, 1.5), 2.133),
        (Emitters(4, 5, 6, per_point=8), 1.067),
        (Emitters(5 * 3.785411784 * 60, 30 * 0.3048, 40 * 0.3048), 10.19),
    ],
)
def test_application_rate(outlets: Emitters, expected: float) -> None:
    assert application_rate_mm_h(outlets) == pytest.approx(expected, rel=1e-3)


@pytest.mark.published(source=NRCS)
def test_gross_depth_and_set_time() -> None:
    assert gross_mm(25, 0.85) == pytest.approx(29.41, abs=0.01)
    assert set_time_h(gross_mm(25, 0.85), 1.6 / (0.5 * 1.5)) == pytest.approx(13.79, abs=0.01)
    assert gross_mm(25, 0.845) == pytest.approx(29.60, abs=0.02)


@pytest.mark.published(source=NRCS)
def test_a_set_on_part_of_the_ground_is_the_same_water() -> None:
    whole = advised_set(30, SetLimits(0.35), IrrigationSystem("drip", 1.067, 0.9))
    assert whole.net_mm == pytest.approx(10.5)
    assert whole.gross_mm * volume_m3(1, 1) == pytest.approx(10.5 / 0.9 * 10)
    assert whole.set_time_h == pytest.approx(10.5 / 0.9 / 1.067)


@pytest.mark.published(source="pint, units library")
@pytest.mark.parametrize("units", ["metric", "us"])
def test_written_quantities_are_the_librarys(units: Units) -> None:
    si = {
        "depth": "mm", "soilDepth": "cm", "area": "hectare", "rate": "mm/hour", "use": "mm/day", "growth": "mm/day",
        "size": "mm", "flow": "liter/hour", "spacing": "m", "length": "m", "tension": "kPa", "supplyFlow": "m**3/hour",
        "inflow": "liter/second", "volume": "m**3", "density": "g/cm**3", "temperature": "degC",
        "temperatureStep": "delta_degC", "heat": "delta_degC", "front": "cm/hour", "windSpeed": "m/second", "pressure": "bar", "perVolume": "1/m**3",
        "yield": "metric_ton/hectare", "waterYield": "kg/m**3",
    }  # fmt: skip
    spelled = {
        "in": "inch", "ac": "acre", "in/h": "inch/hour", "in/day": "inch/day", "gph": "gallon/hour", "ft": "foot",
        "cb": "centibar", "gpm": "gallon/minute", "gal": "gallon", "lb/ft³": "pound/foot**3", "°F": "degF",
        "°F d": "delta_degF", "mph": "mile/hour", "°C": "degC", "°C d": "delta_degC", "m³/h": "m**3/hour", "ha": "hectare",
        "L/h": "liter/hour", "L/s": "liter/second", "m³": "m**3", "g/cm³": "g/cm**3", "mm/h": "mm/hour", "cm/h": "cm/hour",
        "m/s": "m/second", "1,000 gal": "1/kilogallon", "t/ha": "metric_ton/hectare", "ton/ac": "US_ton/acre", "kg/m³": "kg/m**3",
        "lb/1,000 gal": "pound/kilogallon",
    }  # fmt: skip
    for name, written in QUANTITIES.items():
        if name == "waterContent":
            continue
        shown = written.in_units(units)
        unit = "1/m**3" if (name, units) == ("perVolume", "metric") else spelled.get(shown.unit, shown.unit)
        if name == "temperatureStep":
            unit = {"degF": "delta_degF", "degC": "delta_degC"}[unit]
        theirs = UREG.Quantity(23.0, si[name]).to(unit).magnitude
        assert 23.0 * shown.factor + shown.offset == pytest.approx(theirs, rel=1e-5), name


@pytest.mark.published(source="definition: 1 mm over 1 ha is 10 m³")
def test_volume() -> None:
    assert volume_m3(10, 50) == 5000


@pytest.mark.published(source="scipy.stats.theilslopes")
@pytest.mark.parametrize("seed", range(12))
def test_slope_and_its_limits(seed: int) -> None:
    random = np.random.default_rng(seed)
    x = np.sort(random.choice(40, size=int(random.integers(4, 15)), replace=False)).astype(float)
    y = 300 - 6 * x + random.normal(0, 3, len(x))
    expected = theilslopes(y, x, alpha=0.8)
    mine = pooled_slope(x.tolist(), y.tolist(), [range(len(x))])
    assert mine.mid == pytest.approx(expected.slope)
    assert (mine.low, mine.high) == pytest.approx((expected.low_slope, expected.high_slope))
