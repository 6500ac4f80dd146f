"""What a block asks of its supply: when its set is due, and what holds it back."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

LATE_H: Final = 12.0  # hours past its trigger from which a set is told as late (ours: half a day is within the error)
LEAST_USE_MM_D: Final = 0.1  # mm/day a block is taken to use at least when it is asked how long it is overdue (ours)
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
