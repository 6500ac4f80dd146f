"""Water beyond the crop's need that carries salt below the roots."""

from embalse.core.errors import CoreError, require
from embalse.core.tables import table_rows


class LeachingError(CoreError):
    """Salinities no leaching can put right."""


def leaching_requirement(ec_water_ds_m: float, ec_soil_ds_m: float) -> float:
    """Share of the water that must pass below the roots [-].

    Parameters
    ----------
    ec_water_ds_m : float
        Salinity of the irrigation water [dS/m].
    ec_soil_ds_m : float
        Salinity of the saturated extract the crop bears [dS/m].

    Raises
    ------
    LeachingError
        If a salinity is not positive, or the water is too salt for the crop.

    References
    ----------
    .. [1] Ayers & Westcot (1985), FAO Irrigation and Drainage Paper 29 Rev. 1: LR = ECw / (5 ECe − ECw).

    Examples
    --------
    >>> round(leaching_requirement(1.2, 2.5), 4)
    0.1062
    """
    require(ec_water_ds_m >= 0, "ec_water_ds_m", "must not be negative", LeachingError)
    require(ec_soil_ds_m > 0, "ec_soil_ds_m", "must be more than 0", LeachingError)
    share = ec_water_ds_m / (5 * ec_soil_ds_m - ec_water_ds_m) if 5 * ec_soil_ds_m > ec_water_ds_m else 1.0
    require(share < 1, "ec_water_ds_m", "the water is too salty for this crop", LeachingError)
    return share


def applied_share(efficiency_fraction: float, leaching_fraction: float) -> float:
    """Share of the gross depth that stays for the crop [-], with the larger of two losses taken, not both.

    What an efficiency counts as lost goes below the roots for the most part and leaches too: adding the leaching
    requirement to it would count the same water twice (FAO-29 and USDA-NRCS practice; recalled, medium).

    Examples
    --------
    >>> applied_share(0.85, 0.10), applied_share(0.95, 0.10)
    (0.85, 0.9)
    """
    require(0 < efficiency_fraction <= 1, "efficiency_fraction", "must be above 0 and at most 1")
    require(0 <= leaching_fraction < 1, "leaching_fraction", "must lie from 0 to below 1")
    return min(efficiency_fraction, 1 - leaching_fraction)


def salt_threshold_ds_m(crop: str) -> float | None:
    """Salinity of the saturated extract a crop bears without loss [dS/m], None where the table does not have it.

    References
    ----------
    .. [1] Ayers & Westcot (1985), FAO Irrigation and Drainage Paper 29 Rev. 1, Table 4.
    """
    row = next((r for r in table_rows("salt_tolerance.csv") if r["crop"] == crop), None)
    return None if row is None else float(row["threshold_ds_m"])
