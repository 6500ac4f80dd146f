"""Curves of tension against water: their inverse, what makes none, and the table at the marks."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.soil.retention import (
    RetentionError,
    VanGenuchten,
    class_curve,
    equation_curve,
    fitted_curve,
    held_curve,
    pairs_curve,
    spans_enough,
    tension_table,
)
from embalse.core.soil.soil import FineEarth

LOAM = FineEarth(0.40, 0.20)


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


LOAM_CLASS = VanGenuchten(0.078, 0.43, 0.036, 1.56)


class TestSensorsSideBySideThatSpanLittle:
    kpa = np.array([12.0, 15.0, 18.0, 22.0, 27.0, 33.0])

    def points(self, theta: np.ndarray) -> list[tuple[float, float]]:
        return list(zip(self.kpa.tolist(), theta.tolist(), strict=True))

    def test_they_move_the_class_average_to_where_they_lie(self) -> None:
        found = held_curve(self.points(LOAM_CLASS.theta(self.kpa) + 0.05), LOAM_CLASS)
        assert found.theta(self.kpa) == pytest.approx(LOAM_CLASS.theta(self.kpa) + 0.05, abs=1e-9)
        assert float(found.theta(1500.0) - LOAM_CLASS.theta(np.array(1500.0))) == pytest.approx(0.05, abs=1e-9)
        assert found.kind == "pairs" and found.theta_error == pytest.approx(0.06)

    def test_they_stretch_it_by_what_they_say_against_a_class_average(self) -> None:
        away = LOAM_CLASS.theta(self.kpa) - LOAM_CLASS.theta(self.kpa).mean()
        found = held_curve(self.points(0.25 + 1.5 * away), LOAM_CLASS)
        stretch = float(np.ptp(found.theta(self.kpa)) / np.ptp(LOAM_CLASS.theta(self.kpa)))
        weight = (0.015 / 0.4) ** 2
        assert stretch == pytest.approx(1 + 0.5 * (away @ away) / (away @ away + weight)) and 1.0 < stretch < 1.5

    def test_the_same_water_at_every_tension_moves_it_alone(self) -> None:
        found = held_curve([(20.0, 0.28)] * 5, LOAM_CLASS)
        assert float(found.theta(20.0)) == pytest.approx(0.28)
        with pytest.raises(RetentionError, match="4 points"):
            held_curve([(20.0, 0.28)] * 4, LOAM_CLASS)

    def test_what_misses_it_widely_or_rises_with_tension_is_refused(self) -> None:
        with pytest.raises(RetentionError, match="misses"):
            held_curve(self.points(np.array([0.35, 0.25, 0.35, 0.2, 0.35, 0.2])), LOAM_CLASS)
        with pytest.raises(RetentionError, match="does not fall"):
            held_curve(self.points(np.linspace(0.15, 0.40, 6)), LOAM_CLASS)

    @pytest.mark.parametrize(
        ("driest", "wettest", "own"), [(100.0, 0.30, True), (99.0, 0.30, False), (100.0, 0.299, False)]
    )
    def test_a_decade_and_six_hundredths_make_a_shape_of_their_own(
        self, driest: float, wettest: float, own: bool
    ) -> None:
        kpa = np.geomspace(10.0, driest, 6)
        points = list(zip(kpa.tolist(), np.linspace(wettest, 0.24, 6).tolist(), strict=True))
        assert spans_enough(points) == own
        code = pairs_curve(points, LOAM_CLASS).source.detail.code  # type: ignore[union-attr]
        assert code == ("source.fitted_curve" if own else "source.held_curve")


def test_the_table_says_full_at_full_and_wilting_at_wilting() -> None:
    curve = equation_curve(LOAM)
    lines = tension_table(curve, (float(curve.theta(33.0)), float(curve.theta(1500.0))), 40)
    used = {line.kpa: line for line in lines}
    assert used[33.0].used_share == pytest.approx(0, abs=1e-9) and used[1500.0].used_share == pytest.approx(1)
    assert used[1500.0].left_mm == pytest.approx(0, abs=1e-9) and used[10.0].used_share < 0
    assert used[100.0].left_mm + used[100.0].used_mm == pytest.approx(400 * (0.2796 - 0.1370), abs=0.5)
