"""Marks picked by a person: what they cut, which one holds, and what makes none."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.soil.horizon_marks import Horizon, horizon_marks
from embalse.core.soil.mark_choices import ChoiceError, MarkChoice, check_marked, marked
from embalse.core.soil.retention import (
    class_curve,
)
from embalse.core.soil.soil import FineEarth

LOAM = FineEarth(0.40, 0.20)


SOIL = (Horizon(0, 40, LOAM), Horizon(40, 120, FineEarth(0.30, 0.35)))


def test_a_curve_picked_for_a_horizon_gives_its_marks() -> None:
    marks = horizon_marks(Horizon(0, 40, LOAM, 0.1, retention=class_curve(0.4, 0.2, 0.1)))
    assert (marks.theta_full, marks.theta_wilting) == (
        pytest.approx(0.1644 * 0.9, abs=1e-4),
        pytest.approx(0.0883 * 0.9, abs=1e-4),
    )
    assert "Carsel" in marks.full_source.title


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
