"""How long a plan takes: farms of 9, 60 and 200 blocks, held against the one that only follows the deadlines."""

import resource
from time import perf_counter

import numpy as np

from embalse.core.planning.by_deadline import plan_by_deadline
from embalse.core.planning.solve import best_plan
from embalse.core.planning.water_side import Grid, Plan, SupplyLane, WantedSet

STEP_MIN = 30
FARMS = ((9, 3, 3, 20.0), (60, 6, 7, 20.0), (200, 12, 7, 60.0))  # blocks, supplies, days, seconds


def farm(blocks: int, supplies: int, days: int, seed: int = 1) -> tuple[Grid, dict[str, SupplyLane], list[WantedSet]]:
    """Supplies with night tariffs, half of them for 20 hours a day, and a set a block within six days."""
    random, steps = np.random.default_rng(seed), days * 48
    clock = (12 + np.arange(steps)) % 48
    price = np.where(clock < 16, 0.06, 0.11)
    flow = np.full(steps, 60.0 * 0.35 * blocks / supplies + 80)
    lanes = {f"s{n}": SupplyLane(f"s{n}", flow, price, 20.0 if n % 2 else None) for n in range(supplies)}
    wanted = [
        WantedSet(
            f"b{n}", f"s{n % supplies}", float(random.choice([40, 60, 80, 120])), int(random.integers(4, 24)), 0,
            float(random.uniform(-0.3, 6)), float(random.uniform(3, 8)), float(random.choice([0.4, 0.8, 1.1])),
        )
        for n in range(blocks)
    ]  # fmt: skip
    return Grid(STEP_MIN, steps, 12), lanes, wanted


def main() -> None:
    """Print seconds, stress, cost and sets left out of both plans, and the memory of the process."""
    for blocks, supplies, days, limit_s in FARMS:
        grid, lanes, wanted = farm(blocks, supplies, days)
        begun = perf_counter()
        quick = plan_by_deadline(grid, lanes, wanted)
        mid = perf_counter()
        best = best_plan(grid, lanes, wanted, limit_s)
        end = perf_counter()
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        solved = "a supply by deadlines alone" if best.quick else "all solved"
        print(f"{blocks} blocks, {supplies} supplies, {days} days: {end - mid:.1f} s, {memory:.0f} MB", flush=True)
        print(f"  {_sums(best)}, gap {best.gap:.3f}, {solved}", flush=True)
        print(f"  by deadline in {mid - begun:.2f} s: {_sums(quick)}", flush=True)


def _sums(plan: Plan) -> str:
    left = sum(p.start is None for p in plan.placed)
    return f"stress {plan.stress_mm_d:.1f} mm·days, cost {plan.cost:.0f}, {left} left out"
