"""A plan moved by hand: what each set's place breaks, by name."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from embalse.core.planning.by_deadline import Loads
from embalse.core.planning.water_side import Grid, SupplyLane, WantedSet, may_start
from embalse.core.wording import Notice


@dataclass(frozen=True)
class Broken:
    """A set and what its place breaks."""

    key: str
    notice: Notice


def broken(
    grid: Grid, lanes: Mapping[str, SupplyLane], wanted: Sequence[WantedSet], starts: Mapping[str, int]
) -> list[Broken]:
    """What sets at given steps break: each set for itself, then with the others of its supply and block.

    Parameters
    ----------
    grid : Grid
    lanes : mapping of str to SupplyLane
    wanted : sequence of WantedSet
        All sets that are to run; those without a start are passed over.
    starts : mapping of str to int
        The step each starts at.

    Returns
    -------
    list of Broken
        In the order the sets start; several of one set where several things speak against its place.
    """
    laid = sorted((w for w in wanted if w.key in starts), key=lambda w: (starts[w.key], w.key))
    found = [Broken(w.key, n) for w in laid for n in _alone(grid, lanes[w.supply], w, starts[w.key])]
    alone = {b.key for b in found if b.notice.code in ("breaks.outside", "breaks.flow_alone", "breaks.closed")}
    loads = Loads(grid, dict(lanes))
    for one in laid:
        if one.key in alone:
            continue
        found += [Broken(one.key, n) for n in _together(loads, lanes, one, starts[one.key])]
        loads.lay(one, starts[one.key])
    low = loads.too_little()
    for one in laid:
        steps = slice(starts[one.key], starts[one.key] + one.steps)
        if one.key not in alone and one.supply in low and low[one.supply][steps].any():
            values = {"supply": one.supply, "least_m3_h": lanes[one.supply].least_m3_h}
            found.append(Broken(one.key, Notice("breaks.least", **values)))
    return found


def _alone(grid: Grid, lane: SupplyLane, one: WantedSet, start: int) -> list[Notice]:
    steps = slice(start, start + one.steps)
    if start < 0 or start + one.steps > grid.steps:
        return [Notice("breaks.outside")]
    found = []
    flow = lane.flow_m3_h[steps]
    if np.any(flow + 1e-9 < one.flow_m3_h):
        least = float(flow.min())
        code = "breaks.closed" if least <= 0 else "breaks.flow_alone"
        found.append(Notice(code, supply=lane.key, needs_m3_h=one.flow_m3_h, gives_m3_h=least))
    if start < one.earliest:
        found.append(Notice("breaks.wait", sooner_h=grid.hours(one.earliest - start)))
    if one.allowed is not None and not np.all(one.allowed[steps]):
        found.append(Notice("breaks.dry"))
    if one.attended is not None and start not in may_start(replace(one, earliest=0, allowed=None), _open(lane), grid):
        found.append(Notice("breaks.nobody"))
    return found


def _open(lane: SupplyLane) -> SupplyLane:
    """The supply as if it gave whatever is asked for."""
    return replace(lane, flow_m3_h=np.full(len(lane.flow_m3_h), np.inf))


def _together(loads: Loads, lanes: Mapping[str, SupplyLane], one: WantedSet, start: int) -> list[Notice]:
    if loads.fits(one, start):
        return []
    lane = lanes[one.supply]
    steps = slice(start, start + one.steps)
    found = []
    over = loads.flow_m3_h[one.supply][steps] + one.flow_m3_h - lane.flow_m3_h[steps]
    if np.any(over > 1e-9):
        found.append(Notice("breaks.flow", supply=lane.key, over_m3_h=float(over.max())))
    if not loads.fits(replace(one, block=""), start) and not found:
        found.append(Notice("breaks.hours" if lane.timed else "breaks.volume", supply=lane.key))
    return found or [Notice("breaks.side_by_side")]
