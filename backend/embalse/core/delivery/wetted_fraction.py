"""Share of the ground that drip or micro wets."""

import math
from dataclasses import dataclass

from embalse.core.errors import require
from embalse.core.tables import table_rows


@dataclass(frozen=True)
class WettedPattern:
    """Width of one wet bulb or strip [m], emitter spacing [m], lines a row, row spacing [m]."""

    bulb_m: float
    emitter_spacing_m: float
    lines_per_row: float
    row_spacing_m: float


def wetted_fraction(pattern: WettedPattern) -> float:
    """Wetted share of the ground from the width of the wet bulb 30 cm down.

    Where emitters stand closer than 0.8 bulb widths they wet a strip, else separate discs.

    Parameters
    ----------
    pattern : WettedPattern
        Widths and spacings [m].

    Returns
    -------
    float
        Share [-], at most 1.

    Raises
    ------
    CoreError
        If a width or spacing is not positive.

    References
    ----------
    .. [1] Keller & Bliesner (1990), Sprinkle and Trickle Irrigation, ch. 19 (the 0.8 rule; recalled, medium).

    Examples
    --------
    >>> round(wetted_fraction(WettedPattern(0.9, 0.5, 2, 6.0)), 2)
    0.3
    """
    for name in ("bulb_m", "emitter_spacing_m", "lines_per_row", "row_spacing_m"):
        require(getattr(pattern, name) > 0, name, "must be more than 0")
    if pattern.emitter_spacing_m <= 0.8 * pattern.bulb_m:
        strip = pattern.bulb_m * pattern.lines_per_row
    else:
        strip = math.pi / 4 * pattern.bulb_m**2 / pattern.emitter_spacing_m * pattern.lines_per_row
    return min(1.0, strip / pattern.row_spacing_m)


def usual_bulb_m(texture: str) -> tuple[float, float] | None:
    """Usual width of the wet bulb [m] in a texture class, low and high; None for an unknown class.

    Common practice, no source: dig and measure.
    """
    for row in table_rows("wetted_diameter.csv"):
        if texture in row["textures"].split("|"):
            return float(row["low_m"]), float(row["high_m"])
    return None
