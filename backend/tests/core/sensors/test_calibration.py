"""Calibrations of any curve, shared errors, retention, marks picked, temperature, index, comparison, plans."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.crop.stages import stage_on, stage_spans
from embalse.core.errors import CalibrationError, CoreError
from embalse.core.root_zone.root_zone import LayerReading, station_state
from embalse.core.sensors.calibration import Calibration, TensionChain, calibration_at, check_calibration, linear
from embalse.core.sensors.calibration_fit import coefficient_covariance, fit, prediction_error_theta
from embalse.core.sensors.sampling_plan import PlanError, meant_in_water, sampling_plan
from embalse.core.sensors.sensor_comparison import agreements
from embalse.core.sensors.temperature_effect import warmth_effect
from embalse.core.sensors.wetness_index import index_trend, index_word, samples_wanted, wetness_index
from embalse.core.soil.horizon_marks import Horizon, horizon_marks
from embalse.core.soil.layers import Layer
from embalse.core.soil.mark_choices import ChoiceError, MarkChoice, check_marked, marked
from embalse.core.soil.retention import (
    RetentionError,
    VanGenuchten,
    class_curve,
    equation_curve,
    fitted_curve,
    tension_table,
)
from embalse.core.soil.soil import FineEarth
from embalse.core.wording import Notice, text

LOAM = FineEarth(0.40, 0.20)
SOIL = (Horizon(0, 40, LOAM), Horizon(40, 120, FineEarth(0.30, 0.35)))
LENGTHS: dict[str, float | None] = {"initial": 30, "development": 40, "mid": 45, "late": 30}


def layers(count: int) -> list[Layer]:
    return [Layer(10 + 20 * i, 20 * i, 20 * (i + 1), 20, 0.30, 0.24, 0.14, 0.45) for i in range(count)]


# calibrations


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


# retention


@given(st.floats(0.5, 1500), st.floats(0, 0.5))
def test_a_curve_and_its_inverse_agree(kpa: float, stones: float) -> None:
    for curve in (equation_curve(LOAM, stones), class_curve(0.4, 0.2, stones)):
        theta = curve.theta(kpa)
        if float(theta) < 0.999 * float(curve.theta(0.0)):
            assert float(curve.tension_kpa(theta)) == pytest.approx(kpa, rel=1e-6)


@pytest.mark.parametrize(
    ("points", "why"),
    [
        ([(10, 0.3), (33, 0.25)], "2 points"),
        ([(10, 0.30), (20, 0.295), (33, 0.29), (60, 0.285), (150, 0.28)], "span"),
        ([(10, 0.40), (12, 0.36), (15, 0.33), (18, 0.30), (20, 0.28)], "ten times"),
        ([(10, 0.10), (33, 0.15), (100, 0.22), (400, 0.30), (1500, 0.40)], "does not fall"),
        ([(10, 0.4), (33, 0.2), (60, 0.41), (100, 0.12), (300, 0.35), (1500, 0.1)], "misses"),
    ],
)
def test_points_that_make_no_curve_are_refused_with_the_reason(points: list[tuple[float, float]], why: str) -> None:
    with pytest.raises(RetentionError, match=why):
        fitted_curve(points, "points", VanGenuchten(0.08, 0.43, 0.036, 1.56))


def test_the_table_says_full_at_full_and_wilting_at_wilting() -> None:
    curve = equation_curve(LOAM)
    lines = tension_table(curve, (float(curve.theta(33.0)), float(curve.theta(1500.0))), 40)
    used = {line.kpa: line for line in lines}
    assert used[33.0].used_share == pytest.approx(0, abs=1e-9) and used[1500.0].used_share == pytest.approx(1)
    assert used[1500.0].left_mm == pytest.approx(0, abs=1e-9) and used[10.0].used_share < 0
    assert used[100.0].left_mm + used[100.0].used_mm == pytest.approx(400 * (0.2796 - 0.1370), abs=0.5)


def test_a_curve_picked_for_a_horizon_gives_its_marks() -> None:
    marks = horizon_marks(Horizon(0, 40, LOAM, 0.1, retention=class_curve(0.4, 0.2, 0.1)))
    assert (marks.theta_full, marks.theta_wilting) == (
        pytest.approx(0.1644 * 0.9, abs=1e-4),
        pytest.approx(0.0883 * 0.9, abs=1e-4),
    )
    assert "Carsel" in marks.full_source.title


# marks picked


def test_a_mark_for_a_span_cuts_the_soil_and_leaves_the_rest() -> None:
    found = marked(SOIL, [MarkChoice("full", "theta", 0.31, "field", span=(20, 60))], None)
    fulls = {(h.top_cm, h.bottom_cm): horizon_marks(h).theta_full for h in found.horizons}
    assert list(fulls) == [(0, 20), (20, 40), (40, 60), (60, 120)]
    assert fulls[(20, 40)] == fulls[(40, 60)] == 0.31
    assert fulls[(0, 20)] == horizon_marks(SOIL[0]).theta_full


def test_the_latest_holds_and_a_stages_own_holds_over_all() -> None:
    choices = [
        MarkChoice("refill", "fraction", 0.6, "pit hardening", stage="mid"),
        MarkChoice("refill", "fraction", 0.4, "first"),
        MarkChoice("refill", "fraction", 0.5, "then"),
    ]
    assert marked(SOIL, choices, "initial").allowable.value == 0.5  # type: ignore[union-attr]
    assert marked(SOIL, choices, "mid").allowable.value == 0.6  # type: ignore[union-attr]
    assert marked(SOIL, choices, None).allowable.source.detail == "then"  # type: ignore[union-attr]


def test_a_tension_is_read_off_each_horizons_own_curve() -> None:
    found = marked(SOIL, [MarkChoice("refill", "tension", 60.0, "drip")], None)
    thetas = [h.refill.theta for h in found.horizons if h.refill]
    assert thetas == [pytest.approx(float(h.curve.theta(60.0))) for h in SOIL] and thetas[0] != thetas[1]
    wetter = [MarkChoice("full", "tension", 10.0, "stands"), MarkChoice("refill", "tension", 25.0, "drip")]
    assert marked(SOIL, wetter, None).horizons[0].full is not None
    with pytest.raises(CoreError, match="must lie below"):
        check_marked(marked(SOIL, [MarkChoice("refill", "tension", 25.0, "drip")], None))


@pytest.mark.parametrize(
    ("choice", "field"),
    [
        (MarkChoice("full", "fraction", 0.5, ""), "how"),
        (MarkChoice("refill", "fraction", 0.99, ""), "value"),
        (MarkChoice("refill", "depletion", 40, "", span=(0, 20)), "top_cm"),
        (MarkChoice("full", "theta", 0.3, "", span=(40, 20)), "bottom_cm"),
    ],
)
def test_choices_that_make_no_mark_are_refused(choice: MarkChoice, field: str) -> None:
    with pytest.raises(ChoiceError) as refused:
        marked(SOIL, [choice], None)
    assert refused.value.field == field


def test_stages_by_days() -> None:
    assert [stage_on(d, 0, LENGTHS) for d in (-1, 0, 29, 30, 114, 115, 300)] == [
        None, "initial", "initial", "development", "mid", "late", "late",
    ]  # fmt: skip
    assert stage_on(10, None, LENGTHS) is None and stage_on(10, 0, {**LENGTHS, "mid": None}) is None
    assert stage_spans(10, LENGTHS)[1] == ("development", 40, 80)


# temperature, index, comparison, plans


def ripple(per_degree: float, days: int = 20) -> tuple[np.ndarray, np.ndarray]:
    hours = np.arange(days * 24)
    random = np.random.default_rng(1)
    warm = 22 + 2.5 * np.sin(2 * np.pi * hours / 24) + random.normal(0, 0.1, len(hours))
    raw = 600 - 0.2 * hours / 24 + per_degree * (warm - 22) + random.normal(0, 0.8, len(hours))
    return raw, warm


def test_the_temperature_effect_is_found_in_the_ripple() -> None:
    raw, warm = ripple(1.7)
    found = warmth_effect(raw, warm, np.ones(len(raw), dtype=bool))
    assert found.per_degree == pytest.approx(1.7, abs=0.1) and found.error is not None and found.error < 0.155


@pytest.mark.parametrize(
    ("per_degree", "days", "still", "why"),
    [(0.0, 20, False, "not sure enough"), (1.7, 3, False, "days dry"), (1.7, 20, True, "swings")],
)
def test_no_effect_is_claimed_without_evidence(per_degree: float, days: int, still: bool, why: str) -> None:
    raw, warm = ripple(per_degree, days)
    found = warmth_effect(raw, np.full(len(raw), 22.0) if still else warm, np.ones(len(raw), dtype=bool))
    assert found.per_degree is None and why in text(found.words)


@pytest.mark.published(source="common practice, no source: span divided in 5 classes; a wet cloth reads class 4 of 5")
def test_index_words() -> None:
    assert [index_word(i) for i in (0.05, 0.3, 0.5, 0.7, 0.95)] == ["air-dry", "dry", "moist", "wet", "as in water"]
    cloth = float(wetness_index(np.array([490.0]), 820, 380)[0])
    assert index_word(cloth) == "wet"
    with pytest.raises(CalibrationError):
        wetness_index(np.array([1.0]), 5, 5)


def test_the_three_samples_span_what_was_seen_and_one_may_be_now() -> None:
    seen = np.linspace(500, 600, 200)
    wanted = samples_wanted(seen, 551.0)
    assert [text(w.when) == "now" for w in wanted] == [False, True, False]
    assert wanted[0].raw < 515 and wanted[2].raw > 585
    assert samples_wanted(seen[:10], 505.0) == [] and samples_wanted(np.full(50, 3.0), 3.0) == []
    assert (
        text(index_trend([0.5, 0.47, 0.44])) == "drier by 0.03 a day"
        and text(index_trend([0.5, 0.5])) == "too few days for a trend"
    )


def test_a_sensor_against_weighed_samples_by_soil() -> None:
    weighed = np.array([0.15, 0.20, 0.25, 0.30] * 2)
    off = np.array([0.05] * 4 + [0.03, -0.03, 0.03, -0.03])
    found = agreements(weighed + off, weighed, ["loam"] * 4 + ["clay"] * 4, "tins")
    assert [a.soil for a in found] == ["", "loam", "clay"]
    assert found[1].bias_theta == pytest.approx(0.05) and found[1].words.code == "agreement.shift"
    assert found[2].bias_theta == pytest.approx(0, abs=1e-12) and found[2].words.code == "agreement.scattered"


def test_a_narrower_error_wants_more_tins_and_too_many_are_refused() -> None:
    wide, narrow = sampling_plan((10, 30, 50), 600.0, 10.0), sampling_plan((10, 30, 50), 600.0, 4.0)
    assert narrow.samples > wide.samples and narrow.expected_mm <= 4.0
    assert wide.samples == sum(len(s.depths_cm) * s.each for s in wide.steps)
    with pytest.raises(PlanError, match="wider"):
        sampling_plan((10, 30), 1000.0, 0.5)


def test_what_an_error_means_in_days() -> None:
    meant = meant_in_water(0.02, 0.01, (150.0, 250.0, 200.0), 5.0)
    assert meant.error_mm == pytest.approx(math.hypot(0.02 * math.sqrt(150**2 + 250**2 + 200**2), 6.0))
    assert meant.days == pytest.approx(meant.error_mm / 5) and meant_in_water(0.02, 0.01, (1.0,), None).days is None
