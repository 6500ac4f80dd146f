"""Blocks of one supply that want water on the same day: hours of water they ask for against the hours it runs."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.delivery.delivery import Supply
from embalse.core.wording import Notice

DAY_H = 24.0  # hours


@dataclass(frozen=True)
class Wanted:
    """A set that is advised for today: the block's name, its supply and volume [m³]."""

    block: str
    supply: Supply
    volume_m3: float


def supplies_short(wanted: Sequence[Wanted]) -> list[Notice]:
    """Supplies asked by several blocks at once for more than they give in a day, in the order they were met.

    A supply of known flow gives its flow for the hours it runs, so the volumes asked take volume over flow at the
    least. Where only its hours are known, the blocks may run side by side and nothing is said.

    Parameters
    ----------
    wanted : sequence of Wanted
        Most urgent block first.

    Returns
    -------
    list of Notice
        Hours asked, rounded up [h], hours it runs a day [h], and which blocks.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: Q t = A d.

    Examples
    --------
    >>> well = Supply("well", 50.0, 20.0)
    >>> [n["needs_h"] for n in supplies_short([Wanted("A", well, 600.0), Wanted("B", well, 500.0)])]
    [22.0]
    """
    found = []
    for supply in dict.fromkeys(w.supply for w in wanted):
        asked = [w for w in wanted if w.supply == supply]
        if len(asked) < 2 or not supply.flow_m3_h:
            continue
        runs = DAY_H if supply.hours_per_day is None else supply.hours_per_day
        needs = sum(w.volume_m3 for w in asked) / supply.flow_m3_h
        if needs > runs:
            names = tuple(w.block for w in asked)
            values = {"needs_h": float(math.ceil(needs)), "runs_h": runs}
            found.append(Notice("supply.short", supply=supply.name, blocks=names, first=names[0], **values))
    return found
