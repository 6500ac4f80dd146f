"""How fast soil takes water, and how to give it slower: pulses and pauses."""

import math
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import DeliveryError, require
from embalse.core.practice import practice
from embalse.core.tables import table_rows

SOIL_OF_TEXTURE: Final = {
    "sand": "coarse", "loamy sand": "coarse", "sandy loam": "light", "loam": "medium", "silt loam": "medium",
    "silt": "medium", "sandy clay loam": "medium", "clay loam": "heavy", "silty clay loam": "heavy",
    "sandy clay": "heavy", "silty clay": "heavy", "clay": "heavy",
}  # fmt: skip
# % up to which a column of the intake table holds; beyond 12 % the last (the table's source)
SLOPES_PCT: Final = ((5.0, "to_5"), (8.0, "to_8"), (12.0, "to_12"))
LONGEST_PULSE_H: Final = practice("longest_pulse_h")
WAIT_H: Final = {"coarse": 6, "light": 8, "medium": 12, "heavy": 24}
"""Hours a wetting takes to spread before a reading tells (common practice, no source)."""
FROM_ABOVE: Final = frozenset({"micro", "sprinkler", "pivot"})


@dataclass(frozen=True)
class Pulses:
    """A set cut into pulses: how many, water on and pause of each [h], hours in all with the pauses."""

    count: int
    on_h: float
    pause_h: float
    total_h: float


def intake_limit_mm_h(texture: str, slope_pct: float, compact_below: bool) -> float | None:
    """Largest rate a soil takes from above without running off [mm/h]; None for an unknown texture class.

    Parameters
    ----------
    texture : str
        USDA texture class of the topsoil.
    slope_pct : float
        Slope of the ground [%].
    compact_below : bool
        Whether a denser soil lies below it.

    References
    ----------
    .. [1] Keller & Bliesner (1990), Sprinkle and Trickle Irrigation, Table 5.4.

    Examples
    --------
    >>> intake_limit_mm_h("loam", 9.0, True)
    4.0
    """
    soil = SOIL_OF_TEXTURE.get(texture)
    if soil is None:
        return None
    column = next((name for most, name in SLOPES_PCT if slope_pct <= most), "to_16")
    below = "yes" if compact_below else "no"
    row = next(r for r in table_rows("sprinkler_intake.csv") if (r["soil"], r["compact_below"]) == (soil, below))
    return float(row[column])


def cycle_and_soak(gross_mm: float, rate_mm_h: float, limit_mm_h: float) -> Pulses | None:
    """Pulses and pauses that give a depth no faster on the whole than the soil takes it; None when the rate is no more.

    A pulse lasts an hour at most, and the pause after it as long as the soil needs for what the pulse gave beyond its
    intake (common practice, no source).

    Parameters
    ----------
    gross_mm : float
        Depth of the set [mm].
    rate_mm_h, limit_mm_h : float
        Application rate on the ground that is wetted, and what the soil takes [mm/h].

    Raises
    ------
    DeliveryError
        If a depth or rate is not positive.

    Examples
    --------
    >>> cycle_and_soak(12.0, 8.0, 4.0)
    Pulses(count=2, on_h=0.75, pause_h=0.75, total_h=2.25)
    """
    require(gross_mm > 0, "gross_mm", "must be more than 0", DeliveryError)
    require(rate_mm_h > 0, "rate_mm_h", "must be more than 0", DeliveryError)
    require(limit_mm_h > 0, "limit_mm_h", "must be more than 0", DeliveryError)
    if rate_mm_h <= limit_mm_h:
        return None
    on = gross_mm / rate_mm_h
    count = max(2, math.ceil(on / LONGEST_PULSE_H - 1e-9))
    pulse = on / count
    pause = pulse * (rate_mm_h / limit_mm_h - 1)
    return Pulses(count, pulse, pause, count * pulse + (count - 1) * pause)


def wait_before_reading_h(texture: str) -> int:
    """Hours after a set before a reading tells where its water went, by the topsoil's texture class [h]."""
    return WAIT_H[SOIL_OF_TEXTURE.get(texture, "medium")]
