"""Roots grow in a line and stop."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.soil.roots import RootGrowth, root_depth_cm


def test_roots_grow_in_a_line_and_stop() -> None:
    growth = RootGrowth(80, 20, 100, 140)
    assert [root_depth_cm(growth, day) for day in (90, 100, 120, 140, 300)] == [20, 20, 50, 80, 80]
    with pytest.raises(CoreError):
        root_depth_cm(RootGrowth(80, 20, 140, 100), 120)
