"""Which instruments: what they tell, what they cost, at which depths."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CoreError
from embalse.core.install.instruments import PlanBasis, instrument_choices


class TestInstruments:
    def test_choices_say_what_they_tell(self) -> None:
        choices = {c.choice: c for c in instrument_choices(PlanBasis(90, 150))}
        assert choices["profile"].watch_cm == 100 and choices["middles"].watch_cm == 105
        assert any("how much" in t for t in choices["middles"].tells)
        assert any("how much" in t for t in choices["pairs"].cannot_tell)
        assert choices["profile"].sensors == 11 and choices["pairs"].sensors == 6

    def test_costs_can_be_replaced(self) -> None:
        plain = {c.choice: c.total for c in instrument_choices(PlanBasis(90, 150))}
        own = {c.choice: c.total for c in instrument_choices(PlanBasis(90, 150), {"profile probe": {"buy": 0.0}})}
        assert plain["profile"] - own["profile"] == pytest.approx(700)
        assert plain["middles"] == own["middles"]
        with pytest.raises(CoreError, match="must not be negative"):
            instrument_choices(PlanBasis(90, 150), {"profile probe": {"buy": -1.0}})

    def test_more_seasons_cost_the_yearly_part_more(self) -> None:
        one, five = ({c.choice: c for c in instrument_choices(PlanBasis(90, 150, seasons=s))} for s in (1.0, 5.0))
        for choice, before in one.items():
            assert five[choice].total - before.total == pytest.approx(4 * before.later_years)

    @given(st.floats(10, 300), st.floats(20, 400))
    def test_depths_stay_within_the_described_soil(self, roots: float, soil: float) -> None:
        for choice in instrument_choices(PlanBasis(roots, soil)):
            assert all(0 < d <= soil for d in choice.depths_cm)
            assert list(choice.depths_cm) == sorted(choice.depths_cm)
