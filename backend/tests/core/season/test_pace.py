"""Allowed water at the pace of the last weeks."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.season.pace import season_pace


def test_the_last_four_weeks_make_the_pace_and_the_last_eight_its_scatter() -> None:
    found = season_pace([0.0] * 4 + [100.0] * 4, 400.0, 1000.0, 4.0)
    assert (found.used_share, found.end_share) == (0.4, 0.8)
    assert found.low_share < 0.8 < found.high_share


def test_what_is_used_is_used_and_nothing_left_is_exact() -> None:
    assert season_pace([0.0, 300.0], 300.0, 1000.0, 1.0).low_share >= 0.3
    over = season_pace([100.0, 120.0], 700.0, 1000.0, -2.0)
    assert over.end_share == over.low_share == over.high_share == 0.7


@pytest.mark.parametrize(("weeks", "allowed"), [([100.0], 1000.0), ([100.0, 90.0], 0.0)])
def test_too_little_is_refused(weeks: list[float], allowed: float) -> None:
    with pytest.raises(CoreError):
        season_pace(weeks, 100.0, allowed, 4.0)
