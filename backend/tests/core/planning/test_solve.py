"""The plan against exhaustive search, the order of its aims, and what is refused."""

from itertools import product

import numpy as np
import pytest

from embalse.core.errors import CoreError
from embalse.core.planning.by_deadline import Loads, plan_by_deadline
from embalse.core.planning.solve import best_plan
from embalse.core.planning.water_side import (
    Grid,
    HourBudget,
    SupplyLane,
    WantedSet,
    cost_of,
    may_start,
    stress_mm_d,
    summed,
)

GRID = Grid(60, 24)


def lane(key: str = "well", flow: float = 100.0, hours: float | None = None, price: float = 0.0) -> SupplyLane:
    return SupplyLane(key, np.full(24, flow), np.full(24, price), hours)


def wanted(key: str, steps: int = 4, flow: float = 60.0, due: float = 0.0, **more: object) -> WantedSet:
    return WantedSet(key, "well", flow, steps, due_days=due, **more)  # type: ignore[arg-type]


def exhaustive(grid: Grid, lanes: dict[str, SupplyLane], sets: list[WantedSet]) -> tuple[float, int, float, int]:
    """The least stress, of those fewest left out, of those the least cost, of those the fewest changes, by trying every place of every set."""
    best = None
    for starts in product(*[[None, *may_start(w, lanes[w.supply], grid).tolist()] for w in sets]):
        loads = Loads(grid, lanes)
        fits = True
        for one, start in zip(sets, starts, strict=True):
            if start is not None:
                fits = loads.fits(one, start)
                if not fits:
                    break
                loads.lay(one, start)
        if not fits or any(low.any() for low in loads.too_little().values()):
            continue
        plan = summed(grid, lanes, sets, {w.key: s for w, s in zip(sets, starts, strict=True)})
        out = sum(p.start is None for p in plan.placed)
        key = (round(plan.stress_mm_d, 6), out, round(plan.cost, 6), plan.changes)
        best = key if best is None else min(best, key)
    assert best is not None
    return best


@pytest.mark.parametrize("seed", range(200))
def test_it_is_as_good_as_trying_everything(seed: int) -> None:
    random = np.random.default_rng(seed)
    grid = Grid(120, 12)
    flow = np.where(random.random(12) < 0.85, random.choice([80.0, 120.0]), 0.0)
    hours = random.choice([None, 14.0, 20.0])
    lanes = {
        "well": SupplyLane(
            "well", flow, random.choice([0.05, 0.1], 12), hours,
            volume_m3=random.choice([None, 500.0, 900.0]) if seed % 2 else None,
            budgets=(HourBudget(0, 6, 6.0), HourBudget(6, 12, 10.0)) if seed % 3 == 0 else (),
            already=np.arange(12) < 3 if seed % 5 == 0 else None,
            least_m3_h=60.0 if seed % 7 == 0 else 0.0,
        ),
        "canal": SupplyLane("canal", np.full(12, 90.0), np.zeros(12)),
    }  # fmt: skip
    there = random.random(13) < 0.7 if seed % 4 == 0 else None
    sets = [
        WantedSet(
            f"b{n}", str(random.choice(["well", "canal"])), float(random.choice([40.0, 60.0, 80.0])),
            int(random.integers(1, 5)), int(random.integers(0, 3)), float(random.uniform(-0.5, 1.0)),
            float(random.uniform(2, 8)), float(random.choice([0.4, 1.0, 1.2])), [None, 2][int(random.integers(2))],
            attended=there if n == 0 else None,
        )
        for n in range(3)
    ]  # fmt: skip
    plan = best_plan(grid, lanes, sets)
    assert not plan.quick and plan.gap == 0.0
    found = (plan.stress_mm_d, sum(p.start is None for p in plan.placed), plan.cost, plan.changes)
    assert found == pytest.approx(exhaustive(grid, lanes, sets), abs=1e-3)
    loads = Loads(grid, lanes)
    for one in sets:
        start = plan.start_of(one.key)
        if start is not None:
            assert start in may_start(one, lanes[one.supply], grid) and loads.fits(one, start)
            loads.lay(one, start)


