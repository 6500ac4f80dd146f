"""Which limit binds: each alone, and flow where none does."""

import numpy as np

from embalse.core.planning.binding import longest_free_h, what_binds
from embalse.core.planning.by_deadline import Loads
from embalse.core.planning.water_side import Grid, HourBudget, SupplyLane, WantedSet

GRID = Grid(60, 24)


def loads(*laid: tuple[WantedSet, int], **more: object) -> Loads:
    lane = SupplyLane("well", np.full(24, 100.0), np.zeros(24), **more)  # type: ignore[arg-type]
    found = Loads(GRID, {"well": lane})
    for one, start in laid:
        found.lay(one, start)
    return found


def one(key: str = "a", flow: float = 60.0, steps: int = 8, **more: object) -> WantedSet:
    return WantedSet(key, "well", flow, steps, **more)  # type: ignore[arg-type]


def test_people_hours_season_and_days() -> None:
    there = np.zeros(25, dtype=bool)
    dry = np.arange(24) < 4
    assert what_binds(loads(), one(attended=there)) == "people"
    assert what_binds(loads(hours_a_day=7.0), one()) == "hours"
    assert what_binds(loads(budgets=(HourBudget(0, 24, 7.0),)), one()) == "hours"
    assert what_binds(loads(volume_m3=479.0), one()) == "season"
    assert what_binds(loads(), one(allowed=dry)) == "days"


def test_flow_where_others_take_it_and_the_longest_stretch_that_is_free() -> None:
    busy = loads((one("b", steps=4), 6), (one("c", steps=4), 17))
    assert what_binds(busy, one()) == "flow"
    assert (longest_free_h(busy, one()), longest_free_h(busy, one(earliest=12))) == (7.0, 5.0)
    assert longest_free_h(busy, one(flow=40.0)) == 24.0
    assert longest_free_h(loads((one("b", steps=24), 0)), one()) == 0.0
    part = one("b", flow=10.0, steps=4, block="vega")
    assert longest_free_h(loads((part, 6)), one(flow=10.0, block="vega")) == 14.0


def test_what_is_loosened_leaves_what_is_laid() -> None:
    busy = loads((one("b", steps=4), 10), hours_a_day=11.0)
    assert what_binds(busy, one()) == "hours"
    assert busy.lanes["well"].hours_a_day == 11.0 and float(busy.flow_m3_h["well"].sum()) == 240.0
