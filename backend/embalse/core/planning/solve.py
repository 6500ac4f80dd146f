"""The plan that stresses the crops least, then costs least, changes least of what is approved, and is done first."""

from dataclasses import dataclass, replace
from itertools import pairwise
from time import monotonic
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_array, vstack

from embalse.core.planning.by_deadline import plan_by_deadline
from embalse.core.planning.water_side import (
    Floats,
    Grid,
    Plan,
    SupplyLane,
    WantedSet,
    check_wanted,
    cost_of,
    may_start,
    stress_mm_d,
    summed,
)

LIMIT_S: Final = 20.0  # seconds a plan may take (ours: a person waits for it)
SAME_MM_D: Final = 1e-4  # weighted mm·days within which stress is the same: more than the solver is exact to
LEFT_SHARE: Final = 0.7  # of the time left that an aim may take (ours)
KEPT_SHARE: Final = 1e-6  # by which an aim settled before may be worse in the next one [share]
GAPS: Final = (1e-4, 1e-4, 1e-3, 1e-3, 1e-2)
"""Shares by which stress, sets left out, cost, changes and ends may lie above the least: less, nobody sees (ours)."""


@dataclass(frozen=True, eq=False)
class _Starts:
    """Which set (its place) starts at which step in each of the first columns, and how many columns there are."""

    which: NDArray[np.int64]
    starts: NDArray[np.int64]
    columns: int


@dataclass(frozen=True, eq=False)
class _Programme:
    """Columns: a start of a set each, then one a set that says it does not fit, then a step a supply that has hours."""

    of: _Starts
    rows: csr_array
    low: Floats
    high: Floats
    aims: tuple[Floats, ...]


def best_plan(grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet], limit_s: float = LIMIT_S) -> Plan:
    """Lay sets on supplies by mixed-integer programming, one aim after another.

    First the least stress of the crops, of such plans one that leaves fewest sets out, of those the cheapest, the one
    that moves fewest approved sets, and the one that is done first. A set that finds no place is left out, which counts
    as stress to a day after the end. Where the time is over, the best plan found, or the quick one, with the gap left.

    Parameters
    ----------
    grid : Grid
    lanes : dict of str to SupplyLane
        Supplies by key.
    wanted : list of WantedSet
        A set each; a block that wants several has several.
    limit_s : float
        Seconds it may take in all.

    Returns
    -------
    Plan

    Raises
    ------
    CoreError
        What :func:`~embalse.core.planning.water_side.check_wanted` refuses.

    References
    ----------
    .. [1] Time-indexed scheduling: Queyranne & Schulz (1994), Polyhedral approaches to machine scheduling, TU Berlin
       408 (from memory). Solver: HiGHS, Huangfu & Hall (2018), Math. Program. Comput. 10:119-142.
    """
    check_wanted(grid, lanes, wanted)
    starts: dict[str, int | None] = {}
    worst, hurried, until = 0.0, False, monotonic() + limit_s
    groups = [(lane, [w for w in wanted if w.supply == lane.key]) for lane in lanes.values()]
    groups = sorted((g for g in groups if g[1]), key=lambda g: len(g[1]))
    for number, (lane, mine) in enumerate(groups):
        left = max(0.0, until - monotonic()) / (len(groups) - number)
        plan = _of_one_supply(grid, lane, mine, left)
        starts |= {p.key: p.start for p in plan.placed}
        worst, hurried = max(worst, plan.gap), hurried or plan.quick
    return replace(summed(grid, lanes, wanted, starts, worst), quick=hurried)


def _of_one_supply(grid: Grid, lane: SupplyLane, wanted: list[WantedSet], limit_s: float) -> Plan:
    """Supplies share nothing, so each is planned by itself; the aims, being sums, stay the same."""
    lanes = {lane.key: lane}
    quick = plan_by_deadline(grid, lanes, wanted)
    most = quick.stress_mm_d + KEPT_SHARE * max(1.0, quick.stress_mm_d)
    made = _programme(grid, lanes, wanted, most)
    whole = np.ones(made.of.columns)
    until = monotonic() + limit_s
    rows, low, high = _kept((made.rows, made.low, made.high), made.aims[0], most)
    found: NDArray[np.float64] | None = None
    gap = 0.0
    for number, aim in enumerate(made.aims):
        left = until - monotonic()
        if (found is not None and left <= 0) or not np.ptp(aim) or (number == 0 and quick.stress_mm_d == 0):
            continue
        answer = milp(
            aim, integrality=whole, bounds=Bounds(0, 1), constraints=LinearConstraint(rows, low, high),
            options={"time_limit": max(0.1, LEFT_SHARE * left), "mip_rel_gap": GAPS[number]},
        )  # fmt: skip
        if answer.x is None:
            break
        found = np.round(answer.x)
        if number == 0:
            gap = 0.0 if answer.success else float(answer.mip_gap or 0.0)
        value = float(aim @ found)
        rows, low, high = _kept((rows, low, high), aim, value + KEPT_SHARE * max(1.0, abs(value)))
    if found is None:
        return quick
    chosen = np.flatnonzero(found[: len(made.of.which)] > 0.5)
    starts: dict[str, int | None] = dict.fromkeys(w.key for w in wanted)
    starts |= {wanted[int(made.of.which[n])].key: int(made.of.starts[n]) for n in chosen}
    plan = summed(grid, lanes, wanted, starts, gap)
    return plan if plan.stress_mm_d <= quick.stress_mm_d + SAME_MM_D else quick