class TestTheOrderOfItsAims:
    def test_the_crop_that_minds_it_most_goes_first(self) -> None:
        sets = [wanted("a", weight=0.4), wanted("b", weight=1.2)]
        plan = best_plan(GRID, {"well": lane()}, sets)
        assert (plan.start_of("b"), plan.start_of("a")) == (0, 4)

    def test_without_stress_the_cheap_hours_are_taken(self) -> None:
        night = SupplyLane("well", np.full(24, 100.0), np.where(np.arange(24) >= 16, 0.05, 0.10))
        plan = best_plan(GRID, {"well": night}, [wanted("a", due=1.0)])
        assert plan.start_of("a") == 16 and plan.cost == pytest.approx(60 * 4 * 0.05)

    def test_stress_is_not_saved_money_on(self) -> None:
        night = SupplyLane("well", np.full(24, 100.0), np.where(np.arange(24) >= 16, 0.05, 0.10))
        assert best_plan(GRID, {"well": night}, [wanted("a", due=0.0)]).start_of("a") == 0

    def test_a_set_that_no_crop_minds_yet_is_not_left_out_to_save_money(self) -> None:
        dear = lane(price=0.2)
        assert best_plan(GRID, {"well": dear}, [wanted("a", due=9.0)]).start_of("a") is not None

    def test_what_is_approved_stays_where_nothing_speaks_against_it(self) -> None:
        plan = best_plan(GRID, {"well": lane()}, [wanted("a", due=2.0, before=7), wanted("b", due=2.0)])
        assert plan.start_of("a") == 7 and plan.changes == 0

    def test_else_it_is_done_first(self) -> None:
        assert best_plan(GRID, {"well": lane()}, [wanted("a", due=2.0)]).start_of("a") == 0


class TestLimits:
    @pytest.mark.parametrize(("flow", "starts"), [(120.0, [0, 0]), (119.0, [0, 4])])
    def test_flow(self, flow: float, starts: list[int]) -> None:
        plan = best_plan(GRID, {"well": lane(flow=flow)}, [wanted("a"), wanted("b")])
        assert sorted(p.start or 0 for p in plan.placed) == starts

    @pytest.mark.parametrize(("hours", "given"), [(8.0, 2), (7.0, 1)])
    def test_hours_a_day(self, hours: float, given: int) -> None:
        plan = best_plan(GRID, {"well": lane(hours=hours)}, [wanted("a"), wanted("b")])
        assert sum(p.start is not None for p in plan.placed) == given

    def test_hours_of_two_days_are_counted_apart(self) -> None:
        grid = Grid(60, 24, first_of_day=18)
        plan = best_plan(grid, {"well": lane(hours=4.0)}, [wanted("a"), wanted("b")])
        starts = sorted(p.start or 0 for p in plan.placed)
        assert starts[0] + 4 <= 6 <= starts[1]

    def test_a_set_longer_than_the_plan_or_its_turn_does_not_fit(self) -> None:
        turn = SupplyLane("well", np.where(np.arange(24) < 3, 100.0, 0.0), np.zeros(24))
        plan = best_plan(GRID, {"well": turn}, [wanted("a", steps=4), wanted("b", steps=3)])
        assert plan.start_of("a") is None and plan.start_of("b") == 0
        assert plan.placed[0].stress_mm_d == stress_mm_d(wanted("a"), GRID, None) > 0
        assert best_plan(GRID, {"well": lane()}, [wanted("a", steps=25)]).start_of("a") is None

    def test_keep_dry_periods_and_waiting(self) -> None:
        allowed = np.ones(24, dtype=bool)
        allowed[3:9] = False
        assert may_start(wanted("a", allowed=allowed), lane(), GRID).tolist() == list(range(9, 21))
        assert may_start(wanted("a", steps=3, allowed=allowed), lane(), GRID).tolist()[0] == 0
        assert may_start(wanted("a", earliest=5), lane(), GRID).tolist()[0] == 5

    @pytest.mark.parametrize(("block", "starts"), [("b", [0, 4]), ("", [0, 0])])
    def test_parts_of_one_block_do_not_run_side_by_side(self, block: str, starts: list[int]) -> None:
        parts = [wanted(k, flow=10.0, block=block) for k in ("1/2", "2/2")]
        for plan in (best_plan(GRID, {"well": lane()}, parts), plan_by_deadline(GRID, {"well": lane()}, parts)):
            assert sorted(p.start or 0 for p in plan.placed) == starts

    def test_a_supply_without_a_limit_takes_all_at_once(self) -> None:
        free = SupplyLane("well", np.full(24, np.inf), np.zeros(24))
        plan = best_plan(GRID, {"well": free}, [wanted(k) for k in "abc"])
        assert [p.start for p in plan.placed] == [0, 0, 0]


