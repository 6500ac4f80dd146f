"""Water before a dry window, and the last irrigation of a season."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.delivery.irrigation_rules import DryWindow
from embalse.core.practice import practice
from embalse.core.wording import Notice

SURFACE_SHARE: Final = practice("window_surface_share")
"""Share of the uptake that the top of a root zone gives while it dries for a window (common practice, no source)."""


@dataclass(frozen=True)
class WindowAdvice:
    """What a keep-dry period asks: the last day a set may end (days from today), and what to say of it.

    ``action`` is "hold" when no set may start now, "before" when one must come before it, "none" when it is far.
    """

    action: Literal["none", "before", "hold"]
    last_set_day: int
    notice: Notice | None


@dataclass(frozen=True)
class LastIrrigation:
    """Water to the end of the season [mm in the soil the sensors stand in] and what is still to be given.

    ``need_mm`` is crop use to the last day less likely rain, ``stored_mm`` what may be taken from store,
    ``short_mm`` the rest; ``last_set_day`` the day from which a full root zone is enough (days from today).
    """

    days: int
    need_mm: float
    rain_mm: float
    stored_mm: float
    short_mm: float
    last_set_day: int

    @property
    def finishes(self) -> bool:
        """Whether the crop can finish on what is stored [no unit]."""
        return self.short_mm <= 0


def drying_days(top_available_mm: float, use_mm_d: Sequence[float], surface_share: float = SURFACE_SHARE) -> int:
    """Days from a full top to its refill point [days], at the use of the days ahead.

    Parameters
    ----------
    top_available_mm : float
        Water between full and refill in the depth that has to be dry [mm].
    use_mm_d : sequence of float
        Crop use of the days ahead [mm/day].
    surface_share : float
        Share of it the top gives [-].

    Examples
    --------
    >>> drying_days(12.0, [6.0] * 10, 0.5)
    4
    """
    left = top_available_mm
    for day, use in enumerate(use_mm_d):
        left -= surface_share * use
        if left <= 1e-9:
            return day + 1
    rate = surface_share * (use_mm_d[-1] if use_mm_d else 0.0)
    return len(use_mm_d) + (math.ceil(left / rate) if rate > 0 else 365)


def window_advice(window: DryWindow, today: int, dry_days: int, refill_days: float) -> WindowAdvice:
    """What a dry window means for a block that will call for water in some days.

    Parameters
    ----------
    window : DryWindow
    today : int
        Day number.
    dry_days : int
        Days from a full top to dry enough [days].
    refill_days : float
        Days until it calls for water [days].

    Returns
    -------
    WindowAdvice
        Hold from the last day for a set until the window ends; a set before it where water would be called for in
        the meantime.
    """
    last = window.dry_by - dry_days - today
    ends = window.until - today
    values = {"what": window.what, "top_cm": window.top_cm, "until_day": window.until}
    if ends < 0:
        return WindowAdvice("none", last, None)
    if last < 0:
        code = "window.hold_to_end" if window.ends_season else "window.hold"
        return WindowAdvice("hold", last, Notice(code, **values))
    last_day = today + last
    if refill_days <= ends + 1 and refill_days > last:
        return WindowAdvice("before", last, Notice("window.before", **values, last_day=last_day))
    return WindowAdvice("none", last, Notice("window.ahead", **values, last_day=last_day))


def last_irrigation(
    use_mm_d: Sequence[float], rain_mm: float, depletion_mm: float, may_use_mm: float
) -> LastIrrigation:
    """Whether a crop can finish on stored water, and if not, what is missing and from when a full profile is enough.

    Parameters
    ----------
    use_mm_d : sequence of float
        Crop use of every day left, today first [mm/day].
    rain_mm : float
        Effective rain likely by then [mm].
    depletion_mm : float
        Depletion now [mm].
    may_use_mm : float
        Depletion the root zone may have on the last day [mm].

    Examples
    --------
    >>> last_irrigation([5.0] * 10, 0.0, 20.0, 100.0).finishes
    True
    """
    need = sum(use_mm_d)
    stored = max(0.0, may_use_mm - depletion_mm)
    last, left = len(use_mm_d), 0.0
    for day in range(len(use_mm_d) - 1, -1, -1):
        left += use_mm_d[day]
        if left - rain_mm > may_use_mm:
            break
        last = day
    return LastIrrigation(len(use_mm_d), need, rain_mm, stored, need - rain_mm - stored, last)
