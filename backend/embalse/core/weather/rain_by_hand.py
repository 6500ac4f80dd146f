"""Rain as one block had it: its own gauge, and how deep the soil was found wet."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require_between

DRY_SHARE: Final = 0.5
"""How much of its available water a soil is taken to lack before a rain [-]; it may be none or all of it (ours)."""


@dataclass(frozen=True)
class RainNote:
    """A block's own record of a day's rain: gauge [mm], depth found wet [cm]; either may be missing."""

    day: int
    gauge_mm: float | None = None
    wet_to_cm: float | None = None


@dataclass(frozen=True)
class DugRain:
    """Rain that went into the soil by the depth it wetted [mm], with its limits."""

    mid_mm: float
    low_mm: float
    high_mm: float


def rain_from_digging(wet_to_cm: float, layers: Sequence[tuple[float, float, float, float]]) -> DugRain:
    """Rain held by the soil down to where it was found wet.

    Parameters
    ----------
    wet_to_cm : float
        Depth found wet by digging after the rain [cm].
    layers : sequence of (top, bottom, full, wilting)
        Horizons [cm] with their full and wilting points [m³/m³], from the surface down.

    Returns
    -------
    DugRain
        The front stands where the soil above is at its full point; what it held before is not known, so half of the
        available water is taken, and the limits are none and all of it [mm].

    Examples
    --------
    >>> round(rain_from_digging(5.0, [(0, 30, 0.22, 0.10)]).mid_mm, 2)
    3.0
    """
    require_between(wet_to_cm, 0, 200, "wet_to_cm", "cm")
    room = sum(10 * max(0.0, min(bottom, wet_to_cm) - top) * (full - wilting) for top, bottom, full, wilting in layers)
    return DugRain(DRY_SHARE * room, 0.0, room)


def block_rain(
    farm_mm: Mapping[int, float], notes: Sequence[RainNote], layers: Sequence[tuple[float, float, float, float]]
) -> dict[int, float]:
    """Rain by day number [mm] as a block had it: its gauge in the place of the farm's, no more than went in.

    Soil found wet to a depth says how much went in at most: what fell beyond that ran off or dried up on the surface.
    Where no gauge says how much fell, the middle of what the wet depth tells stands for it.
    """
    found = dict(farm_mm)
    for note in notes:
        fell = note.gauge_mm if note.gauge_mm is not None else farm_mm.get(note.day)
        if note.wet_to_cm is None:
            found[note.day] = fell or 0.0
            continue
        dug = rain_from_digging(note.wet_to_cm, layers)
        found[note.day] = dug.mid_mm if fell is None else min(fell, dug.high_mm)
    return found