def test_stress_is_the_triangle_under_the_line_past_the_trigger() -> None:
    one = wanted("a", steps=6, due=0.25, falls_mm_d=8.0, weight=0.5)
    assert stress_mm_d(one, GRID, 9) == pytest.approx(0.5 * 8 * 0.25**2 / 2)
    assert stress_mm_d(one, GRID, 3) == 0.0
    assert stress_mm_d(one, GRID, None) == pytest.approx(0.5 * 8 * 1.75**2 / 2)


def test_cost_is_volume_by_price() -> None:
    dear = SupplyLane("well", np.full(24, 100.0), np.where(np.arange(24) < 2, 0.2, 0.1))
    assert cost_of(wanted("a"), dear, GRID, 0) == pytest.approx(60 * (2 * 0.2 + 2 * 0.1))


def test_the_quick_plan_goes_by_deadline_and_is_told_from_the_best() -> None:
    sets = [wanted("late", due=3.0), wanted("soon", due=1.0)]
    quick = plan_by_deadline(GRID, {"well": lane()}, sets)
    assert quick.quick and (quick.start_of("soon"), quick.start_of("late")) == (0, 4)


def test_no_time_gives_a_plan_that_holds_its_limits() -> None:
    sets = [wanted(f"b{n}", due=n / 10) for n in range(6)]
    plan = best_plan(GRID, {"well": lane()}, sets, limit_s=0.0)
    loads = Loads(GRID, {"well": lane()})
    for one in sets:
        start = plan.start_of(one.key)
        assert start is not None and loads.fits(one, start)
        loads.lay(one, start)


def test_nothing_wanted_is_a_plan() -> None:
    assert best_plan(GRID, {"well": lane()}, []).placed == ()


@pytest.mark.parametrize(
    ("sets", "lanes", "why"),
    [
        ([wanted("a"), wanted("a")], {"well": lane()}, "same key"),
        ([wanted("a")], {}, "no supply"),
        ([wanted("a", steps=0)], {"well": lane()}, "shorter than a step"),
        ([wanted("a", flow=0.0)], {"well": lane()}, "no water"),
        ([], {"well": SupplyLane("well", np.ones(3), np.ones(24))}, "every step"),
        ([], {"well": lane(flow=-1.0)}, "less than nothing"),
    ],
)
def test_what_no_plan_can_be_made_of_is_refused(sets: list[WantedSet], lanes: dict[str, SupplyLane], why: str) -> None:
    with pytest.raises(CoreError, match=why):
        best_plan(GRID, lanes, sets)


@pytest.mark.parametrize(("step", "fine"), [(30, True), (35, False), (0, False)])
def test_steps_divide_the_day(step: int, fine: bool) -> None:
    one = SupplyLane("well", np.full(24, 100.0), np.zeros(24))
    if fine:
        assert best_plan(Grid(step, 24), {"well": one}, [wanted("a")]).start_of("a") == 0
    else:
        with pytest.raises(CoreError, match="divide the day"):
            best_plan(Grid(step, 24), {"well": one}, [wanted("a")])


def test_sets_that_leave_a_pump_below_its_least_flow_find_no_place_by_deadlines_and_run_together_at_best() -> None:
    pump = SupplyLane("well", np.full(24, 100.0), np.zeros(24), least_m3_h=70.0)
    alone = plan_by_deadline(GRID, {"well": pump}, [wanted("a")])
    assert alone.start_of("a") is None
    pair = [wanted("a", flow=40.0), wanted("b", flow=40.0, earliest=3)]
    assert [p.start for p in plan_by_deadline(GRID, {"well": pump}, pair).placed] == [None, None]
    together = best_plan(GRID, {"well": pump}, pair)
    assert [p.start for p in together.placed] == [3, 3]
