"""What a block asks of its supply: when its set is due, and what holds it back."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

LATE_H: Final = 12.0  # hours past its trigger from which a set is told as late (ours: half a day is within the error)
LEAST_USE_MM_D: Final = 0.1  # mm/day a block is taken to use at least when it is asked how long it is overdue (ours)
FURTHER_MOST: Final = 6  # sets of a block within a plan (ours: beyond that a plan of days says nothing)
EARLY_DAYS: Final = 1.0  # days before it is due that a further set may begin (ours: earlier has no room in the soil)
NIGHT_H: Final = (20, 8)  # hours between which wind and evaporation are least (common practice, no source)
LEAST_SHARE: Final = 0.05  # of the ground a block is taken to wet at least when its next sets are worked out (ours)
HELD: Final = frozenset({"rain.hold"})  # notices by which the advice is to wait and see


def due_in_days(mid_days: float, depletion_mm: float | None, trigger_mm: float | None, use_mm_d: float) -> float:
    """Days until a block reaches its trigger; below 0 by how long it is past it at its present use.

    Examples
    --------
    >>> due_in_days(0.0, 60.0, 50.0, 5.0), due_in_days(2.5, 40.0, 50.0, 4.0)
    (-2.0, 2.5)
    """
    if depletion_mm is None or trigger_mm is None or depletion_mm <= trigger_mm:
        return mid_days
    return -(depletion_mm - trigger_mm) / max(use_mm_d, LEAST_USE_MM_D)


def further_due_days(
    due_days: float, net_mm: float, use_mm_d: float, wetted_fraction: float, days: float
) -> list[float]:
    """When a block's sets are due within a plan [days], the advised one first: each time its set is used up.

    Parameters
    ----------
    due_days : float
        When the advised one is due [days from the plan's beginning].
    net_mm : float
        Its net depth over the block [mm].
    use_mm_d : float
        What the wetted soil loses a day [mm/day].
    wetted_fraction : float
        Share of the ground that is wetted [-].
    days : float
        How long the plan is.

    Examples
    --------
    >>> further_due_days(0.5, 12.0, 10.0, 0.6, 5.0)
    [0.5, 2.5, 4.5]
    """
    if net_mm <= 0:
        return [due_days]
    every = net_mm / (max(use_mm_d, LEAST_USE_MM_D) * max(wetted_fraction, LEAST_SHARE))
    later = (due_days + n * every for n in range(1, FURTHER_MOST))
    return [due_days, *(due for due in later if due < days)]


def parts_promised(to_come_m3: float, part_m3: float) -> int:
    """How many parts of a block's set an approved or running set stands for, by the water still to come; at least one.

    What has run already is for the sensors to see; what is still to come is not asked for again.

    Examples
    --------
    >>> parts_promised(4300.0, 3000.0), parts_promised(4600.0, 3000.0), parts_promised(10.0, 3000.0)
    (1, 2, 1)
    """
    return max(1, round(to_come_m3 / part_m3)) if part_m3 > 0 else 1


def at_night(minute: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Whether minutes of the day lie in the night."""
    return np.asarray((minute >= 60 * NIGHT_H[0]) | (minute < 60 * NIGHT_H[1]))


def told_as_late(late_h: float) -> bool:
    """Whether a set comes so long after its trigger [h] that it is told."""
    return late_h >= LATE_H


def dry_days(notices: Sequence[tuple[str, Mapping[str, Any]]]) -> list[tuple[int | None, int | None]]:
    """Keep-dry periods the advice names, as (last day before, last day of it); None where open on that side.

    Water may run up to the first and after the second (day numbers).
    """
    found: list[tuple[int | None, int | None]] = []
    for code, values in notices:
        if code in ("window.before", "window.ahead"):
            found.append((values["last_day"], values.get("until_day")))
        elif code == "window.hold":
            found.append((None, values["until_day"]))
        elif code == "window.hold_to_end":
            found.append((None, None))
    return found
