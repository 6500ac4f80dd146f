"""A plan moved by hand: what each place breaks."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.planning.by_deadline import Loads
from embalse.core.planning.checking import broken
from embalse.core.planning.water_side import Grid, HourBudget, SupplyLane, WantedSet, may_start

GRID = Grid(60, 24)


def lane(flow: float = 100.0, **more: object) -> SupplyLane:
    return SupplyLane("well", np.full(24, flow), np.zeros(24), **more)  # type: ignore[arg-type]


def one(key: str = "a", flow: float = 60.0, steps: int = 4, **more: object) -> WantedSet:
    return WantedSet(key, "well", flow, steps, **more)  # type: ignore[arg-type]


def codes(sets: list[WantedSet], starts: dict[str, int], supply: SupplyLane | None = None) -> list[tuple[str, str]]:
    return [(b.key, b.notice.code) for b in broken(GRID, {"well": supply or lane()}, sets, starts)]


@pytest.mark.parametrize(("start", "told"), [(0, []), (20, []), (21, ["breaks.outside"]), (-1, ["breaks.outside"])])
def test_outside_the_plan(start: int, told: list[str]) -> None:
    assert [c for _, c in codes([one()], {"a": start})] == told


def test_flow_together_and_alone() -> None:
    assert codes([one("a"), one("b")], {"a": 0, "b": 3}) == [("b", "breaks.flow")]
    assert codes([one("a"), one("b")], {"a": 0, "b": 4}) == []
    assert codes([one("a", flow=101.0)], {"a": 0}) == [("a", "breaks.flow_alone")]


def test_no_turn_no_water() -> None:
    flow = np.where(np.arange(24) < 6, 100.0, 0.0)
    turn = SupplyLane("well", flow, np.zeros(24))
    assert codes([one()], {"a": 2}, turn) == [] and codes([one()], {"a": 3}, turn) == [("a", "breaks.closed")]


def test_waiting_keeping_dry_and_people() -> None:
    dry, there = np.ones(24, dtype=bool), np.zeros(25, dtype=bool)
    dry[10:12] = False
    there[[0, 4, 8]] = True
    assert codes([one(earliest=3)], {"a": 2}) == [("a", "breaks.wait")]
    assert codes([one(allowed=dry)], {"a": 7}) == [("a", "breaks.dry")] and codes([one(allowed=dry)], {"a": 6}) == []
    assert codes([one(attended=there)], {"a": 4}) == [] and codes([one(attended=there)], {"a": 5}) == [
        ("a", "breaks.nobody")
    ]
    assert may_start(one(attended=there), lane(), GRID).tolist() == [0, 4]
    assert may_start(one(attended=there, ends_within=True), lane(), GRID).tolist() == []


def test_hours_weeks_and_the_season() -> None:
    assert codes([one("a"), one("b")], {"a": 0, "b": 4}, lane(hours_a_day=7.0)) == [("b", "breaks.hours")]
    week = lane(budgets=(HourBudget(0, 12, 4.0), HourBudget(12, 24, 8.0)))
    assert codes([one("a"), one("b")], {"a": 0, "b": 4}, week) == [("b", "breaks.hours")]
    assert codes([one("a"), one("b")], {"a": 0, "b": 12}, week) == []
    assert codes([one("a"), one("b")], {"a": 0, "b": 4}, lane(volume_m3=479.0)) == [("b", "breaks.volume")]
    assert codes([one("a"), one("b")], {"a": 0, "b": 4}, lane(volume_m3=480.0)) == []


def test_a_pump_has_a_least_flow() -> None:
    pump = lane(least_m3_h=60.1)
    assert codes([one("a")], {"a": 0}, pump) == [("a", "breaks.least")]
    assert codes([one("a")], {"a": 0}, lane(least_m3_h=60.0)) == []
    both = [one("a", flow=40.0), one("b", flow=40.0)]
    assert codes(both, {"a": 0, "b": 0}, pump) == []
    assert codes(both, {"a": 0, "b": 1}, pump) == [("a", "breaks.least"), ("b", "breaks.least")]
    assert codes([one("a")], {"a": 0}, lane(least_m3_h=90.0, already=np.arange(24) < 4)) == []


def test_hours_that_run_anyway_count_once() -> None:
    already = np.arange(24) < 4
    assert Loads(GRID, {"well": lane(hours_a_day=4.0, already=already)}).fits(one(), 0)
    assert not Loads(GRID, {"well": lane(hours_a_day=4.0, already=already)}).fits(one(), 1)


def test_parts_of_a_block_do_not_run_side_by_side() -> None:
    parts = [one(k, flow=10.0, block="b") for k in ("1", "2")]
    assert codes(parts, {"1": 0, "2": 3}) == [("2", "breaks.side_by_side")]


def test_a_long_turn_that_runs_beyond_its_hours_leaves_the_next_day_free() -> None:
    already = np.arange(24) < 20
    budgets = (HourBudget(0, 20, 16.0),)
    over = lane(hours_a_day=24.0, already=already, budgets=budgets)
    assert Loads(GRID, {"well": over}).fits(one(), 20)
    assert not Loads(GRID, {"well": replace(over, budgets=(HourBudget(0, 24, 16.0),))}).fits(one(), 20)
    assert not Loads(GRID, {"well": replace(over, hours_a_day=20.0, budgets=())}).fits(one(), 20)
