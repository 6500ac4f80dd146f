"""What a shortage of water costs in yield."""

import math

from embalse.core.errors import require
from embalse.core.tables import table_rows

KY_SOURCE = "FAO-33 Table 24"


def yield_response_factor(crop: str) -> float | None:
    """Ky of a crop over the season [-], None where the table does not have it.

    References
    ----------
    .. [1] Doorenbos & Kassam (1979), FAO Irrigation and Drainage Paper 33, Table 24.
    """
    row = next((r for r in table_rows("fao33_ky.csv") if r["crop"] == crop), None)
    return None if row is None else float(row["ky"])


def yield_loss_fraction(ky: float, use_share: float) -> float:
    """Yield lost [-] when the crop gets a share of the water it would use.

    Parameters
    ----------
    ky : float
        Yield response factor [-].
    use_share : float
        Actual over full crop use [-], 0 to 1.

    References
    ----------
    .. [1] Doorenbos & Kassam (1979), FAO-33: 1 − Ya/Ym = Ky (1 − ETa/ETm).

    Examples
    --------
    >>> round(yield_loss_fraction(1.25, 0.9), 3)
    0.125
    """
    require(ky >= 0, "ky", "must not be negative")
    require(0 <= use_share <= 1, "use_share", "must lie between 0 and 1")
    return min(1.0, ky * (1 - use_share))


def cycle_use_share(taw_mm: float, raw_mm: float, trigger_mm: float) -> float:
    """Share of full crop use [-] over a dry-down from full to a trigger, the crop's own brake beyond RAW counted in.

    Beyond RAW use falls with Ks in a straight line, so that the time from RAW to the trigger at full use would be
    (TAW − RAW) ln((TAW − RAW) / (TAW − trigger)).

    Parameters
    ----------
    taw_mm, raw_mm, trigger_mm : float
        Available and readily available water, and depletion at which water is given [mm].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 84, integrated.

    Examples
    --------
    >>> round(cycle_use_share(136.0, 54.4, 85.0), 3)
    0.916
    """
    require(0 < raw_mm < taw_mm, "raw_mm", "must lie between 0 and the available water")
    if trigger_mm <= raw_mm:
        return 1.0
    end = min(trigger_mm, 0.99 * taw_mm)
    full_use = raw_mm + (taw_mm - raw_mm) * math.log((taw_mm - raw_mm) / (taw_mm - end))
    return end / full_use
