"""Simulated weeks: the plan made anew each morning, held against earliest-first and against each block when it asks."""

from dataclasses import dataclass, replace

import numpy as np

from embalse.core.planning.by_deadline import Loads, plan_by_deadline
from embalse.core.planning.solve import best_plan
from embalse.core.planning.water_side import Grid, Plan, SupplyLane, WantedSet, cost_of, may_start, summed

WEEKS, DAYS, BLOCKS, SUPPLIES = 20, 7, 18, 3
STEP_MIN, DAY = 60, 24
AHEAD_DAYS = 3
LIMIT_S = 6.0


@dataclass
class Week:
    """What a week came to: stress [weighted mm·days past the trigger], cost, and sets moved that were announced."""

    stress: float = 0.0
    cost: float = 0.0
    changes: int = 0


@dataclass
class Field:
    """Blocks as buckets: how far above their trigger they are [mm], what they use [mm/day], and their set."""

    above_mm: np.ndarray
    use_mm_d: np.ndarray
    weight: np.ndarray
    flow_m3_h: np.ndarray
    hours: np.ndarray
    net_mm: np.ndarray
    supply: np.ndarray


def field(seed: int) -> Field:
    """Blocks that together ask for about what their supplies give."""
    random = np.random.default_rng(seed)
    use, hours = random.uniform(3, 8, BLOCKS), random.integers(5, 15, BLOCKS)
    net = use * random.uniform(3, 6, BLOCKS)
    above, weight = random.uniform(-5, 25, BLOCKS), random.choice([0.4, 0.8, 1.1], BLOCKS)
    flow, supply = random.choice([40.0, 60.0, 80.0], BLOCKS), random.integers(0, SUPPLIES, BLOCKS)
    return Field(above, use, weight, flow, hours, net, supply)


def lanes(first_hour: int, steps: int) -> dict[str, SupplyLane]:
    """Three supplies, dear by day."""
    clock = (first_hour + np.arange(steps)) % DAY
    price = np.where((clock >= 8) & (clock < 22), 0.11, 0.06)
    return {str(n): SupplyLane(str(n), np.full(steps, 130.0), price, 20.0 if n else None) for n in range(SUPPLIES)}


def wanted_of(here: Field, announced: dict[str, int], busy: dict[int, int]) -> list[WantedSet]:
    """What each block asks for within the days ahead; one that is being watered asks for nothing."""
    found = []
    for n in range(BLOCKS):
        due = here.above_mm[n] / here.use_mm_d[n]
        if due < AHEAD_DAYS - 0.5 and n not in busy:
            found.append(WantedSet(f"b{n}", str(here.supply[n]), float(here.flow_m3_h[n]), int(here.hours[n]), 0,
                                   float(due), float(here.use_mm_d[n]), float(here.weight[n]),
                                   announced.get(f"b{n}")))  # fmt: skip
    return found


def when_it_asks(grid: Grid, lane: dict[str, SupplyLane], sets: list[WantedSet]) -> Plan:
    """Each block by itself: from its trigger on, as soon as its supply is free, whoever came first."""
    loads = Loads(grid, lane)
    starts: dict[str, int | None] = dict.fromkeys(w.key for w in sets)
    for one in sorted(sets, key=lambda w: w.key):
        asks = max(0, round(one.due_days * DAY))
        for start in may_start(replace(one, earliest=asks), lane[one.supply], grid).tolist():
            if loads.fits(one, start):
                loads.lay(one, start)
                starts[one.key] = start
                break
    return summed(grid, lane, sets, starts)


def week(seed: int, how: str) -> Week:
    """A week of mornings at six: the plan is made, its first day runs, the blocks go down, and it is made again."""
    here, found = field(seed), Week()
    announced: dict[str, int] = {}
    busy: dict[int, int] = {}
    for _ in range(DAYS):
        grid, lane = Grid(STEP_MIN, AHEAD_DAYS * DAY, 6), lanes(6, AHEAD_DAYS * DAY)
        for n, left in busy.items():
            flow = lane[str(here.supply[n])].flow_m3_h.copy()
            flow[:left] -= here.flow_m3_h[n]
            lane[str(here.supply[n])] = replace(lane[str(here.supply[n])], flow_m3_h=np.maximum(flow, 0))
        sets = wanted_of(here, announced, busy)
        make = {
            "best": lambda g, ln, s: best_plan(g, ln, s, LIMIT_S),
            "deadline": plan_by_deadline,
            "asks": when_it_asks,
        }
        plan = make[how](grid, lane, sets)
        found.changes += sum(w.before is not None and plan.start_of(w.key) != w.before for w in sets)
        rises = {n: left for n, left in busy.items()}
        for one in sets:
            start = plan.start_of(one.key)
            if start is not None and start < DAY:
                rises[int(one.key[1:])] = start + one.steps
                found.cost += cost_of(one, lane[one.supply], grid, start)
        for hour in range(DAY):
            for n in range(BLOCKS):
                here.above_mm[n] -= here.use_mm_d[n] / DAY
                if rises.get(n) == hour + 1:
                    here.above_mm[n] += here.net_mm[n]
                found.stress += here.weight[n] * max(0.0, -here.above_mm[n]) / DAY
        busy = {n: left - DAY for n, left in rises.items() if left > DAY}
        later = {w.key: s - DAY for w in sets if (s := plan.start_of(w.key)) is not None and s >= DAY}
        announced = later
    return found


def main() -> None:
    """Print what twenty weeks came to under each way of planning."""
    for how in ("best", "deadline", "asks"):
        weeks = [week(seed, how) for seed in range(WEEKS)]
        stress, cost = (float(np.mean([getattr(w, name) for w in weeks])) for name in ("stress", "cost"))
        changes = sum(w.changes for w in weeks)
        print(
            f"{how:<9} stress {stress:7.1f} mm·days a week, cost {cost:6.0f}, {changes / WEEKS:.1f} changes", flush=True
        )


if __name__ == "__main__":
    main()
