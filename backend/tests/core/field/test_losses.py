"""Water below the roots in a week."""

import pytest

from embalse.core.field.losses import week_loss
from embalse.core.field.wetting import Wetting

NOW = 20_000 * 86400
HOUR = 3600


def wetting(hours_ago: float, below_mm: float | None) -> Wetting:
    at = int(NOW - hours_ago * HOUR)
    return Wetting(at, at + HOUR, (), 10.0, 60.0, below_mm, None)


def test_the_wettings_of_seven_days_over_the_block_and_in_the_strip() -> None:
    found = week_loss([[wetting(167.9, 20.0), wetting(10, 5.0)]], NOW, 0.4)
    assert found is not None and (found.strip_mm, found.below_mm) == (25.0, pytest.approx(10.0))
    older = week_loss([[wetting(168.1, 20.0), wetting(10, 5.0)]], NOW, 0.4)
    assert older is not None and older.strip_mm == 5.0 and (older.known, older.wettings) == (1, 1)


def test_the_mean_of_the_stations_that_tell() -> None:
    found = week_loss([[wetting(10, 4.0)], [wetting(10, 8.0)], [wetting(10, None)]], NOW, 1.0)
    assert found is not None and found.strip_mm == 6.0 and (found.known, found.wettings) == (2, 2)
    partly = week_loss([[wetting(30, 4.0), wetting(10, None)]], NOW, 1.0)
    assert partly is not None and (partly.known, partly.wettings, partly.strip_mm) == (1, 2, 4.0)


def test_without_a_probe_that_tells_there_is_no_figure() -> None:
    assert week_loss([[wetting(10, None)]], NOW, 1.0) is None
    assert week_loss([[]], NOW, 1.0) is None and week_loss([], NOW, 1.0) is None


@pytest.mark.parametrize(("below_mm", "said"), [(3.0, False), (3.1, True)])
def test_it_is_said_from_more_than_a_wettings_doubt(below_mm: float, said: bool) -> None:
    found = week_loss([[wetting(10, below_mm)]], NOW, 1.0)
    assert found is not None and found.worth_saying is said
