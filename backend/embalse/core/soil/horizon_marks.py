"""Full, refill and wilting point of each soil horizon, with where each came from."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from embalse.core.errors import CoreError, ProfileTooShallow, require
from embalse.core.soil.retention import RetentionCurve, equation_curve
from embalse.core.soil.soil import WILTING_TENSION_KPA, FineEarth, SoilWater, bulk_theta, saxton_rawls
from embalse.core.sources import Source
from embalse.core.wording import Notice, Text

TEXTURE_FULL_ERROR = 0.05  # m³/m³: standard error of a full point that only knows the texture


@dataclass(frozen=True)
class MarkEntry:
    """A mark a person set instead of the computed one: whole-soil water content [m³/m³] and the reason given."""

    theta: float
    reason: Text


@dataclass(frozen=True)
class Horizon:
    """A soil horizon [cm] with its fine earth, stones by volume [-] and any marks set by hand.

    ``retention`` is the curve of tension against water content chosen for it; without one, that of its texture.
    """

    top_cm: float
    bottom_cm: float
    earth: FineEarth
    stones_fraction: float = 0.0
    full: MarkEntry | None = None
    refill: MarkEntry | None = None
    wilting: MarkEntry | None = None
    restricts_roots: bool = False
    retention: RetentionCurve | None = None

    @property
    def curve(self) -> RetentionCurve:
        """Tension against water content [kPa, m³/m³]: the curve chosen for it, else the one of its texture."""
        return self.retention or equation_curve(self.earth, self.stones_fraction)


@dataclass(frozen=True)
class HorizonMarks:
    """Marks of one horizon as whole-soil water contents [m³/m³]; ``theta_refill`` only when set by hand."""

    top_cm: float
    bottom_cm: float
    water: SoilWater
    theta_full: float
    theta_wilting: float
    theta_saturation: float
    theta_refill: float | None
    full_source: Source
    wilting_source: Source


@lru_cache(maxsize=4096)
def horizon_marks(horizon: Horizon) -> HorizonMarks:
    """Marks of a horizon: from texture, unless a person set them.

    Parameters
    ----------
    horizon : Horizon
        Depths [cm], fine earth, stones [-], entered marks [m³/m³].

    Returns
    -------
    HorizonMarks
        Whole-soil water contents [m³/m³]: stones hold no water and are taken out.

    Raises
    ------
    CoreError
        If the depths are not a horizon, or the marks are not in the order wilting < refill < full <= saturation.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, for the marks not set by hand.
    """
    require(0 <= horizon.top_cm < horizon.bottom_cm, "bottom_cm", "must lie below the horizon's top")
    water = saxton_rawls(horizon.earth)
    computed = _computed_source(horizon, water)
    read = _curve_theta(horizon, water)
    theta_full, full_source = _chosen(horizon.full, read[0], computed)
    theta_wilting, wilting_source = _chosen(horizon.wilting, read[1], computed)
    marks = HorizonMarks(
        top_cm=horizon.top_cm,
        bottom_cm=horizon.bottom_cm,
        water=water,
        theta_full=theta_full,
        theta_wilting=theta_wilting,
        theta_saturation=read[2],
        theta_refill=horizon.refill.theta if horizon.refill else None,
        full_source=full_source,
        wilting_source=wilting_source,
    )
    _check_order(marks)
    return marks


def _computed_source(horizon: Horizon, water: SoilWater) -> Source:
    span = {"top_cm": horizon.top_cm, "bottom_cm": horizon.bottom_cm, "wilting_kpa": WILTING_TENSION_KPA}
    curve = horizon.retention
    if curve is not None:
        read = Notice("source.horizon", **span, basis=curve.source.detail, full_kpa=curve.full_kpa)
        return Source(curve.source.kind, curve.source.title, read)
    read = Notice("source.horizon", **span, basis=texture_notice(horizon), full_kpa=water.full_tension_kpa)
    return Source("equation", f"Saxton & Rawls 2006, {water.texture}", read)


def texture_notice(horizon: Horizon) -> Notice:
    """What an equation is given of a horizon: shares of the fine earth, organic matter [%], stones taken out [-]."""
    earth = horizon.earth
    return Notice(
        "source.texture",
        sand_fraction=earth.sand_fraction,
        clay_fraction=earth.clay_fraction,
        organic_matter_pct=earth.organic_matter_pct,
        stones_fraction=horizon.stones_fraction,
    )


def _curve_theta(horizon: Horizon, water: SoilWater) -> tuple[float, float, float]:
    """Full point, wilting point and saturation of the whole soil [m³/m³], off the chosen curve or from texture."""
    curve = horizon.retention
    if curve is None:
        found = (water.theta_full, water.theta_wilting, water.theta_saturation)
        return tuple(bulk_theta(theta, horizon.stones_fraction) for theta in found)  # type: ignore[return-value]
    full, wilting, saturation = curve.theta(np.array([curve.full_kpa, WILTING_TENSION_KPA, 0.0])).tolist()
    return full, wilting, saturation


def _chosen(entry: MarkEntry | None, theta: float, computed: Source) -> tuple[float, Source]:
    if entry is None:
        return theta, computed
    return entry.theta, Source(
        "entry", "set by hand", Notice("source.by_hand", reason=entry.reason, texture_theta=theta)
    )


def _check_order(marks: HorizonMarks) -> None:
    order = [("wilting point", marks.theta_wilting), ("full point", marks.theta_full)]
    if marks.theta_refill is not None:
        order.insert(1, ("refill point", marks.theta_refill))
    for (low_name, low), (high_name, high) in pairwise(order):
        require(
            low < high,
            "marks",
            Notice("error.mark_order", low=low_name, low_theta=low, high=high_name, high_theta=high),
        )
    require(marks.theta_wilting >= 0, "marks", "the wilting point must not be negative")
    require(marks.theta_full <= 0.8, "marks", Notice("error.full_too_high", full_theta=marks.theta_full))


def full_error_theta(horizon: Horizon) -> float:
    """How far a horizon's full point may be off where the field has not said it [m³/m³]: 0 where a person set it.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, Table 1: standard error of θ33 0.05 (from memory).
    """
    if horizon.full is not None:
        return 0.0
    return TEXTURE_FULL_ERROR if horizon.retention is None else horizon.retention.theta_error


def root_limit_cm(horizons: Sequence[Horizon]) -> float | None:
    """Top of the uppermost horizon that stops roots [cm], None when none does.

    Raises
    ------
    CoreError
        If it is the surface itself.
    """
    tops = [h.top_cm for h in horizons if h.restricts_roots]
    if not tops:
        return None
    require(min(tops) > 0, "restricts_roots", "a layer that stops roots cannot start at the surface")
    return min(tops)


def profile_bottom_cm(horizons: Sequence[HorizonMarks]) -> float:
    """Depth [cm] to which the soil is described."""
    return max((h.bottom_cm for h in horizons), default=0.0)


def check_profile(horizons: Sequence[Horizon]) -> None:
    """Refuse horizons that leave a gap, overlap or do not start at the surface (depths in cm).

    Raises
    ------
    CoreError
        Naming the depth at which the description breaks.
    """
    if not horizons:
        raise CoreError("horizons", "the soil needs at least one horizon")
    depth = 0.0
    for horizon in sorted(horizons, key=lambda h: h.top_cm):
        if abs(horizon.top_cm - depth) > 1e-6:
            word = "gap" if horizon.top_cm > depth else "overlap"
            raise CoreError(
                "horizons",
                Notice(f"error.{word}", top_cm=min(depth, horizon.top_cm), bottom_cm=max(depth, horizon.top_cm)),
            )
        depth = horizon.bottom_cm
    root_limit_cm(horizons)


def same_soil_cm(horizons: Sequence[Horizon], depth_cm: float) -> tuple[float, float]:
    """From where to where the soil around a depth is the same [cm]: what is read there tells of no other texture.

    Examples
    --------
    >>> from embalse.core.soil.soil import FineEarth
    >>> loam, clay = FineEarth(0.4, 0.2), FineEarth(0.2, 0.5)
    >>> same_soil_cm([Horizon(0, 30, loam), Horizon(30, 60, loam), Horizon(60, 90, clay)], 40)
    (0, 60)
    """
    there = horizon_at(horizons, depth_cm)
    place = list(horizons).index(there)
    first = last = place

    def same(other: Horizon) -> bool:
        return other.earth == there.earth and other.stones_fraction == there.stones_fraction

    while first > 0 and same(horizons[first - 1]):
        first -= 1
    while last + 1 < len(horizons) and same(horizons[last + 1]):
        last += 1
    return horizons[first].top_cm, horizons[last].bottom_cm


def horizon_at(horizons: Sequence[Horizon], depth_cm: float) -> Horizon:
    """The horizon at a depth [cm]; at a boundary the upper one. Raises CoreError where the soil is not described.

    Examples
    --------
    >>> from embalse.core.soil.soil import FineEarth
    >>> earth = FineEarth(0.4, 0.2)
    >>> horizon_at([Horizon(0, 30, earth), Horizon(30, 90, earth)], 30).bottom_cm
    30
    """
    found = next((h for h in horizons if h.top_cm <= depth_cm <= h.bottom_cm), None)
    if found is None:
        raise CoreError("horizons", Notice("error.no_soil_at", depth_cm=depth_cm))
    return found


def over_depth(horizons: Sequence[HorizonMarks], top_cm: float, bottom_cm: float) -> list[tuple[HorizonMarks, float]]:
    """Horizons met between two depths [cm], each with its share of the thickness [-].

    Raises
    ------
    ProfileTooShallow
        If the soil is not described down to ``bottom_cm``.
    """
    if bottom_cm > profile_bottom_cm(horizons) + 1e-6:
        raise ProfileTooShallow(
            "horizons", Notice("too_shallow.soil", described_cm=profile_bottom_cm(horizons), needed_cm=bottom_cm)
        )
    parts = [(h, min(bottom_cm, h.bottom_cm) - max(top_cm, h.top_cm)) for h in horizons]
    thickness = bottom_cm - top_cm
    return [(h, part / thickness) for h, part in parts if part > 1e-9]
