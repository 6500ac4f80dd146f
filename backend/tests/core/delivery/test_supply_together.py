"""Several blocks of one supply on one day, on both sides of what it gives."""

import pytest

from embalse.core.delivery.delivery import Supply
from embalse.core.delivery.supply_together import Wanted, supplies_short
from embalse.core.wording import text

WELL = Supply("north well", 50.0, 20.0)


def test_the_guide_book_formula_at_its_limit() -> None:
    # 50 m³/h for 20 h is 1,000 m³
    assert supplies_short([Wanted("A", WELL, 600.0), Wanted("B", WELL, 400.0)]) == []
    [short] = supplies_short([Wanted("A", WELL, 600.0), Wanted("B", WELL, 401.0)])
    assert (short["needs_h"], short["runs_h"]) == (21.0, 20.0)
    assert (
        text(short) == "Not enough water from north well today: A and B need 21 h, it runs 20 h a day. Water A first."
    )


def test_one_block_alone_is_for_its_own_caution() -> None:
    assert supplies_short([Wanted("A", WELL, 5000.0)]) == []


@pytest.mark.parametrize(("hours", "short"), [(None, False), (23.9, True), (24.0, False)])
def test_a_supply_without_hours_runs_all_day(hours: float | None, short: bool) -> None:
    supply = Supply("canal", 10.0, hours)
    assert bool(supplies_short([Wanted("A", supply, 120.0), Wanted("B", supply, 120.0)])) is short


def test_a_supply_of_unknown_flow_says_nothing() -> None:
    supply = Supply("mains", None, 8.0)
    assert supplies_short([Wanted("A", supply, 9e9), Wanted("B", supply, 9e9)]) == []


def test_each_supply_for_itself_in_the_order_of_the_day() -> None:
    other = Supply("canal", 5.0, 10.0)
    asked = [Wanted("A", other, 40.0), Wanted("B", WELL, 900.0), Wanted("C", other, 40.0), Wanted("D", WELL, 900.0)]
    first, second = supplies_short(asked)
    assert (first["supply"], first["blocks"], first["first"]) == ("canal", ("A", "C"), "A")
    assert (second["supply"], second["first"]) == ("north well", "B")
