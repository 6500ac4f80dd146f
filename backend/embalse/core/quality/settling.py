"""A new sensor is not believed until the soil has closed around it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from embalse.core.practice import practice
from embalse.core.wording import Notice

DAY_S = 86400.0  # seconds


@dataclass(frozen=True)
class SettlingRule:
    """Days after which a sensor counts as settled, or wettings whose wet ends agree [m³/m³]."""

    days: float = practice("settle_days")
    wettings: int = int(practice("settle_wettings"))
    rise_theta: float = practice("settle_rise_theta")
    agree_theta: float = practice("settle_agree_theta")


@dataclass(frozen=True)
class Settling:
    """Whether a sensor has settled, and why or what is still wanted."""

    settled: bool
    said: Notice


def wet_ends(theta: Sequence[float] | NDArray[np.float64], rise_theta: float) -> list[float]:
    """Highest dawn water content [m³/m³] of each wetting: a rise from one dawn to the next of at least ``rise_theta``.

    Dawns without a value (NaN) are passed over.
    """
    values = [float(v) for v in theta if not np.isnan(v)]
    ends: list[float] = []
    rising = False
    for before, after in pairwise(values):
        if after - before >= rise_theta:
            if rising:
                ends[-1] = max(ends[-1], after)
            else:
                ends.append(after)
            rising = True
        elif rising and after > ends[-1]:
            ends[-1] = after
        else:
            rising = False
    return ends


def settling(
    since: float, now: float, dawn_thetas: Sequence[NDArray[np.float64]], rule: SettlingRule | None = None
) -> Settling:
    """Whether sensors that went into the ground together have settled by now.

    They settle together: after the rule's days, or once at least half of those that saw enough wettings agree on
    where the last ones end.

    Parameters
    ----------
    since, now : float
        Instants [s, UTC].
    dawn_thetas : sequence of array, one a sensor
        Dawn water contents since then [m³/m³]; NaN where there is none.
    rule : SettlingRule, optional

    Returns
    -------
    Settling
        With the reason, or what is still wanted.
    """
    held = rule or SettlingRule()
    days = (now - since) / DAY_S
    if days >= held.days:
        return Settling(True, Notice("settling.by_days", in_days=days))
    lasts = [ends[-held.wettings :] for ends in (wet_ends(t, held.rise_theta) for t in dawn_thetas)]
    seen = [last for last in lasts if len(last) == held.wettings]
    agree = [last for last in seen if max(last) - min(last) <= held.agree_theta]
    if seen and len(agree) >= len(seen) / 2:
        return Settling(True, Notice("settling.by_wettings", wettings=held.wettings, agree_theta=held.agree_theta))
    return Settling(False, Notice("settling.waiting", wettings=held.wettings, left_days=held.days - days))
