"""How deep the roots reach on a day."""

from dataclasses import dataclass

from embalse.core.errors import require
from embalse.core.practice import practice


@dataclass(frozen=True)
class RootGrowth:
    """Root depth from ``start_cm`` on ``start_day`` to ``full_cm`` on ``full_day`` (day numbers), constant after."""

    full_cm: float
    start_cm: float | None = None
    start_day: int | None = None
    full_day: int | None = None


def usual_growth(full_cm: float, planted_day: int | None, covered_day: int | None) -> RootGrowth:
    """Roots of an annual crop whose depth nobody entered: from 20 cm at planting to their full depth at full cover.

    Depths in cm, day numbers; the full depth all along where a day is not known, or where it is not deeper than that.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, ch. 8: 0.15 to 0.20 m at planting, the maximum at
       the beginning of mid season. Recalled.
    """
    start = practice("root_start_cm")
    if planted_day is None or covered_day is None or covered_day <= planted_day or full_cm <= start:
        return RootGrowth(full_cm)
    return RootGrowth(full_cm, start, planted_day, covered_day)


def root_depth_cm(growth: RootGrowth, day: int) -> float:
    """Root depth on a day: linear growth to full depth, then constant; constant when no growth is given.

    Parameters
    ----------
    growth : RootGrowth
        Depths [cm] and day numbers.
    day : int
        Day number asked for.

    Returns
    -------
    float
        Root depth [cm].

    Raises
    ------
    CoreError
        If depths are not positive or the days are out of order.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, ch. 8: linear from planting to full cover.

    Examples
    --------
    >>> root_depth_cm(RootGrowth(80, 20, 0, 40), 10)
    35.0
    """
    require(growth.full_cm > 0, "root_depth_cm", "must be more than 0")
    if growth.start_cm is None or growth.start_day is None or growth.full_day is None:
        return growth.full_cm
    require(
        0 < growth.start_cm <= growth.full_cm, "root_depth_start_cm", "must be above 0 and at most the full root depth"
    )
    require(growth.start_day < growth.full_day, "full_root_date", "must be after the planting date")
    share = (day - growth.start_day) / (growth.full_day - growth.start_day)
    return growth.start_cm + (growth.full_cm - growth.start_cm) * min(1.0, max(0.0, share))
