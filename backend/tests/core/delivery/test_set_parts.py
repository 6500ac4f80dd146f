"""A set in parts: on both sides of each limit, and one rule for the advice and the plan."""

import pytest

from embalse.core.advice.cautions import supply_cautions
from embalse.core.delivery.delivery import Supply
from embalse.core.delivery.set_parts import areas_needed, parts_of
from embalse.core.errors import CoreError


@pytest.mark.parametrize(("flow", "parts"), [(100.0, 1), (98.1, 1), (98.0, 2), (49.1, 2), (49.0, 3), (None, 1)])
def test_by_area_where_the_block_draws_more_than_the_supply_gives(flow: float | None, parts: int) -> None:
    found = parts_of(600.0, 360, (flow, None))
    assert [(p.number, p.of) for p in found] == [(n + 1, parts) for n in range(parts)]
    assert all(p.minutes == 360 and p.depth_share == 1.0 for p in found)
    assert all(flow is None or p.flow_m3_h <= flow for p in found)
    assert sum(p.flow_m3_h for p in found) == pytest.approx(100.0, rel=0.02)


@pytest.mark.parametrize(("runs_h", "parts", "each"), [(20.0, 1, 1200), (19.9, 2, 600), (10.0, 2, 600), (9.9, 3, 400)])
def test_by_time_where_it_takes_longer_than_the_supply_runs_a_day(runs_h: float, parts: int, each: int) -> None:
    found = parts_of(2000.0, 1200, (None, runs_h))
    assert [p.minutes for p in found] == [each] * parts
    assert all(p.depth_share == pytest.approx(1 / parts) for p in found)
    over = parts_of(2000.0, 1200, (None, runs_h), goes_over=True)
    assert len(over) == parts and all(p.depth_share == 1.0 for p in over)


@pytest.mark.parametrize(("minutes", "parts"), [(1440, 1), (1445, 2)])
def test_furrow_sets_are_a_day_of_them_at_a_stretch(minutes: int, parts: int) -> None:
    found = parts_of(900.0, minutes, (None, None), sets=17)
    assert len(found) == parts and all(p.depth_share == 1.0 for p in found)
    assert len(parts_of(900.0, minutes, (None, None))) == 1


def test_the_water_is_given_in_all_whatever_the_parts() -> None:
    found = parts_of(3000.0, 1230, (90.0, 9.0))
    given = sum(p.flow_m3_h * p.minutes / 60 for p in found)
    assert given == pytest.approx(3000.0, rel=0.02) and len(found) == 2 * 3
    with pytest.raises(CoreError, match="minutes"):
        parts_of(3000.0, 0, (None, None))


@pytest.mark.parametrize("limit", [98.1, 98.0, 49.1, 49.0, 33.0])
def test_the_round_asks_for_as_many_parts_as_the_plan_lays(limit: float) -> None:
    laid = len(parts_of(600.0, 360, (limit, None)))
    said = supply_cautions(Supply("well", limit), 1.0, 10.0, 6.0)
    assert laid == areas_needed(100.0, limit) and [n["parts"] for n in said] == ([laid] if laid > 1 else [])
