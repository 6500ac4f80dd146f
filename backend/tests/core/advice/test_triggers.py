"""Roots by quarters."""

import pytest

from embalse.core.advice.triggers import usual_uptake_share


@pytest.mark.parametrize(
    ("top", "bottom", "share"), [(0, 15, 0.4), (15, 30, 0.3), (30, 45, 0.2), (45, 60, 0.1), (0, 60, 1.0), (60, 90, 0.0)]
)
def test_roots_take_forty_thirty_twenty_and_ten_percent_by_quarters(top: float, bottom: float, share: float) -> None:
    assert usual_uptake_share(top, bottom, 60.0) == pytest.approx(share)
