"""A correction of the audit on a set: what was advised and a fixed dose, never an amount a person named."""

import pytest

from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.set_amount import SetRules, advised_set
from embalse.core.errors import CoreError

DRIP = IrrigationSystem("drip", 2.0, 0.8)


@pytest.mark.parametrize(("dose", "net", "gross"), [(1.0, 10.0, 12.5), (1.1, 11.0, 13.75), (0.9, 9.0, 11.25)])
def test_the_net_depth_is_multiplied_and_the_rest_follows(dose: float, net: float, gross: float) -> None:
    found = advised_set(25.0, SetLimits(0.4), DRIP, SetRules(dose=dose))
    assert (found.net_mm, found.gross_mm) == (pytest.approx(net), pytest.approx(gross))
    assert found.set_time_h == pytest.approx(gross / 2)


def test_room_for_rain_is_left_first_and_the_limits_hold_after() -> None:
    assert advised_set(25.0, SetLimits(0.4), DRIP, SetRules(dose=1.1, rain_room_mm=5.0)).net_mm == pytest.approx(5.5)
    assert advised_set(25.0, SetLimits(0.4, None, 10.5), DRIP, SetRules(dose=1.1)).limited_by == "largest"


def test_a_fixed_dose_is_corrected_too() -> None:
    assert advised_set(25.0, SetLimits(), DRIP, SetRules(fixed_dose_mm=20.0, dose=0.9)).net_mm == pytest.approx(18.0)


def test_a_correction_to_nothing_is_refused() -> None:
    with pytest.raises(CoreError):
        advised_set(25.0, SetLimits(), DRIP, SetRules(dose=0.0))
