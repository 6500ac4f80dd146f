"""What a block asks of its supply beyond what that gives."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.cautions import supply_cautions, uneven_caution
from embalse.core.advice.soaking import NO_WATER
from embalse.core.delivery.delivery import Supply
from embalse.core.root_zone.root_zone import LayerState
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice
from tests.core.advice.test_decision import CALENDAR, moment
from tests.core.build import block, codes, readings, values_of


def test_a_supply_that_gives_less_is_named() -> None:
    found = supply_cautions(Supply("well", 100.0, 10.0), 1.5, 10.0, 12.0)
    assert values_of(found, "caution.supply_flow") == {
        "supply": "well", "needs_m3_h": 150, "gives_m3_h": 100, "parts": 2, "each_h": 12, "total_h": 24
    }  # fmt: skip
    assert found[1] == Notice("caution.supply_hours", supply="well", runs_h=10)
    assert supply_cautions(Supply("well", 150.0, 12.0), 1.5, 10.0, 12.0) == []
    assert supply_cautions(None, 1.5, 10.0, 12.0) == []


class TestSupply:
    def of(self, flow: float | None, hours: float | None, set_h: float | None = 5.0) -> list[str]:
        return [n.code for n in supply_cautions(Supply("well", flow, hours), 2.0, 10.0, set_h)]

    def test_two_percent_over_the_flow_is_rounding(self) -> None:
        # 2 mm/h over 10 ha are 200 m³/h
        assert self.of(196.2, None) == [] and self.of(195.9, None) == ["caution.supply_flow"]
        assert self.of(200.0, None) == [] and self.of(None, None) == []

    def test_the_parts_it_takes_and_their_hours(self) -> None:
        [found] = supply_cautions(Supply("well", 90.0, None), 2.0, 10.0, 5.0)
        assert (found["parts"], found["each_h"], found["total_h"]) == (3, 5.0, 15.0)
        [unknown] = supply_cautions(Supply("well", 90.0, None), 2.0, 10.0, None)
        assert unknown["total_h"] is None

    @pytest.mark.parametrize(("hours", "codes"), [(5.0, []), (4.9, ["caution.supply_hours"])])
    def test_a_set_may_last_as_long_as_the_supply_runs(self, hours: float, codes: list[str]) -> None:
        assert self.of(None, hours) == codes and self.of(None, hours, None) == []


def layer(top: float, theta: float, full: float = 0.30, rooted: float = 20.0) -> LayerState:
    return LayerState(Layer(top + 10, top, top + 20, rooted, full, 0.20, 0.10, 0.45), theta, 0.01, False)


def test_each_layer_is_held_against_its_own_marks() -> None:
    # the top holds 0.27 of 0.40: two thirds, not wet, though of the next layer's 0.30 it would be
    assert uneven_caution([layer(0, 0.27, full=0.40), layer(20, 0.15), layer(40, 0.15)]) is None
    found = uneven_caution([layer(0, 0.27), layer(20, 0.15, full=0.40), layer(40, 0.15)])
    assert found is not None and found["from_cm"] == 20


def test_one_layer_alone_cannot_be_uneven_and_layers_below_the_roots_count_not() -> None:
    assert uneven_caution([layer(0, 0.30)]) is None
    assert uneven_caution([layer(0, 0.30), layer(20, 0.15, rooted=0.0)]) is None


@pytest.mark.parametrize(("use", "code"), [(0.0025, "caution.use_low"), (0.0067, None), (0.013, "caution.use_high")])
def test_use_that_cannot_be_true_is_said_with_what_to_check(use: float, code: str | None) -> None:
    given = replace(block(), calendar=CALENDAR, crop="tomato")
    found = analyse(given, readings(0.26, use), NO_WATER, moment())
    said = [c for c in codes(found.cautions) if c.startswith("caution.use_")]
    assert said == ([code] if code else [])
    assert found.water_use is not None and found.water_use.course is not None
    assert found.water_use.course.use.plausible is (code is None)
