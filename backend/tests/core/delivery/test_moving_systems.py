"""Pivots: a set is a turn at a timer setting."""

import pytest

from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.moving_systems import Pivot, pivot_area_ha, pivot_rate_mm_h
from embalse.core.delivery.set_amount import advised_set
from embalse.core.errors import CoreError


class TestPivot:
    PIVOT = Pivot(400, 180, 18, depth_at_full_mm=8)
    SYSTEM = IrrigationSystem("pivot", pivot_rate_mm_h(PIVOT), 0.8, pivot=PIVOT)

    def test_a_set_is_a_turn_at_a_timer_setting(self) -> None:
        found = advised_set(12.8, SetLimits(), self.SYSTEM)
        assert found.gross_mm == pytest.approx(16) and found.timer_fraction == pytest.approx(0.5)
        assert found.set_time_h == pytest.approx(36)

    def test_less_than_the_fastest_turn_is_not_possible(self) -> None:
        found = advised_set(2.0, SetLimits(), self.SYSTEM)
        assert found.limited_by == "turn" and found.net_mm == pytest.approx(6.4) and found.timer_fraction == 1

    def test_rings_left_dry_take_area_away(self) -> None:
        assert pivot_area_ha(Pivot(400, 180, 18, 50, 10)) < pivot_area_ha(Pivot(400, 180, 18))
        with pytest.raises(CoreError, match="no area"):
            pivot_area_ha(Pivot(400, 180, 18, 300, 150))
