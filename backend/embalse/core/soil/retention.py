"""Tension and water content of a soil, each from the other: curves from texture, from classes, or fitted to points."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError, require
from embalse.core.soil.soil import SANDS, FineEarth, saxton_rawls, texture_class
from embalse.core.sources import Source
from embalse.core.tables import table_rows
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
CM_PER_KPA = 10.197  # cm of water column
DRIEST_KPA = 1e5  # kPa beyond which no curve is followed: oven-dry is near 10⁶
FEWEST_POINTS = 5  # points for a fitted curve: one more than its parameters
NARROWEST_THETA = 0.06  # m³/m³ the points must span (ours)
NARROWEST_DECADES = 1.0  # decades of tension the points must span (ours)
WORST_RMSE_THETA = 0.04  # m³/m³ of misfit above which a curve is refused (ours)
TEXTURE_ERROR_THETA = 0.03
"""Standard error of a curve that only knows the texture [m³/m³] (common practice, no source)."""
PAIR_ERROR_THETA = 0.015
"""m³/m³ by which two good sensors side by side differ at a tension (ours: lag and each one's own soil)."""
STRETCH_SD = 0.4  # by which the spread of a single soil's curve differs from its class average's [-] (ours)
CLASS_ERROR_THETA = 2 * TEXTURE_ERROR_THETA  # m³/m³ of a class average: single soils stray widely from it (ours)
CLASS_TABLE = "carsel_parrish_1988.csv"
CurveKind = Literal["equation", "class", "points", "pairs"]


class RetentionError(CoreError):
    """Points or parameters that make no retention curve."""


@dataclass(frozen=True)
class VanGenuchten:
    """θ = θr + (θs − θr)·[1 + (αh)ⁿ]^−(1−1/n) [m³/m³], with α in 1/cm and h the tension in cm."""

    theta_r: float
    theta_s: float
    alpha_1_cm: float
    n: float

    def theta(self, kpa: Floats) -> Floats:
        """Water content [m³/m³] at tensions [kPa], shape of ``kpa``; tensions below 0 count as 0."""
        suction = self.alpha_1_cm * CM_PER_KPA * np.maximum(kpa, 0.0)
        return np.asarray(
            self.theta_r + (self.theta_s - self.theta_r) * (1 + suction**self.n) ** -(1 - 1 / self.n), dtype=float
        )

    def tension_kpa(self, theta: Floats) -> Floats:
        """Tension [kPa] at water contents [m³/m³]; 0 at and above θs, 100 000 at and below θr."""
        share = np.clip((np.asarray(theta, float) - self.theta_r) / (self.theta_s - self.theta_r), 1e-12, 1.0)
        suction = np.maximum(share ** (-1 / (1 - 1 / self.n)) - 1, 0.0) ** (1 / self.n)
        return np.minimum(suction / (self.alpha_1_cm * CM_PER_KPA), DRIEST_KPA)


@dataclass(frozen=True)
class LogCurve:
    """θ = θ33·(33/h)^λ [m³/m³], h the tension [kPa], cut at saturation."""

    theta_33: float
    pore_size_index: float
    theta_s: float

    def theta(self, kpa: Floats) -> Floats:
        """Water content [m³/m³] at tensions [kPa], shape of ``kpa``."""
        with np.errstate(divide="ignore"):
            found = self.theta_33 * (33.0 / np.maximum(kpa, 1e-9)) ** self.pore_size_index
        return np.minimum(found, self.theta_s)

    def tension_kpa(self, theta: Floats) -> Floats:
        """Tension [kPa] at water contents [m³/m³]; 0 at and above saturation, at most 100 000."""
        values = np.maximum(np.asarray(theta, float), 1e-9)
        found = np.minimum(33.0 * (self.theta_33 / values) ** (1 / self.pore_size_index), DRIEST_KPA)
        return np.where(values >= self.theta_s, 0.0, found)


@dataclass(frozen=True)
class RetentionCurve:
    """A curve of the whole soil: its shape for the fine earth, stones by volume [-], its error and where it is from.

    ``theta_error`` is its standard error [m³/m³]; ``full_kpa`` the tension the full point is read at [kPa].
    """

    shape: VanGenuchten | LogCurve
    kind: CurveKind
    source: Source
    stones_fraction: float = 0.0
    theta_error: float = TEXTURE_ERROR_THETA
    full_kpa: float = 33.0
    points: tuple[tuple[float, float], ...] = field(default=(), compare=False)

    def theta(self, kpa: Floats | float) -> Floats:
        """Water content of the whole soil [m³/m³] at tensions [kPa], shape of ``kpa``."""
        return np.asarray(self.shape.theta(np.asarray(kpa, float)) * (1 - self.stones_fraction))

    def tension_kpa(self, theta: Floats | float) -> Floats:
        """Tension [kPa] at water contents of the whole soil [m³/m³], shape of ``theta``."""
        return np.asarray(self.shape.tension_kpa(np.asarray(theta, float) / (1 - self.stones_fraction)))


def equation_curve(earth: FineEarth, stones_fraction: float = 0.0) -> RetentionCurve:
    """The curve of Saxton & Rawls for a texture.

    Parameters
    ----------
    earth : FineEarth
        Sand, clay [-], organic matter [%], bulk density [g/cm³].
    stones_fraction : float
        Stones by volume [-].

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, Eq. 11.

    Examples
    --------
    >>> curve = equation_curve(FineEarth(0.40, 0.20))
    >>> round(float(curve.theta(33.0)), 2), round(float(curve.tension_kpa(curve.theta(100.0))), 1)
    (0.28, 100.0)
    """
    water = saxton_rawls(earth)
    shape = LogCurve(water.theta_33, water.pore_size_index, water.theta_saturation)
    source = Source(
        "equation", f"Saxton & Rawls 2006, {water.texture}", Notice("source.log_curve", wet_kpa=33.0, dry_kpa=1500.0)
    )
    return RetentionCurve(shape, "equation", source, stones_fraction, full_kpa=water.full_tension_kpa)


@cache
def class_parameters() -> dict[str, VanGenuchten]:
    """Class averages of the van Genuchten parameters by USDA texture class (θ in m³/m³, α in 1/cm).

    References
    ----------
    .. [1] Carsel & Parrish (1988), Water Resour. Res. 24:755-769.
    """
    return {
        row["texture"]: VanGenuchten(*(float(row[n]) for n in ("theta_r", "theta_s", "alpha_1_cm", "n")))
        for row in table_rows(CLASS_TABLE)
    }


def class_curve(sand_fraction: float, clay_fraction: float, stones_fraction: float = 0.0) -> RetentionCurve:
    """The class-average curve of a texture (shares of the fine earth and stones [-]).

    References
    ----------
    .. [1] Carsel & Parrish (1988), Water Resour. Res. 24:755-769.
    """
    texture = texture_class(sand_fraction, clay_fraction)
    source = Source("table", f"Carsel & Parrish 1988, {texture}", "class average; single soils stray widely from it")
    full = 10.0 if texture in SANDS else 33.0
    return RetentionCurve(
        class_parameters()[texture], "class", source, stones_fraction, CLASS_ERROR_THETA, full_kpa=full
    )


def fitted_curve(points: Sequence[tuple[float, float]], kind: CurveKind, start: VanGenuchten) -> RetentionCurve:
    """Van Genuchten's curve through points of the whole soil by least squares in θ.

    Parameters
    ----------
    points : sequence of (float, float), shape (n, 2)
        Tension [kPa], positive when dry, and water content of the whole soil [m³/m³].
    kind : CurveKind
        "points" from a laboratory, "pairs" from sensors side by side.
    start : VanGenuchten
        Where the search begins: the class average of the texture.

    Returns
    -------
    RetentionCurve
        Its error is the root mean square of what the points miss it by, with the degrees of freedom taken off.

    Raises
    ------
    RetentionError
        If there are fewer than five points, they span less than 0.06 m³/m³ or one decade of tension, water does not
        fall with tension, or the best curve misses them by more than 0.04 m³/m³.

    References
    ----------
    .. [1] van Genuchten (1980), Soil Sci. Soc. Am. J. 44:892-898.
    """
    kpa, theta = (np.array([p[side] for p in points], dtype=float) for side in (0, 1))
    _check_points(kpa, theta)
    found = _fit(kpa, theta, start)
    missed = found.theta(kpa) - theta
    rmse = float(np.sqrt(np.sum(missed**2) / max(1, len(points) - 4)))
    reason = Notice("error.curve_misses", rmse_theta=rmse, worst_theta=WORST_RMSE_THETA)
    require(rmse <= WORST_RMSE_THETA, "points", reason, RetentionError)
    what = "laboratory points" if kind == "points" else "sensors side by side"
    detail = Notice(
        "source.fitted_curve", points=len(points), wet_kpa=float(kpa.min()), dry_kpa=float(kpa.max()), rmse_theta=rmse,
        theta_r=found.theta_r, theta_s=found.theta_s, alpha=found.alpha_1_cm, n=found.n,
    )  # fmt: skip
    source = Source("reading", f"van Genuchten 1980, fitted to {what}", detail)
    return RetentionCurve(found, kind, source, 0.0, max(rmse, 0.005), points=tuple(zip(kpa, theta, strict=True)))


def held_curve(points: Sequence[tuple[float, float]], shape: VanGenuchten) -> RetentionCurve:
    """The class average moved and stretched in water content to sensors side by side, where these span too little.

    Under frequent small sets tension and water content hardly move: they say where the curve lies and nothing of its
    shape. Moved freely, stretched by what the points say against 1 ± 0.4.

    Parameters
    ----------
    points : sequence of (float, float), shape (n, 2)
        Tension [kPa] and water content of the whole soil [m³/m³].
    shape : VanGenuchten
        The class average of the texture.

    Returns
    -------
    RetentionCurve
        Its error is what the points miss it by, together with a class average's.

    Raises
    ------
    RetentionError
        If there are fewer than five points, one is impossible, or they miss the curve by more than 0.04 m³/m³.
    """
    kpa, theta = (np.array([p[side] for p in points], dtype=float) for side in (0, 1))
    _check_possible(kpa, theta)
    average = shape.theta(kpa)
    away, said = average - average.mean(), theta - theta.mean()
    weight = (PAIR_ERROR_THETA / STRETCH_SD) ** 2
    stretch = float((away @ said + weight) / (away @ away + weight))
    require(stretch > 0, "points", "the water does not fall as the tension rises: look for a mix-up", RetentionError)
    wet = float(theta.mean() - stretch * average.mean())
    moved = VanGenuchten(
        max(0.0, wet + stretch * shape.theta_r), wet + stretch * shape.theta_s, shape.alpha_1_cm, shape.n
    )
    rmse = float(np.sqrt(np.mean((moved.theta(kpa) - theta) ** 2)))
    reason = Notice("error.curve_misses", rmse_theta=rmse, worst_theta=WORST_RMSE_THETA)
    require(rmse <= WORST_RMSE_THETA, "points", reason, RetentionError)
    detail = Notice(
        "source.held_curve", points=len(points), wet_kpa=float(kpa.min()), dry_kpa=float(kpa.max()), rmse_theta=rmse
    )
    source = Source("reading", "class average (Carsel & Parrish 1988) moved to sensors side by side", detail)
    error = math.hypot(rmse, CLASS_ERROR_THETA)  # away from its points the shape is no better known than a class's
    return RetentionCurve(moved, "pairs", source, 0.0, error, points=tuple(zip(kpa, theta, strict=True)))


def pairs_curve(points: Sequence[tuple[float, float]], start: VanGenuchten) -> RetentionCurve:
    """A curve from sensors side by side: fitted where they span enough, else held by the texture's shape.

    ``points`` as in :func:`fitted_curve`, ``start`` the class average. Raises RetentionError where neither can be.
    """
    if spans_enough(points):
        return fitted_curve(points, "pairs", start)
    return held_curve(points, start)


def spans_enough(points: Sequence[tuple[float, float]]) -> bool:
    """Whether points span 0.06 m³/m³ and a decade of tension: enough for a shape of their own."""
    if not points:
        return False
    kpa, theta = (np.array([p[side] for p in points], dtype=float) for side in (0, 1))
    return _decades(kpa) >= NARROWEST_DECADES - 1e-9 and float(np.ptp(theta)) >= NARROWEST_THETA


def _decades(kpa: Floats) -> float:
    return math.log10(float(kpa.max()) / max(float(kpa.min()), 1.0)) if kpa.max() > 0 else 0.0


def _check_possible(kpa: Floats, theta: Floats) -> None:
    few = Notice("error.few_points", points=len(kpa), wanted=FEWEST_POINTS)
    require(len(kpa) >= FEWEST_POINTS, "points", few, RetentionError)
    possible = bool(np.all(kpa >= 0) and np.all((theta > 0) & (theta < 0.8)))
    require(possible, "points", Notice("error.points_range", low_kpa=0.0, high_theta=0.8), RetentionError)


def _check_points(kpa: Floats, theta: Floats) -> None:
    _check_possible(kpa, theta)
    spread = Notice("error.points_narrow", span_theta=float(np.ptp(theta)), wanted_theta=NARROWEST_THETA)
    require(float(np.ptp(theta)) >= NARROWEST_THETA, "points", spread, RetentionError)
    decades = Notice("error.points_decade", wet_kpa=float(kpa.min()), dry_kpa=float(kpa.max()))
    require(_decades(kpa) >= NARROWEST_DECADES - 1e-9, "points", decades, RetentionError)
    rank = np.corrcoef(np.argsort(np.argsort(kpa)), np.argsort(np.argsort(-theta)))[0, 1]
    require(rank >= 0.5, "points", "the water does not fall as the tension rises: look for a mix-up", RetentionError)


def _fit(kpa: Floats, theta: Floats, start: VanGenuchten) -> VanGenuchten:
    from scipy.optimize import least_squares  # loaded only where a curve is fitted: it takes a third of a second

    def curve(p: Floats) -> VanGenuchten:
        return VanGenuchten(float(p[0]), float(p[1]), float(np.exp(p[2])), 1 + float(np.exp(p[3])))

    def missed(p: Floats) -> Floats:
        return curve(p).theta(kpa) - theta

    low = [0.0, float(theta.max()) - 0.02, math.log(1e-4), math.log(0.02)]
    high = [max(float(theta.min()), 0.001), 0.75, math.log(1.0), math.log(9.0)]
    best = None
    for n in (start.n, 1.2, 1.5, 2.2):
        first = [min(start.theta_r, high[0]), start.theta_s, math.log(start.alpha_1_cm), math.log(n - 1)]
        inside = np.clip(first, np.array(low) + 1e-6, np.array(high) - 1e-6)
        found = least_squares(missed, inside, bounds=(low, high), x_scale=(0.05, 0.05, 1, 1), xtol=1e-12, ftol=1e-12)
        if best is None or found.cost < best.cost:
            best = found
    assert best is not None
    return curve(best.x)


@dataclass(frozen=True)
class TensionLine:
    """A line of the table: tension [kPa], water content [m³/m³], available water used [-] and left [mm]."""

    kpa: float
    theta: float
    used_share: float
    left_mm: float
    used_mm: float


TABLE_KPA = (5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 33.0, 40.0, 50.0, 60.0, 70.0, 80.0, 100.0, 120.0, 150.0, 200.0, 400.0,
             800.0, 1500.0)  # fmt: skip


def tension_table(
    curve: RetentionCurve, marks: tuple[float, float], thickness_cm: float, tensions_kpa: Sequence[float] = TABLE_KPA
) -> list[TensionLine]:
    """What a tension means in a layer.

    Parameters
    ----------
    curve : RetentionCurve
    marks : (float, float)
        Full and wilting point [m³/m³].
    thickness_cm : float
        Thickness of the layer [cm].
    tensions_kpa : sequence of float
        Tensions [kPa].

    Returns
    -------
    list of TensionLine
        Share of available water used: 0 at the full point, 1 at wilting, outside 0 to 1 beyond them.
    """
    full, wilting = marks
    require(wilting < full, "marks", "the wilting point must lie below the full point", RetentionError)
    lines = []
    for kpa, theta in zip(tensions_kpa, curve.theta(np.array(tensions_kpa)).tolist(), strict=True):
        used = (full - theta) / (full - wilting)
        whole = 10 * thickness_cm
        lines.append(TensionLine(kpa, theta, used, whole * (theta - wilting), whole * (full - theta)))
    return lines
