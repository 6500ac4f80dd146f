"""Soils a curve is not meant for, carried with it and told where it is used there."""

from collections.abc import Sequence
from typing import Final, Literal

from embalse.core.practice import practice
from embalse.core.wording import Notice

NotFor = Literal["clay", "saline", "organic"]
NOT_FOR: Final[tuple[NotFor, ...]] = ("clay", "saline", "organic")


def curve_cautions(
    not_for: Sequence[str], clay_fraction: float, organic_matter_pct: float, ec_soil_ds_m: float | None
) -> list[Notice]:
    """What of a soil a curve is not meant for.

    Parameters
    ----------
    not_for : sequence of str
        "clay", "saline", "organic".
    clay_fraction : float
        Clay of the fine earth where the sensor stands [-].
    organic_matter_pct : float
        Organic matter [% by mass].
    ec_soil_ds_m : float, optional
        Salinity of the saturated extract [dS/m], None where not known.

    References
    ----------
    .. [1] Richards (1954), USDA Handbook 60: saline from 4 dS/m. USDA texture triangle: clay from 40 %. Organic: 12 %
       organic carbon, about 20 % organic matter (USDA Soil Taxonomy). Recalled.
    """
    found = []
    if "clay" in not_for and clay_fraction >= practice("clay_share"):
        found.append(Notice("curve.clay", clay_fraction=clay_fraction))
    if "saline" in not_for and ec_soil_ds_m is not None and ec_soil_ds_m >= practice("saline_ds_m"):
        found.append(Notice("curve.saline", ec_ds_m=ec_soil_ds_m))
    if "organic" in not_for and organic_matter_pct >= practice("organic_pct"):
        found.append(Notice("curve.organic", organic_fraction=organic_matter_pct / 100))
    return found
