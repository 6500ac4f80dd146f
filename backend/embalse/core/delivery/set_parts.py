"""A set in the parts its supply can give: one rule for the advice and the plan."""

import math
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require

DAY_H: Final = 24.0
FLOW_SLACK: Final = 1.02  # times the supply's flow: rounding of entered figures is no shortage (ours)


def areas_needed(flow_m3_h: float, limit_m3_h: float | None) -> int:
    """In how many areas, one after another, a block is watered that draws so much from a supply that gives so much.

    Examples
    --------
    >>> areas_needed(538.0, 270.0), areas_needed(274.0, 270.0), areas_needed(276.0, 270.0), areas_needed(500.0, None)
    (2, 1, 2, 1)
    """
    return 1 if not limit_m3_h else max(1, math.ceil(flow_m3_h / (limit_m3_h * FLOW_SLACK) - 1e-9))


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
    areas = areas_needed(flow, flow_limit)
    if runs_h is None and sets > 1:
        runs_h = DAY_H
    longest = None if runs_h is None else step_min * math.floor(60 * runs_h / step_min + 1e-9)
    stretches = 1 if not longest else math.ceil(minutes / longest)
    each = minutes if stretches == 1 else 5 * math.ceil(minutes / stretches / 5)
    share = 1.0 if goes_over or sets > 1 else 1 / stretches
    count = areas * stretches
    drawn = flow / areas if not flow_limit else min(flow / areas, flow_limit)
    return [SetPart(n + 1, count, each, drawn, share) for n in range(count)]
