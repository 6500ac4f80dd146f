"""Curves of tension against water: their inverse, what makes none, and the table at the marks."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.soil.retention import (
    RetentionError,
    VanGenuchten,
    class_curve,
    equation_curve,
    fitted_curve,
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


def test_the_table_says_full_at_full_and_wilting_at_wilting() -> None:
    curve = equation_curve(LOAM)
    lines = tension_table(curve, (float(curve.theta(33.0)), float(curve.theta(1500.0))), 40)
    used = {line.kpa: line for line in lines}
    assert used[33.0].used_share == pytest.approx(0, abs=1e-9) and used[1500.0].used_share == pytest.approx(1)
    assert used[1500.0].left_mm == pytest.approx(0, abs=1e-9) and used[10.0].used_share < 0
    assert used[100.0].left_mm + used[100.0].used_mm == pytest.approx(400 * (0.2796 - 0.1370), abs=0.5)
