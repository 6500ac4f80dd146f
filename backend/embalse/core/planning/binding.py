"""Which limit keeps a set from a place, beside what is laid already."""

from dataclasses import replace
from typing import Final, Literal, get_args

import numpy as np

from embalse.core.planning.by_deadline import Loads
from embalse.core.planning.water_side import SupplyLane, WantedSet, may_start

Limit = Literal["people", "hours", "season", "days", "flow"]
LIMITS: Final[tuple[Limit, ...]] = get_args(Limit)


def what_binds(loads: Loads, one: WantedSet) -> Limit:
    """The first limit that, loosened alone, would leave a set a place; flow where none does.

    Parameters
    ----------
    loads : Loads
        With everything laid that has a place.
    one : WantedSet
        A set that has none.

    Returns
    -------
    Limit
        People's hours, the supply's hours a day or a week, its water for the season, days on which the block may have
        water, or its flow, which other sets take.
    """
    lane = loads.lanes[one.supply]
    loosened: dict[Limit, tuple[SupplyLane, WantedSet]] = {
        "people": (lane, replace(one, attended=None)),
        "hours": (replace(lane, hours_a_day=None, budgets=()), one),
        "season": (replace(lane, volume_m3=None), one),
        "days": (lane, replace(one, allowed=None, earliest=0)),
    }
    for limit, (other, wanted) in loosened.items():
        changed = loads.with_lane(other)
        if any(changed.fits(wanted, start) for start in may_start(wanted, other, loads.grid).tolist()):
            return limit
    return "flow"


def longest_free_h(loads: Loads, one: WantedSet) -> float:
    """The longest stretch at which a supply has a set's flow free, from its earliest start on [h].

    While another part of its block runs, it is not free for it.
    """
    lane = loads.lanes[one.supply]
    free = lane.flow_m3_h - loads.flow_m3_h[one.supply] >= one.flow_m3_h - 1e-9
    free = free & ~loads.busy(one.block)
    free[: one.earliest] = False
    edges = np.flatnonzero(np.diff(np.concatenate([[False], free, [False]]).astype(int)))
    stretches = edges[1::2] - edges[::2]
    return loads.grid.hours(int(stretches.max())) if len(stretches) else 0.0
