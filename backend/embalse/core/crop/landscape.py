"""Plantings that are no field: a landscape coefficient from species, density and microclimate."""

from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.errors import CoreError, require

Level = Literal["very low", "low", "moderate", "high"]
FACTORS: Final[dict[str, dict[str, tuple[float, float]]]] = {
    "species": {"very low": (0.05, 0.1), "low": (0.1, 0.3), "moderate": (0.4, 0.6), "high": (0.7, 0.9)},
    "density": {"low": (0.5, 0.9), "moderate": (1.0, 1.0), "high": (1.1, 1.3)},
    "microclimate": {"low": (0.5, 0.9), "moderate": (1.0, 1.0), "high": (1.1, 1.4)},
}
"""Ranges of the three factors [-]. Costello, Matheny & Clark (2000), A Guide to Estimating Irrigation Water Needs of
Landscape Plantings in California, University of California and Department of Water Resources; recalled, high confidence
(very low: below 0.1)."""
SOURCE: Final = "Costello, Matheny & Clark (2000)"


@dataclass(frozen=True)
class LandscapeCoefficient:
    """Coefficient of a planting over reference ET [-] with the range its factors leave it."""

    mid: float
    low: float
    high: float


def landscape_coefficient(species: str, density: str, microclimate: str) -> LandscapeCoefficient:
    """Species × density × microclimate, each by the middle of its range [-].

    Raises
    ------
    CoreError
        If a level is none of the factor's.

    Examples
    --------
    >>> round(landscape_coefficient("moderate", "high", "moderate").mid, 2)
    0.6
    """
    low = mid = high = 1.0
    for name, level in (("species", species), ("density", density), ("microclimate", microclimate)):
        levels = FACTORS[name]
        if level not in levels:
            raise CoreError(name, f"'{level}' is none of: {', '.join(levels)}")
        least, most = levels[level]
        low, mid, high = low * least, mid * (least + most) / 2, high * most
    return LandscapeCoefficient(mid, low, high)


def basin_area_m2(canopy_m: float) -> float:
    """Ground under a round canopy [m²] of a diameter [m]: what a tree or shrub of a bed is watered over."""
    require(canopy_m > 0, "canopy_m", "must be more than 0")
    return 3.141592653589793 * canopy_m**2 / 4
