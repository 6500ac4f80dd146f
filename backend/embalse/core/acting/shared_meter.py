"""One meter on a line with several valves: whose water was it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from embalse.core.errors import require


@dataclass(frozen=True)
class Open:
    """A valve that was open from one instant to another [s, UTC], and the flow it is meant to take [m³/h]."""

    key: str
    start_at: int
    end_at: int
    flow_m3_h: float


def volumes_m3(meter: Sequence[tuple[int, float]], opened: Sequence[Open]) -> dict[str, float | None]:
    """Water of each opening by the line's meter.

    Between readings the meter runs evenly. What several valves drew together is shared by the flow each is meant to
    take. An opening that begins before the first reading, or ends after the last, is not told.

    Parameters
    ----------
    meter : sequence of (int, float)
        Instants [s, UTC] and what the meter showed [m³], rising.
    opened : sequence of Open

    Returns
    -------
    dict of str to float or None
        Water of each opening [m³]; None where the meter does not cover it.

    Raises
    ------
    CoreError
        A meter that runs backwards.

    Examples
    --------
    >>> volumes_m3([(0, 10.0), (3600, 70.0)], [Open("a", 0, 3600, 40.0), Open("b", 1800, 3600, 20.0)])
    {'a': 50.0, 'b': 10.0}
    """
    if not meter:
        return {o.key: None for o in opened}
    at, shown = (np.array(column, dtype=float) for column in zip(*sorted(meter), strict=True))
    require(bool(np.all(np.diff(shown) >= 0)), "meter_m3", "must not run backwards: was it changed or set back?")
    edges = sorted({int(t) for o in opened for t in (o.start_at, o.end_at)} | {int(t) for t in at})
    total = dict.fromkeys((o.key for o in opened), 0.0)
    for begin, end in pairwise(edges):
        runs = [o for o in opened if o.start_at <= begin and o.end_at >= end]
        whole = sum(o.flow_m3_h for o in runs)
        if not runs or not whole:
            continue
        water = float(np.interp(end, at, shown) - np.interp(begin, at, shown))
        for one in runs:
            total[one.key] += water * one.flow_m3_h / whole
    covered = {o.key: bool(o.start_at >= at[0] and o.end_at <= at[-1]) for o in opened}
    return {key: round(water, 6) if covered[key] else None for key, water in total.items()}
