"""Marks of a horizon: set by hand or computed, in order, in a whole profile."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, check_profile, horizon_marks
from embalse.core.soil.soil import FineEarth, bulk_theta, saxton_rawls
from tests.core.build import values_of

LOAM = FineEarth(0.4, 0.2, 2.5)


def test_a_mark_set_by_hand_replaces_the_computed_and_says_why() -> None:
    marks = horizon_marks(Horizon(0, 50, LOAM, 0.2, full=MarkEntry(0.25, "drained 3 days in May")))
    assert marks.theta_full == 0.25
    assert values_of(marks.full_source.detail, "source.by_hand")["reason"] == "drained 3 days in May"
    assert marks.theta_wilting == pytest.approx(0.8 * saxton_rawls(LOAM).theta_wilting)
    assert values_of(marks.wilting_source.detail, "source.texture")["stones_fraction"] == 0.2


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"full": MarkEntry(0.05, "x")}, "wilting point"),
        ({"refill": MarkEntry(0.5, "x")}, "refill point"),
        ({"full": MarkEntry(0.9, "x")}, "more than soil can hold"),
    ],
)
def test_marks_out_of_order_are_refused(changes: dict[str, MarkEntry], words: str) -> None:
    with pytest.raises(CoreError, match=words):
        horizon_marks(Horizon(0, 50, LOAM, **changes))  # type: ignore[arg-type]


def test_stones_cannot_fill_the_soil() -> None:
    with pytest.raises(CoreError, match="stones_fraction"):
        bulk_theta(0.3, 1.0)


@pytest.mark.parametrize(
    ("spans", "words"),
    [([(0, 30), (40, 80)], "gap"), ([(0, 50), (40, 80)], "overlap"), ([(10, 50)], "gap"), ([], "at least one")],
)
def test_profile_must_be_whole(spans: list[tuple[float, float]], words: str) -> None:
    with pytest.raises(CoreError, match=words):
        check_profile([Horizon(top, bottom, LOAM) for top, bottom in spans])


LOAM = FineEarth(0.4, 0.2, 2.5)
