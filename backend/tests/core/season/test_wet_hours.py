"""Hours near saturation."""

import numpy as np
import pytest

from embalse.core.season.wet_hours import AIR_SHARE, wet_hours


@pytest.mark.parametrize(("air", "hours"), [(AIR_SHARE + 0.001, 0), (AIR_SHARE - 0.001, 1)])
def test_an_hour_counts_with_less_than_a_tenth_of_air(air: float, hours: int) -> None:
    found = wet_hours(np.array([0.45 - air, 0.1]), 0.30, 0.45, 10.0)
    assert found.wet_h == hours and found.read_h == 2


@pytest.mark.parametrize(("theta", "hours"), [(0.42, 0), (0.421, 1)])
def test_a_clay_that_is_just_full_does_not_count(theta: float, hours: int) -> None:
    assert wet_hours(np.array([theta]), 0.42, 0.50, 10.0).wet_h == hours


def test_hours_nobody_read_are_not_counted() -> None:
    found = wet_hours(np.array([np.nan, 0.44, np.nan]), 0.30, 0.45, 10.0)
    assert (found.wet_h, found.read_h) == (1, 1)