def _kept(rows: tuple[csr_array, Floats, Floats], aim: Floats, most: float) -> tuple[csr_array, Floats, Floats]:
    """Rows with one more: an aim may be no worse than it was."""
    table, low, high = rows
    return csr_array(vstack([table, csr_array(aim[None, :])])), np.append(low, -np.inf), np.append(high, most)


def _programme(grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet], most_stress: float) -> _Programme:
    """Starts that alone stress more than a plan known already are left out."""
    places = [may_start(one, lanes[one.supply], grid) for one in wanted]
    places = [
        p[np.array([stress_mm_d(one, grid, s) for s in p.tolist()]) <= most_stress] if len(p) else p
        for one, p in zip(wanted, places, strict=True)
    ]
    which = np.concatenate([np.full(len(p), n, dtype=np.int64) for n, p in enumerate(places)])
    starts = np.concatenate(places).astype(np.int64)
    timed = [lane for lane in lanes.values() if lane.timed]
    first_step = {lane.key: len(which) + len(wanted) + n * grid.steps for n, lane in enumerate(timed)}
    columns = len(which) + len(wanted) + len(timed) * grid.steps
    of = _Starts(which, starts, columns)
    blocks = [_once(which, len(wanted), columns)]
    bounds = [(np.ones(len(wanted)), np.ones(len(wanted)))]
    for lane in lanes.values():
        rows, most = _capacity(grid, lane, wanted, of, first_step.get(lane.key))
        blocks.append(rows)
        bounds.append((np.full(len(most), -np.inf), most))
        if lane.least_m3_h > 0:
            blocks.append(_least(grid, lane, wanted, of, first_step[lane.key]))
            bounds.append((np.full(grid.steps, -1e-9), np.full(grid.steps, np.inf)))
        if lane.hours_a_day is not None:
            blocks.append(_hours(grid, lane, first_step[lane.key], columns))
            anyway = np.bincount(grid.day_of(), weights=lane.runs_anyway())
            left = np.maximum(lane.hours_a_day * 60 / grid.step_min - anyway, 0.0)
            bounds.append((np.full(len(left), -np.inf), left))
        if lane.budgets:
            blocks.append(_budgets(lane, first_step[lane.key], columns))
            anyway = np.array([lane.runs_anyway()[b.first : b.end].sum() for b in lane.budgets])
            left = np.maximum(np.array([b.hours * 60 / grid.step_min for b in lane.budgets]) - anyway, 0.0)
            bounds.append((np.full(len(left), -np.inf), left))
        if lane.volume_m3 is not None:
            blocks.append(_volume(grid, lane, wanted, of))
            bounds.append((np.array([-np.inf]), np.array([lane.volume_m3])))
    for block in sorted({w.block for w in wanted if w.block}):
        parts = [n for n, w in enumerate(wanted) if w.block == block]
        if len(parts) > 1 and _alike([wanted[n] for n in parts]):
            for one, next_one in pairwise(parts):
                blocks.append(_one_after_another(grid, wanted[one].steps, of, (one, next_one)))
                bounds.append((np.full(grid.steps, -np.inf), np.zeros(grid.steps)))
        elif len(parts) > 1:
            blocks.append(_running(grid, wanted, of, parts))
            bounds.append((np.full(grid.steps, -np.inf), np.ones(grid.steps)))
    low, high = (np.concatenate([b[side] for b in bounds]) for side in (0, 1))
    aims = _aims(grid, lanes, wanted, of)
    return _Programme(of, csr_array(vstack(blocks)), low, high, aims)


def _once(which: NDArray[np.int64], sets: int, columns: int) -> csr_array:
    """Every set starts once or does not fit."""
    at = np.concatenate([np.arange(len(which)), len(which) + np.arange(sets)])
    rows = np.concatenate([which, np.arange(sets)])
    return csr_array((np.ones(len(at)), (rows, at)), shape=(sets, columns))


def _capacity(
    grid: Grid, lane: SupplyLane, wanted: list[WantedSet], of: _Starts, first_step: int | None
) -> tuple[csr_array, Floats]:
    """What runs at a step draws no more than the supply gives, and the supply runs where something does."""
    most = np.where(np.isfinite(lane.flow_m3_h), lane.flow_m3_h, sum(w.flow_m3_h for w in wanted))
    table = csr_array((grid.steps, of.columns))
    for n, one in enumerate(wanted):
        if one.supply == lane.key:
            table = table + one.flow_m3_h * _running(grid, wanted, of, [n])
    if first_step is not None:
        places = (np.arange(grid.steps), first_step + np.arange(grid.steps))
        table = table - csr_array((most, places), shape=table.shape)
    return table, (np.zeros(grid.steps) if first_step is not None else most) + 1e-9


