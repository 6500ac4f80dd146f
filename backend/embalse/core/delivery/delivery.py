"""From a depth to a set time for an irrigation system."""

from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.delivery.moving_systems import Furrows, Pivot
from embalse.core.errors import DeliveryError, require
from embalse.core.wording import Text

SystemKind = Literal["drip", "buried drip", "micro", "sprinkler", "pivot", "furrow", "border"]
SYSTEM_KINDS: tuple[SystemKind, ...] = ("drip", "buried drip", "micro", "sprinkler", "pivot", "furrow", "border")
PARTLY_WETTING = frozenset({"drip", "buried drip", "micro"})

LEAST_RATE_MM_H: Final = 0.001  # mm/h, below the slowest drip (0.1 mm/h) by far (ours)
MOST_RATE_MM_H: Final = 5000.0  # mm/h, above the fastest flooded basin (some 500 mm/h) by far (ours)


@dataclass(frozen=True)
class IrrigationSystem:
    """A system: kind, rate over what it waters at once [mm/h], efficiency [-], and how the rate was got.

    ``pivot`` and ``furrows`` carry what a timer setting or a number of sets is worked out from.
    """

    kind: SystemKind
    rate_mm_h: float
    efficiency_fraction: float
    rate_formula: Text = "entered"
    efficiency_note: str = ""
    pivot: Pivot | None = None
    furrows: Furrows | None = None


@dataclass(frozen=True)
class Supply:
    """What a pump or turnout gives: flow limit [m³/h] and hours a day it runs [h], None where not limited."""

    name: str
    flow_m3_h: float | None = None
    hours_per_day: float | None = None


@dataclass(frozen=True)
class Emitters:
    """Outlets on a grid: flow of one [L/h], spacing along the line and between lines [m], outlets at each point."""

    flow_l_h: float
    spacing_m: float
    line_spacing_m: float
    per_point: float = 1


def application_rate_mm_h(emitters: Emitters) -> float:
    """Depth an hour that outlets on a grid put on the whole block.

    One litre on one square metre is one millimetre; drip, micro and sprinkler differ only in the numbers.

    Parameters
    ----------
    emitters : Emitters
        Flow [L/h], spacings [m], outlets at each point (two lines a row count as two, or as half the line spacing).

    Returns
    -------
    float
        Application rate [mm/h].

    Raises
    ------
    DeliveryError
        If a flow or spacing is not positive.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652, Irrigation Guide.

    Examples
    --------
    >>> round(application_rate_mm_h(Emitters(1.6, 0.5, 1.5)), 3)
    2.133
    """
    for name in ("flow_l_h", "spacing_m", "line_spacing_m", "per_point"):
        require(getattr(emitters, name) > 0, name, "must be more than 0", DeliveryError)
    return emitters.per_point * emitters.flow_l_h / (emitters.spacing_m * emitters.line_spacing_m)


def gross_mm(net_mm: float, efficiency_fraction: float) -> float:
    """Depth to apply so that a net depth stays in the root zone.

    Parameters
    ----------
    net_mm : float
        Net depth [mm].
    efficiency_fraction : float
        Application efficiency [-], above 0 and at most 1.

    Returns
    -------
    float
        Gross depth [mm].

    Raises
    ------
    DeliveryError
        If the efficiency is 0 or below, or above 1.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652, Irrigation Guide.

    Examples
    --------
    >>> round(gross_mm(25, 0.85), 2)
    29.41
    """
    require(
        0 < efficiency_fraction <= 1,
        "efficiency_fraction",
        f"must be above 0 and at most 1, is {efficiency_fraction:g}",
        DeliveryError,
    )
    return net_mm / efficiency_fraction


def volume_m3(depth_mm: float, area_ha: float) -> float:
    """Volume [m³] of a depth [mm] over an area [ha]; 1 mm over 1 ha is 10 m³."""
    return depth_mm * area_ha * 10.0


def check_rate(rate_mm_h: float, field: str) -> None:
    """Refuse a rate that no system gives [mm/h]: a length or a flow it follows from is mistyped.

    Raises
    ------
    DeliveryError
        On ``field``.
    """
    said = f"gives {rate_mm_h:.3g} mm/h over the ground, which no system does: look at the flow and the spacings"
    require(LEAST_RATE_MM_H <= rate_mm_h <= MOST_RATE_MM_H, field, said, DeliveryError)


def set_time_h(gross_depth_mm: float, rate_mm_h: float) -> float:
    """Hours a set must run to put on a gross depth.

    Parameters
    ----------
    gross_depth_mm : float
        Gross depth [mm].
    rate_mm_h : float
        Application rate over the block [mm/h].

    Returns
    -------
    float
        Set time [h].

    Raises
    ------
    DeliveryError
        If the rate is not positive.

    References
    ----------
    .. [1] USDA-NRCS, National Engineering Handbook Part 652, Irrigation Guide.

    Examples
    --------
    >>> round(set_time_h(29.41, 2.1333), 2)
    13.79
    """
    require(rate_mm_h > 0, "rate_mm_h", f"must be more than 0, is {rate_mm_h:g}", DeliveryError)
    return gross_depth_mm / rate_mm_h
