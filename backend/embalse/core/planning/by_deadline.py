"""A plan at once: the earliest deadline first, each set at its first free place."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.planning.water_side import Floats, Grid, Plan, SupplyLane, WantedSet, may_start, summed


class Loads:
    """What has been laid on supplies so far: flow by step, and the steps they run a day."""

    def __init__(self, grid: Grid, lanes: dict[str, SupplyLane]) -> None:
        self.grid, self.lanes = grid, lanes
        self.flow_m3_h: dict[str, Floats] = {key: np.zeros(grid.steps) for key in lanes}
        self._day: NDArray[np.int64] = grid.day_of()
        self._busy: dict[str, NDArray[np.bool_]] = {}
        self._laid_m3 = dict.fromkeys(lanes, 0.0)

    def fits(self, one: WantedSet, start: int) -> bool:
        """Whether a set can be laid from a step on: flow and hours of its supply hold."""
        if one.block in self._busy and self._busy[one.block][start : start + one.steps].any():
            return False
        lane, load = self.lanes[one.supply], self.flow_m3_h[one.supply].copy()
        if lane.volume_m3 is not None and self._laid_m3[lane.key] + self._water_m3(one) > lane.volume_m3 + 1e-6:
            return False
        load[start : start + one.steps] += one.flow_m3_h
        return bool(np.all(load <= lane.flow_m3_h + 1e-9)) and self._runs(lane, load)

    def busy(self, block: str) -> NDArray[np.bool_]:
        """Steps at which a set of a block runs already, shape (steps,)."""
        return self._busy.get(block, np.zeros(self.grid.steps, dtype=bool))

    def with_lane(self, lane: SupplyLane) -> "Loads":
        """The same sets laid, on a supply that gives otherwise."""
        found = Loads(self.grid, {**self.lanes, lane.key: lane})
        found.flow_m3_h = {key: flow.copy() for key, flow in self.flow_m3_h.items()}
        found._busy, found._laid_m3 = dict(self._busy), dict(self._laid_m3)
        return found

    def _runs(self, lane: SupplyLane, load: Floats) -> bool:
        """Whether what is laid keeps to the hours that are left beside what runs anyway, even if that is too long."""
        anyway = lane.runs_anyway()
        more = (load > 0) & ~anyway
        for budget in lane.budgets:
            span = slice(budget.first, budget.end)
            left = max(0.0, budget.hours - self.grid.hours(int(anyway[span].sum())))
            if self.grid.hours(int(more[span].sum())) > left + 1e-9:
                return False
        if lane.hours_a_day is None:
            return True
        new, old = (np.bincount(self._day, weights=steps) * self.grid.step_min / 60 for steps in (more, anyway))
        return bool(np.all(new <= np.maximum(lane.hours_a_day - old, 0.0) + 1e-9))

    def too_little(self) -> dict[str, NDArray[np.bool_]]:
        """Steps at which a supply runs, by what is laid alone, below the least it can, by its key."""
        return {
            key: (self.flow_m3_h[key] > 0) & (self.flow_m3_h[key] < lane.least_m3_h - 1e-9) & ~lane.runs_anyway()
            for key, lane in self.lanes.items()
            if lane.least_m3_h > 0
        }

    def _water_m3(self, one: WantedSet) -> float:
        return one.flow_m3_h * self.grid.hours(one.steps)

    def lay(self, one: WantedSet, start: int) -> None:
        """Lay a set from a step on."""
        self.flow_m3_h[one.supply][start : start + one.steps] += one.flow_m3_h
        self._laid_m3[one.supply] += self._water_m3(one)
        if one.block:
            busy = self._busy.setdefault(one.block, np.zeros(self.grid.steps, dtype=bool))
            busy[start : start + one.steps] = True


def plan_by_deadline(grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet]) -> Plan:
    """The quick plan: whoever is due first is laid first, where there is room first.

    Parameters
    ----------
    grid : Grid
    lanes : dict of str to SupplyLane
    wanted : list of WantedSet

    Returns
    -------
    Plan
        With ``quick`` set; what finds no place has no start.
    """
    loads, starts = Loads(grid, lanes), dict.fromkeys(w.key for w in wanted)
    found: dict[str, int | None] = dict(starts)
    for one in sorted(wanted, key=lambda w: (w.due_days, w.key)):
        for start in may_start(one, lanes[one.supply], grid).tolist():
            if loads.fits(one, start):
                loads.lay(one, start)
                found[one.key] = start
                break
    _leave_out_what_runs_too_low(loads, wanted, found)
    return replace(summed(grid, lanes, wanted, found), quick=True)


def _leave_out_what_runs_too_low(loads: Loads, wanted: list[WantedSet], found: dict[str, int | None]) -> None:
    """Sets that leave their pump below its least flow find no place; their going may leave others so."""
    while True:
        low = loads.too_little()
        bad = [w for w in wanted if (s := found[w.key]) is not None and w.supply in low
               and low[w.supply][s : s + w.steps].any()]  # fmt: skip
        if not bad:
            return
        worst = max(bad, key=lambda w: (w.due_days, w.key))
        start = found[worst.key]
        assert start is not None
        loads.flow_m3_h[worst.supply][start : start + worst.steps] -= worst.flow_m3_h
        found[worst.key] = None