def _least(grid: Grid, lane: SupplyLane, wanted: list[WantedSet], of: _Starts, first_step: int) -> csr_array:
    """Flow laid at a step less the least of a pump that runs; nothing is asked where it runs anyway."""
    table = csr_array((grid.steps, of.columns))
    for n, one in enumerate(wanted):
        if one.supply == lane.key:
            table = table + one.flow_m3_h * _running(grid, wanted, of, [n])
    least = np.where(lane.runs_anyway(), 0.0, lane.least_m3_h)
    places = (np.arange(grid.steps), first_step + np.arange(grid.steps))
    return csr_array(table - csr_array((least, places), shape=table.shape))


def _running(grid: Grid, wanted: list[WantedSet], of: _Starts, sets: list[int]) -> csr_array:
    """How many of some sets run, by step."""
    rows, at = [], []
    for n in sets:
        own = np.flatnonzero(of.which == n)
        rows.append((of.starts[own][:, None] + np.arange(wanted[n].steps)).ravel())
        at.append(np.repeat(own, wanted[n].steps))
    places = (np.concatenate(rows), np.concatenate(at))
    return csr_array((np.ones(len(places[0])), places), shape=(grid.steps, of.columns))


def _alike(parts: list[WantedSet]) -> bool:
    """Whether parts of a block may change places: then their order is given, for else each plan counts many times."""
    return len({(p.steps, p.flow_m3_h, p.earliest, p.due_days, p.weight, p.before) for p in parts}) == 1


def _one_after_another(grid: Grid, steps: int, of: _Starts, pair: tuple[int, int]) -> csr_array:
    """By each step: the later of two parts has started no more often than the earlier one is over."""
    earlier, later = (np.flatnonzero(of.which == n) for n in pair)
    rows, at, values = [], [], []
    for column in later.tolist():
        span = np.arange(int(of.starts[column]), grid.steps)
        rows.append(span)
        at.append(np.full(len(span), column))
        values.append(np.ones(len(span)))
    for column in earlier.tolist():
        span = np.arange(int(of.starts[column]) + steps, grid.steps)
        rows.append(span)
        at.append(np.full(len(span), column))
        values.append(-np.ones(len(span)))
    if not rows:
        return csr_array((grid.steps, of.columns))
    places = (np.concatenate(rows), np.concatenate(at))
    return csr_array((np.concatenate(values), places), shape=(grid.steps, of.columns))


def _hours(grid: Grid, lane: SupplyLane, first_step: int, columns: int) -> csr_array:
    """Steps a supply runs, by day, other than those it runs anyway."""
    day = grid.day_of()
    counts = (~lane.runs_anyway()).astype(float)
    return csr_array((counts, (day, first_step + np.arange(grid.steps))), shape=(int(day[-1]) + 1, columns))


def _budgets(lane: SupplyLane, first_step: int, columns: int) -> csr_array:
    """Steps a supply runs within each of its spans."""
    spans = [np.arange(b.first, b.end) for b in lane.budgets]
    rows = np.concatenate([np.full(len(s), n) for n, s in enumerate(spans)])
    at = first_step + np.concatenate(spans)
    counts = (~lane.runs_anyway()).astype(float)[at - first_step]
    return csr_array((counts, (rows, at)), shape=(len(spans), columns))


def _volume(grid: Grid, lane: SupplyLane, wanted: list[WantedSet], of: _Starts) -> csr_array:
    """Water of all sets of a supply [m³]."""
    water = np.array([w.flow_m3_h * grid.hours(w.steps) if w.supply == lane.key else 0.0 for w in wanted])
    values = np.zeros(of.columns)
    values[: len(of.which)] = water[of.which]
    return csr_array(values[None, :])


def _aims(grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet], of: _Starts) -> tuple[Floats, ...]:
    """Stress, sets left out, cost, changes of what is approved, and steps until all is done; one row each."""
    stress, out, cost, changes, late = (np.zeros(of.columns) for _ in range(5))
    for at, (n, start) in enumerate(zip(of.which.tolist(), of.starts.tolist(), strict=True)):
        one = wanted[n]
        stress[at] = stress_mm_d(one, grid, start)
        cost[at] = cost_of(one, lanes[one.supply], grid, start)
        changes[at] = one.before is not None and one.before != start
        late[at] = start + one.steps
    for n, one in enumerate(wanted):
        at = len(of.which) + n
        stress[at] = stress_mm_d(one, grid, None)
        out[at] = 1
        changes[at] = one.before is not None
        late[at] = grid.steps
    return stress, out, cost, changes, late
