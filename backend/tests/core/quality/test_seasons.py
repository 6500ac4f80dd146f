"""What the rules of quality say of four simulated plots with flaws put in stays as it was recorded."""

import pytest

from tests.core.field import seasons
from tests.core.record import differences, plain, read


@pytest.mark.parametrize("name", sorted(seasons.PLANS))
def test_nothing_said_of_a_plot_has_moved(name: str) -> None:
    found = differences(read(seasons.RECORD)["quality"][name], plain(seasons.judged(name)))
    assert found == [], f"{len(found)} differences"


def test_every_kind_of_fault_is_in_it() -> None:
    said = read(seasons.RECORD)["quality"]
    by_reading = {f["fault"] for plot in said.values() for told in plot["faults"].values() for f in told[0] if told}
    slow = {
        f["fault"] for plot in said.values() for one in plot["slow"].values() for them in one.values() for f in them
    }
    assert by_reading >= {"spike", "stuck", "step", "out of soil"} and slow >= {"noise", "ripple", "rise"}
    assert any(plot["crossed"]["crossed"] for plot in said.values())
