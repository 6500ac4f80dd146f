"""Systems that water while they move or flow: centre pivot, furrow and border."""

import math
from dataclasses import dataclass

from embalse.core.errors import DeliveryError, require
from embalse.core.wording import Notice

LEAST_FURROW_M2 = 0.1  # m² one furrow waters at least: less is a slip of the pen (ours)


@dataclass(frozen=True)
class Pivot:
    """A centre pivot: length [m], flow [m³/h], hours a turn at 100 % of the timer, dry inner and outer rings [m].

    ``depth_at_full_mm`` is a measured depth of a turn at 100 %; it overrides the one from flow and area.
    """

    length_m: float
    flow_m3_h: float
    turn_h: float
    first_excluded_m: float = 0.0
    end_excluded_m: float = 0.0
    depth_at_full_mm: float | None = None


@dataclass(frozen=True)
class Furrows:
    """Furrows or border strips run together: inflow of one [L/s], how many, spacing or strip width and run [m].

    ``tailwater_fraction`` is the share of the inflow that leaves at the lower end [-].
    """

    inflow_l_s: float
    count: int
    spacing_m: float
    length_m: float
    tailwater_fraction: float = 0.0


def pivot_area_ha(pivot: Pivot) -> float:
    """Area a pivot waters in a full circle [ha], less the rings left out.

    Raises
    ------
    DeliveryError
        If a length is not positive or the rings leave nothing.

    Examples
    --------
    >>> round(pivot_area_ha(Pivot(400, 180, 18)), 1)
    50.3
    """
    require(pivot.length_m > 0, "length_m", "must be more than 0", DeliveryError)
    outer, inner = pivot.length_m - pivot.end_excluded_m, pivot.first_excluded_m
    require(0 <= inner < outer <= pivot.length_m, "first_excluded_m", "the rings left out leave no area", DeliveryError)
    return math.pi * (outer**2 - inner**2) / 1e4


def pivot_depth_mm(pivot: Pivot) -> float:
    """Gross depth of one turn at 100 % of the timer: measured, or flow × hours / area.

    Parameters
    ----------
    pivot : Pivot

    Returns
    -------
    float
        Depth [mm].

    Raises
    ------
    DeliveryError
        If flow, hours or lengths are not positive.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: Q t = A d.
    """
    require(pivot.turn_h > 0, "turn_h", "must be more than 0", DeliveryError)
    if pivot.depth_at_full_mm is not None:
        require(pivot.depth_at_full_mm > 0, "depth_at_full_mm", "must be more than 0", DeliveryError)
        return pivot.depth_at_full_mm
    require(pivot.flow_m3_h > 0, "flow_m3_h", "must be more than 0", DeliveryError)
    return pivot.flow_m3_h * pivot.turn_h / (10 * pivot_area_ha(pivot))


def pivot_rate_mm_h(pivot: Pivot) -> float:
    """Mean depth an hour over the circle [mm/h]: the same at every timer setting, because a slower turn lasts longer.

    Raises
    ------
    DeliveryError
        As ``pivot_depth_mm``.
    """
    return pivot_depth_mm(pivot) / pivot.turn_h


def pivot_timer_fraction(pivot: Pivot, gross_depth_mm: float) -> float:
    """Timer setting [-] that puts on a gross depth [mm] in one turn.

    Raises
    ------
    DeliveryError
        If the depth is not positive, or smaller than a turn at full speed puts on.

    Examples
    --------
    >>> round(pivot_timer_fraction(Pivot(400, 180, 18, depth_at_full_mm=8), 16), 2)
    0.5
    """
    require(gross_depth_mm > 0, "gross_mm", "must be more than 0", DeliveryError)
    fastest = pivot_depth_mm(pivot)
    require(
        gross_depth_mm >= fastest - 1e-9,
        "gross_mm",
        Notice("error.fastest_turn", fastest_mm=fastest),
        DeliveryError,
    )
    return fastest / gross_depth_mm


def end_rate_mm_h(pivot: Pivot, wetted_width_m: float) -> float:
    """Peak rate under the outer end, elliptical pattern: 4/π times the mean over the wetted width.

    Parameters
    ----------
    pivot : Pivot
    wetted_width_m : float
        Width of the wetted strip across the line at the end [m].

    Returns
    -------
    float
        Rate [mm/h].

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: in/h = 245 Q / (R W), gpm and feet.
    """
    require(wetted_width_m > 0, "wetted_width_m", "must be more than 0", DeliveryError)
    radius = pivot.length_m - pivot.end_excluded_m
    mean = 2 * 1000 * pivot.flow_m3_h / (radius * wetted_width_m)
    return 4 / math.pi * mean


def furrow_rate_mm_h(furrows: Furrows) -> float:
    """Depth an hour over the furrows that run: inflow over spacing × length, tailwater included [mm/h].

    Raises
    ------
    DeliveryError
        If a flow, length, spacing or count is not positive, a furrow waters next to nothing, or the tailwater is not a
        share below 1.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652: Q t = A d.

    Examples
    --------
    >>> round(12 * furrow_rate_mm_h(Furrows(1.5, 20, 1.5, 400)), 1)
    108.0
    """
    for name in ("inflow_l_s", "count", "spacing_m", "length_m"):
        require(getattr(furrows, name) > 0, name, "must be more than 0", DeliveryError)
    require(0 <= furrows.tailwater_fraction < 1, "tailwater_fraction", "must lie from 0 to below 1", DeliveryError)
    area_m2 = furrows.spacing_m * furrows.length_m
    require(
        area_m2 >= LEAST_FURROW_M2,
        "length_m",
        "spacing × length must be a tenth of a square metre at least",
        DeliveryError,
    )
    return 3600 * furrows.inflow_l_s / area_m2


def kept_of_furrows(efficiency_fraction: float, furrows: Furrows) -> float:
    """Share of the inflow that stays for the crop [-]: the application efficiency, no more than tailwater leaves.

    Efficiency is water stored in the root zone over water applied, so what runs off the end is in it already.

    References
    ----------
    .. [1] Burt et al. (1997), J. Irrig. Drain. Eng. 123:423-442, application efficiency; from memory.

    Examples
    --------
    >>> kept_of_furrows(0.65, Furrows(1.5, 20, 1.5, 400, tailwater_fraction=0.2))
    0.65
    """
    return min(efficiency_fraction, 1 - furrows.tailwater_fraction)


def furrow_sets(furrows: Furrows, area_ha: float) -> int:
    """How many sets of these furrows a block of an area [ha] takes, one after another.

    Raises
    ------
    DeliveryError
        If the area is not positive.
    """
    require(area_ha > 0, "area_ha", "must be more than 0", DeliveryError)
    one = furrows.count * furrows.spacing_m * furrows.length_m
    return max(1, math.ceil(area_ha * 1e4 / one - 0.02))


def flow_m3_h(rate_mm_h: float, area_ha: float) -> float:
    """Flow [m³/h] that a rate [mm/h] over an area [ha] asks of its supply: 1 mm on 1 ha is 10 m³."""
    return 10 * rate_mm_h * area_ha


def set_ends_dry_spell(kind: str) -> bool:
    """Whether a set of a kind of system wets the probe all along, so that a dry spell ends with its first day.

    A pivot passes a probe within an hour or two of a turn that may take days: the rise seen there ends the dry spell.
    """
    return kind != "pivot"
