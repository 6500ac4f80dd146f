"""Calibrations of any curve, shared errors, retention, marks picked, temperature, index, comparison, plans."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CalibrationError
from embalse.core.root_zone.root_zone import LayerReading, station_state
from embalse.core.sensors.calibration import Calibration, TensionChain, calibration_at, check_calibration, linear
from embalse.core.sensors.calibration_fit import coefficient_covariance, fit, prediction_error_theta
from embalse.core.soil.layers import Layer
from embalse.core.soil.retention import (
    equation_curve,
)
from embalse.core.soil.soil import FineEarth
from embalse.core.wording import Notice

LOAM = FineEarth(0.40, 0.20)


def layers(count: int) -> list[Layer]:
    return [Layer(10 + 20 * i, 20 * i, 20 * (i + 1), 20, 0.30, 0.24, 0.14, 0.45) for i in range(count)]


def test_a_curve_gives_water_from_its_day_on_and_is_an_index_before() -> None:
    curve = Calibration(1000, "quadratic", (0.5, -1e-3, 5e-7), 0.01)
    assert calibration_at((curve,), "count", 999) is None
    assert calibration_at((curve,), "count", 1000) is curve
    assert float(curve.theta(np.array([400.0]))[0]) == pytest.approx(0.5 - 0.4 + 0.08)


@pytest.mark.parametrize(
    ("calibration", "field"),
    [
        (Calibration(0, "cubic", (1, 2, 3, 4)), "model"),
        (Calibration(0, "quadratic", (1, 2)), "coefficients"),
        (linear(0, 0.0, 0.1), "slope"),
        (Calibration(0, "linear", (0, 1), covariance=((1.0,),)), "covariance"),
        (Calibration(0, "linear", (0, 1), 0.5), "rmse_theta"),
    ],
)
def test_calibrations_that_give_no_water_are_refused(calibration: Calibration, field: str) -> None:
    with pytest.raises(CalibrationError) as refused:
        check_calibration(calibration)
    assert refused.value.field == field


def test_the_band_kept_with_a_calibration_is_the_band_of_its_fit() -> None:
    random = np.random.default_rng(3)
    raw = np.linspace(300, 700, 14)
    theta = 0.6 - 7e-4 * raw + random.normal(0, 0.01, 14)
    for model in ("linear", "quadratic"):
        found = fit(model, raw, theta)  # type: ignore[arg-type]
        kept = Calibration(
            0, model, found.coefficients, found.rmse_theta,
            covariance=tuple(tuple(row) for row in coefficient_covariance(found, raw)),
        )  # fmt: skip
        for at in (300.0, 500.0, 900.0):
            band = float(prediction_error_theta(found, raw, theta, np.array([at]))[0])
            assert math.hypot(*kept.errors_theta(at)) == pytest.approx(band, rel=1e-6)


def test_a_reading_far_from_what_was_fitted_is_told() -> None:
    curve = Calibration(0, "linear", (0, 1e-3), raw_range=(300, 700))
    assert curve.beyond(500) is None and curve.beyond(739) is None and curve.beyond(261) is None
    assert curve.beyond(741) == Notice("doubt.beyond", raw=741, low=300, high=700)
    assert curve.beyond(259) is not None


def test_temperature_is_taken_out_before_the_curve() -> None:
    curve = Calibration(0, "linear", (0.0, 1e-3), per_degree=2.0, reference_c=20)
    found = curve.theta(np.array([300.0, 300.0, 300.0]), np.array([20.0, 30.0, np.nan]))
    assert found == pytest.approx([0.300, 0.280, 0.300])


@given(st.floats(0.001, 0.05), st.floats(1.01, 5))
def test_a_worse_calibration_never_narrows_the_band(error: float, worse: float) -> None:
    def error_mm(e: float) -> float:
        reading = LayerReading(0.25, e, shared_error_theta=e / 3, shared_by="sheet")
        return station_state(layers(3), [reading] * 3).error_mm

    assert error_mm(error * worse) >= error_mm(error)


def test_an_error_that_layers_share_adds_up_and_their_own_does_not() -> None:
    own = station_state(layers(4), [LayerReading(0.25, 0.01)] * 4).error_mm
    shared = [LayerReading(0.25, 0.0, shared_error_theta=0.01, shared_by="one sheet")] * 4
    apart = [LayerReading(0.25, 0.0, shared_error_theta=0.01, shared_by=f"sheet {i}") for i in range(4)]
    assert own == pytest.approx(0.01 * 200 * 2)
    assert station_state(layers(4), shared).error_mm == pytest.approx(0.01 * 200 * 4)
    assert station_state(layers(4), apart).error_mm == pytest.approx(own)


def test_tension_becomes_water_by_the_soils_curve_with_an_error_that_knows_its_slope() -> None:
    curve = equation_curve(LOAM)
    wet = Calibration(0, "tension", (), chain=TensionChain("kPa", curve, gauge_above_cm=60))
    assert float(wet.theta(np.array([38.886]))[0]) == pytest.approx(float(curve.theta(33.0)), abs=1e-4)
    near_wet, near_dry = wet.errors_theta(20.0)[0], wet.errors_theta(75.0)[0]
    assert near_wet > near_dry > 0
    ohms = Calibration(0, "tension", (), chain=TensionChain("ohm", curve))
    assert float(ohms.theta(np.array([5000.0]), np.array([24.0]))[0]) == pytest.approx(
        float(curve.theta(30.44)), abs=1e-4
    )
