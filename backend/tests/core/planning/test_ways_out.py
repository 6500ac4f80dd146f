"""What a limit loosened does: found by planning again, told only where it helps."""

import numpy as np
import pytest

from embalse.core.planning.solve import best_plan
from embalse.core.planning.water_side import Grid, SupplyLane, WantedSet
from embalse.core.planning.ways_out import WayOut, ways_out

GRID = Grid(60, 24)


def found(flow: float, hours: float | None, *sets: WantedSet) -> list[WayOut]:
    lanes = {"well": SupplyLane("well", np.full(24, flow), np.zeros(24), hours)}
    return ways_out(GRID, lanes, list(sets), best_plan(GRID, lanes, list(sets)))


def wanted(key: str, steps: int, flow: float = 60.0, due: float = 0.0) -> WantedSet:
    return WantedSet(key, "well", flow, steps, due_days=due)


def hours_of(flow: float, hours: float, *sets: WantedSet) -> list[WayOut]:
    return [w for w in found(flow, hours, *sets) if w.what == "hours"]


@pytest.mark.parametrize(("steps", "fits"), [(10, True), (11, False)])
def test_three_tenths_less_depth_where_that_fits(steps: int, fits: bool) -> None:
    ways = [w for w in found(60.0, 7.0, wanted("a", steps)) if w.what == "depth"]
    assert [(w.by, w.fits) for w in ways] == ([(0.3, ("a",))] if fits else [])


def test_less_depth_is_no_way_out_where_all_fits_already() -> None:
    late = [WantedSet(k, "well", 60.0, 10, falls_mm_d=8.0) for k in "ab"]
    assert not [w for w in found(110.0, None, *late) if w.what == "depth"]


def test_somebody_at_night() -> None:
    there = np.zeros(25, dtype=bool)
    there[[0, 1]] = True
    [way] = [w for w in found(60.0, None, WantedSet("a", "well", 60.0, 4, attended=there)) if w.what == "people"]
    assert way.fits == ("a",)


def test_an_hour_more_where_that_is_enough_and_all_day_where_it_is_not() -> None:
    one, more = hours_of(60.0, 7.0, wanted("a", 8))
    assert (one.what, one.by, one.fits) == ("hours", 1.0, ("a",))
    assert (more.what, more.by, more.fits) == ("hours", 17.0, ("a",))
    [only] = hours_of(60.0, 7.0, wanted("a", 9))
    assert only.by == 17.0 and 0 < only.saves_share <= 1


@pytest.mark.parametrize(("flow", "fits"), [(54.6, True), (54.5, False)])
def test_a_tenth_more_flow(flow: float, fits: bool) -> None:
    ways = found(flow, None, wanted("a", 4))
    assert [(w.by, w.fits) for w in ways if w.what == "flow"] == ([(0.1, ("a",))] if fits else [])


def test_sets_that_all_fit_in_time_need_no_way_out() -> None:
    assert found(60.0, 20.0, wanted("a", 4, due=1.0)) == []


def test_less_stress_is_a_way_out_where_all_fit_but_late() -> None:
    late = [WantedSet(k, "well", 60.0, 10, falls_mm_d=8.0) for k in "ab"]
    [way] = [w for w in found(110.0, None, *late) if w.what == "flow"]
    assert way.fits == () and way.saves_mm_d >= 0.5
    assert found(120.0, None, *late) == []


def test_the_one_that_fits_most_comes_first() -> None:
    ways = found(60.0, 7.0, wanted("a", 8), wanted("b", 7))
    assert [len(w.fits) for w in ways] == sorted((len(w.fits) for w in ways), reverse=True)
