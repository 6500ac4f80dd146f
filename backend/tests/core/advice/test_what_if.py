"""What may be tried: every entry between its ends."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.what_if import what_if
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.errors import CoreError
from tests.core.build import block


@pytest.mark.parametrize(
    ("name", "right", "wrong"),
    [
        ("efficiency_fraction", (0.01, 1.0), (0.0, 1.01)),
        ("wetted_fraction", (0.01, 1.0), (0.0, 1.01)),
        ("allowable_depletion_fraction", (0.01, 0.99), (0.0, 1.0)),
        ("rain_room_mm", (0.0, 199.0), (-0.1, 200.0)),
        ("lead_days", (0.0, 199.0), (-0.1, 200.0)),
        ("root_depth_cm", (1.0, 999.0), (0.0, 1000.0)),
        ("rate_mm_h", (0.1, 999.0), (0.0, 1000.0)),
        ("max_set_mm", (0.1, 999.0), (0.0, 1000.0)),
    ],
)
def test_what_may_be_tried_lies_between_its_ends(name: str, right: tuple[float, ...], wrong: tuple[float, ...]) -> None:
    given = block(system=IrrigationSystem("drip", 2.0, 0.8), limits=SetLimits(0.5))
    for value in right:
        what_if(given, {name: value})
    for value in wrong:
        with pytest.raises(CoreError) as refused:
            what_if(given, {name: value})
        assert refused.value.field == name


def test_nothing_else_may_be_tried() -> None:
    with pytest.raises(CoreError, match="cannot be changed"):
        what_if(block(), {"area_ha": 3.0})
    with pytest.raises(CoreError, match="no irrigation system"):
        what_if(replace(block(), system=None), {"rate_mm_h": 3.0})
    assert np.isclose(what_if(block(), {"wetted_fraction": 0.7}).limits.wetted_fraction, 0.7)
