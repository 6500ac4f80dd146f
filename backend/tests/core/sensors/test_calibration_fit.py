"""Weighed samples and the curves fitted to them."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CalibrationError
from embalse.core.sensors.calibration_curves import curve_theta
from embalse.core.sensors.calibration_fit import (
    choice,
    far_off,
    fit,
    moisture_levels,
    pooling,
    prediction_error_theta,
)
from embalse.core.sensors.gravimetric_samples import SampleError, WeighedSample, sample_water
from embalse.core.wording import Notice, text
from tests.core.build import codes

RAW = np.array([300.0, 380.0, 450.0, 520.0, 610.0, 690.0])


@pytest.mark.published(source="definitions: gravimetric 0.20 g/g at a bulk density of 1.35 g/cm³ is 0.270 m³/m³")
def test_water_by_mass_and_by_volume() -> None:
    found = sample_water(WeighedSample(50, 50 + 135 * 1.2, 50 + 135, ring_volume_cm3=100))
    assert (found.theta_mass, found.theta) == (pytest.approx(0.20), pytest.approx(0.270))


@pytest.mark.published(source="definitions: 20 % stones by volume leave 0.200 of a fine-earth water content of 0.25")
def test_stones_hold_no_water() -> None:
    found = sample_water(WeighedSample(0, 125, 100, bulk_density_g_cm3=1.0, stones_fraction=0.2))
    assert found.theta == pytest.approx(0.200)


@pytest.mark.parametrize(
    ("masses", "field"),
    [((50, 40, 45), "dry_g"), ((50, 90, 100), "wet_g"), ((50, 100, 50), "dry_g"), ((-1, 100, 50), "tare_g")],
)
def test_masses_that_cannot_be_are_refused(masses: tuple[float, float, float], field: str) -> None:
    with pytest.raises(SampleError) as refused:
        sample_water(WeighedSample(*masses, ring_volume_cm3=100))
    assert refused.value.field == field


def test_a_volume_or_a_density_is_wanted_and_doubts_are_told() -> None:
    with pytest.raises(SampleError, match="ring"):
        sample_water(WeighedSample(50, 200, 180))
    odd = sample_water(WeighedSample(50, 250, 180, ring_volume_cm3=60, oven_c=70, oven_h=12))
    assert codes(odd.cautions) == ["sample.density", "sample.pores", "sample.oven_temperature", "sample.oven_time"]


def test_a_straight_line_is_found_again_and_preferred() -> None:
    random = np.random.default_rng(2)
    theta = 0.62 - 0.0007 * RAW + random.normal(0, 0.004, len(RAW))
    found = choice(RAW, theta)
    assert found.best is not None and found.best.model == "linear"
    assert found.best.coefficients[1] == pytest.approx(-0.0007, rel=0.08)
    assert found.best.left_out_rmse_theta > found.best.rmse_theta * 0.9
    assert abs(found.best.bias_theta) < 1e-9


def test_a_curve_is_taken_when_it_misses_less_what_it_has_not_seen() -> None:
    theta = 3000 * RAW**-1.6
    found = choice(RAW, theta)
    assert found.best is not None and found.best.model == "power"
    assert curve_theta(found.best.model, np.array(found.best.coefficients), np.array([500.0]))[0] == pytest.approx(
        3000 * 500**-1.6, rel=1e-6
    )
    assert found.best.left_out_rmse_theta < 1e-6


@pytest.mark.parametrize(
    ("raw", "theta", "words"),
    [
        (RAW, np.full(6, 0.2), "moisture level"),
        (RAW[:2], np.array([0.1, 0.3]), "moisture level"),
        (RAW, np.array([0.20, 0.225, 0.25, 0.20, 0.225, 0.25]), "span"),
        (np.full(6, 300.0), np.linspace(0.1, 0.4, 6), "all readings are the same"),
    ],
)
def test_too_little_is_refused_with_the_reason(raw: np.ndarray, theta: np.ndarray, words: str) -> None:
    found = choice(raw, theta)
    assert found.best is None and words in text(found.words)


def test_a_curve_that_turns_is_refused() -> None:
    theta = 0.1 + 0.3 * ((RAW - 480) / 200) ** 2
    one = fit("quadratic", RAW, theta)
    assert one.refused == Notice("fit.not_monotone")


def test_one_sample_shifts_the_factory_curve() -> None:
    one = fit("shift", np.array([0.25]), np.array([0.22]))
    assert curve_theta(one.model, np.array(one.coefficients), np.array([0.30]))[0] == pytest.approx(0.27)
    with pytest.raises(CalibrationError):
        fit("shift", np.array([]), np.array([]))
    with pytest.raises(CalibrationError):
        fit("linear", np.array([1.0, math.nan]), np.array([0.1, 0.2]))


@given(st.integers(0, 500), st.floats(0.001, 0.02))
def test_the_error_of_a_reading_grows_away_from_the_samples(seed: int, noise: float) -> None:
    theta = 0.62 - 0.0007 * RAW + np.random.default_rng(seed).normal(0, noise, len(RAW))
    one = fit("linear", RAW, theta)
    middle, far = prediction_error_theta(one, RAW, theta, np.array([np.mean(RAW), 1200.0]))
    assert one.rmse_theta <= middle < far


def test_the_line_and_its_error_agree_with_a_reference_library() -> None:
    from scipy import stats

    theta = 0.62 - 0.0007 * RAW + np.random.default_rng(4).normal(0, 0.01, len(RAW))
    one, reference = fit("linear", RAW, theta), stats.linregress(RAW, theta)
    assert one.coefficients == pytest.approx((reference.intercept, reference.slope))
    residual = theta - reference.intercept - reference.slope * RAW
    s = math.sqrt(float(residual @ residual) / 4)
    at = 560.0
    wanted = s * math.sqrt(1 + 1 / 6 + (at - RAW.mean()) ** 2 / np.sum((RAW - RAW.mean()) ** 2))
    assert prediction_error_theta(one, RAW, theta, np.array([at]))[0] == pytest.approx(wanted)


def test_the_power_curve_agrees_with_a_reference_library() -> None:
    from scipy.optimize import curve_fit

    theta = 2500 * RAW**-1.55 + np.random.default_rng(6).normal(0, 0.01, len(RAW))
    one = fit("power", RAW, theta)
    reference, _ = curve_fit(lambda x, a, b: np.exp(a) * x**b, RAW, theta, p0=(8.0, -1.5))
    assert one.coefficients == pytest.approx(tuple(reference), rel=1e-4)


def test_levels_are_counted_apart() -> None:
    assert moisture_levels(np.array([0.10, 0.105, 0.13, 0.2, 0.21])) == 3


def test_two_soils_alike_may_share_a_line_and_unlike_may_not() -> None:
    random = np.random.default_rng(3)
    raw = np.tile(RAW, 2)
    labels = ["loam"] * 6 + ["clay"] * 6
    alike = 0.62 - 0.0007 * raw + random.normal(0, 0.008, 12)
    assert pooling(raw, alike, labels).may_pool
    unlike = alike + np.repeat([0.0, 0.08], 6)
    apart = pooling(raw, unlike, labels)
    assert not apart.may_pool and apart.words.code == "pooling.apart"
    assert pooling(raw, unlike, ["loam"] * 12).may_pool
    assert pooling(raw, unlike, labels) == apart


def test_soils_that_are_alike_are_kept_apart_about_one_time_in_twenty() -> None:
    raw, labels, apart = np.tile(RAW, 2), ["loam"] * 6 + ["clay"] * 6, 0
    for seed in range(60):
        theta = 0.62 - 0.0007 * raw + np.random.default_rng(100 + seed).normal(0, 0.008, 12)
        apart += not pooling(raw, theta, labels, seed).may_pool
    assert apart <= 8


def test_a_swapped_tin_is_named_and_nothing_is_among_few() -> None:
    raw = np.array([100.0, 150, 200, 250, 300, 350, 400])
    theta = 0.02 + 0.001 * raw + np.array([2, -3, 1, 0, -2, 3, -1]) / 1000
    assert not far_off("linear", raw, theta).any()
    theta[3] += 0.06
    assert far_off("linear", raw, theta).tolist() == [False, False, False, True, False, False, False]
    assert not far_off("linear", raw[1:6], theta[1:6]).any()


def test_the_error_a_curve_shares_falls_with_the_root_of_its_samples() -> None:
    raw = np.linspace(100, 400, 8)
    theta = 0.02 + 0.001 * raw + np.tile([0.01, -0.01], 4)
    once, four_times = fit("linear", raw, theta), fit("linear", np.tile(raw, 4), np.tile(theta, 4))
    assert once.shared_error_theta == pytest.approx(once.rmse_theta / math.sqrt(8))
    assert four_times.shared_error_theta < 0.55 * once.shared_error_theta
