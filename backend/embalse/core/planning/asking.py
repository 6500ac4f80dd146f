"""What a block asks of its supply: its set in parts, when it is due, and what holds it back."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from embalse.core.errors import require

DAY_H: Final = 24.0
LATE_H: Final = 12.0  # hours past its trigger from which a set is told as late (ours: half a day is within the error)
LEAST_USE_MM_D: Final = 0.1  # mm/day a block is taken to use at least when it is asked how long it is overdue (ours)
HELD: Final = frozenset({"rain.hold"})  # notices by which the advice is to wait and see


@dataclass(frozen=True)
class SetPart:
    """A part of a block's set: which of how many, its minutes, flow [m³/h], and share of the set's depth [-].

    In pulses water flows for ``flowing_min`` of its minutes only; for all of them if None.
    """

    number: int
    of: int
    minutes: int
    flow_m3_h: float
    depth_share: float = 1.0
    pulses: int = 1
    flowing_min: int | None = None

    @property
    def volume_m3(self) -> float:
        """Its water [m³]."""
        return self.flow_m3_h * (self.minutes if self.flowing_min is None else self.flowing_min) / 60


def parts_of(
    volume_m3: float,
    minutes: int,
    supply: tuple[float | None, float | None],
    *,
    goes_over: bool = False,
    sets: int = 1,
    step_min: int = 30,
) -> list[SetPart]:
    """A set in the parts its supply can give.

    By area where the block draws more than the supply gives. By time where it takes longer than the supply runs a day:
    a machine that goes over the field, and furrow sets one after another, then water a part of the area whole; a
    system that stands gives a part of the depth each time. Furrow sets are no more than a day of them at a stretch.

    Parameters
    ----------
    volume_m3 : float
        Water of the whole set [m³].
    minutes : int
        How long the whole block takes at once.
    supply : (float or None, float or None)
        Its flow [m³/h] and the hours it runs a day [h]; None where not limited.
    goes_over : bool
        Whether the system moves over the field.
    sets : int
        Sets one after another that cover the block.
    step_min : int
        Minutes of a step: stretches are whole steps.

    Returns
    -------
    list of SetPart
    """
    require(minutes > 0, "minutes", "must be more than 0")
    flow_limit, runs_h = supply
    flow = volume_m3 / (minutes / 60)
    areas = 1 if not flow_limit else math.ceil(flow / flow_limit - 1e-9)
    if runs_h is None and sets > 1:
        runs_h = DAY_H
    longest = None if runs_h is None else step_min * math.floor(60 * runs_h / step_min + 1e-9)
    stretches = 1 if not longest else math.ceil(minutes / longest)
    each = minutes if stretches == 1 else 5 * math.ceil(minutes / stretches / 5)
    share = 1.0 if goes_over or sets > 1 else 1 / stretches
    count = areas * stretches
    return [SetPart(n + 1, count, each, flow / areas, share) for n in range(count)]


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
