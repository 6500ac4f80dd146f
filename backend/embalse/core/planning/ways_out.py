"""What does not fit, and what each limit of its supply loosened would do, found by planning again."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from time import monotonic
from typing import Final, Literal

from embalse.core.planning.solve import best_plan
from embalse.core.planning.water_side import Grid, Plan, SupplyLane, WantedSet, cost_of

DAY_H: Final = 24.0
LESS_DEPTH: Final = 0.3  # of the depth of what does not fit, or comes late, that is tried to be left out [share] (ours)
Loosened = Literal["hours", "flow", "people", "depth"]
MORE_HOURS_H: Final = 1.0  # hours a day more that are tried first (ours)
MORE_FLOW: Final = 0.1  # of a supply's flow more that is tried [share] (ours)
WORTH_MM_D: Final = 0.5  # weighted mm·days a way out must save to be told where all fits already (ours)


@dataclass(frozen=True)
class WayOut:
    """A limit of a supply loosened, and the sets that fit then.

    More hours a day, a share of its flow more, people at any hour, or less depth of what is late or does not fit: that
    is told only where something fits by it, for the crop is due again sooner.

    ``saves_mm_d`` is the stress it saves [weighted mm·days], ``saves_share`` its share of the supply's sets' [-];
    ``costs`` what the water costs more [currency].
    """

    supply: str
    what: Loosened
    by: float
    saves_mm_d: float
    saves_share: float
    fits: tuple[str, ...]
    costs: float = 0.0


def ways_out(
    grid: Grid, lanes: dict[str, SupplyLane], wanted: list[WantedSet], plan: Plan, limit_s: float = 5.0
) -> list[WayOut]:
    """For every supply whose sets do not all fit, or come late, what one limit more or less would do.

    Parameters
    ----------
    grid : Grid
    lanes : dict of str to SupplyLane
    wanted : list of WantedSet
    plan : Plan
        As it stands.
    limit_s : float
        Seconds all new plans may take together; what is not tried by then is not told.

    Returns
    -------
    list of WayOut
        Those that help, the most helpful first.
    """
    stress = {p.key: p.stress_mm_d for p in plan.placed}
    found, until = [], monotonic() + limit_s
    for lane in lanes.values():
        mine = [w for w in wanted if w.supply == lane.key]
        before = sum(stress[w.key] for w in mine)
        missing = {w.key for w in mine if plan.start_of(w.key) is None}
        if not before:
            continue
        cost = sum(cost_of(w, lane, grid, s) for w in mine if (s := plan.start_of(w.key)) is not None)
        troubled = {w.key for w in mine if stress[w.key] > 0}
        for what, by, loosened, sets in _loosened(lane, mine, troubled):
            left = until - monotonic()
            if left <= 0:
                break
            then = best_plan(grid, {lane.key: loosened}, sets, left)
            fits = tuple(k for k in sorted(missing) if then.start_of(k) is not None)
            saves = before - then.stress_mm_d
            if saves > 0 and (fits or (saves >= WORTH_MM_D and what != "depth")):
                found.append(WayOut(lane.key, what, by, saves, saves / before, fits, then.cost - cost))
    return sorted(found, key=lambda w: (-len(w.fits), -w.saves_mm_d))


def _loosened(
    lane: SupplyLane, wanted: list[WantedSet], troubled: set[str]
) -> Iterator[tuple[Loosened, float, SupplyLane, list[WantedSet]]]:
    if any(w.attended is not None for w in wanted):
        yield "people", 0.0, lane, [replace(w, attended=None) for w in wanted]
    if lane.hours_a_day is not None and lane.hours_a_day < DAY_H:
        for more in sorted({min(MORE_HOURS_H, DAY_H - lane.hours_a_day), DAY_H - lane.hours_a_day}):
            yield "hours", more, replace(lane, hours_a_day=lane.hours_a_day + more), wanted
    yield "flow", MORE_FLOW, replace(lane, flow_m3_h=lane.flow_m3_h * (1 + MORE_FLOW)), wanted
    less = [replace(w, steps=math.ceil((1 - LESS_DEPTH) * w.steps)) if w.key in troubled else w for w in wanted]
    if less != wanted:
        yield "depth", LESS_DEPTH, lane, less
