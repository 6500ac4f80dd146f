"""What the field's rules say of four simulated plots stays as it was recorded, unless a change is meant."""

from typing import Any

import pytest

from tests.core.field import seasons
from tests.core.record import differences, plain, read


@pytest.mark.parametrize("name", sorted(seasons.PLANS))
def test_nothing_said_of_a_plot_has_moved(name: str) -> None:
    found = differences(read(seasons.RECORD)["field"][name], plain(seasons.told(name)))
    assert found == [], f"{len(found)} differences"


def test_the_plots_reach_most_of_what_can_be_said() -> None:
    said = read(seasons.RECORD)["field"]
    kinds: set[Any] = {one["kind"] for plot in said.values() for weeks in plot["diagnoses"] for one in weeks}
    assert len(kinds) >= 4
    assert len({plot["full points"][0][2] for plot in said.values()}) > 1
    assert any(plot["slow-down"]["depletion_mm"] for plot in said.values())
    assert any(wetting["below_mm"] for plot in said.values() for wetting in plot["wettings"])
