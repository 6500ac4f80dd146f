"""Frost and heat by the air sensors of the loggers, told where somebody set a limit."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from embalse.core.wording import Notice


@dataclass(frozen=True)
class AirLimits:
    """Air temperatures from which to tell [°C]; None where nobody asked."""

    frost_c: float | None = None
    heat_c: float | None = None


@dataclass(frozen=True)
class AirAlarm:
    """A limit passed: which, where, since when [s, UTC], the most it came to [°C], and the words."""

    kind: Literal["frost", "heat"]
    place: str
    since: float
    most_c: float
    words: Notice


def air_alarm(place: str, times: Sequence[float], air_c: Sequence[float], limits: AirLimits) -> AirAlarm | None:
    """The limit the air has passed at a place over the hours given, the last ones first; None where none.

    Parameters
    ----------
    place : str
    times : sequence of float
        Instants [s, UTC], increasing.
    air_c : sequence of float
        Air temperature [°C], same length.
    limits : AirLimits

    Returns
    -------
    AirAlarm or None
        Frost at or below its limit goes before heat at or above its own.
    """
    pairs = [(t, c) for t, c in zip(times, air_c, strict=True) if not math.isnan(c)]
    cold = [(t, c) for t, c in pairs if limits.frost_c is not None and c <= limits.frost_c]
    hot = [(t, c) for t, c in pairs if limits.heat_c is not None and c >= limits.heat_c]
    if cold:
        least = min(c for _, c in cold)
        return AirAlarm(
            "frost", place, cold[0][0], least, Notice("air.frost", place=place, air_c=least, limit_c=limits.frost_c)
        )
    if hot:
        most = max(c for _, c in hot)
        return AirAlarm(
            "heat", place, hot[0][0], most, Notice("air.heat", place=place, air_c=most, limit_c=limits.heat_c)
        )
    return None
