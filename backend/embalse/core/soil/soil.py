"""Texture class and the water a soil holds."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from embalse.core.errors import CoreError, TextureError, require, require_between
from embalse.core.wording import Notice

PARTICLE_DENSITY_G_CM3 = 2.65  # g/cm³ of mineral soil (Saxton & Rawls 2006)
SATURATION_LIMIT_KPA = 33.0  # kPa between the two branches of the tension equation (Saxton & Rawls 2006, Eq. 15)
WILTING_TENSION_KPA = 1500.0  # kPa of the permanent wilting point (FAO-56, chapter 8)
CURVE_KPA = (5.0, 10.0, 20.0, 33.0, 60.0, 100.0, 200.0, 400.0, 800.0, 1500.0)  # kPa at which a curve is tabled
SANDS = frozenset({"sand", "loamy sand"})


def texture_class(sand_fraction: float, clay_fraction: float) -> str:
    """USDA texture class of the fine earth.

    Parameters
    ----------
    sand_fraction, clay_fraction : float
        Shares of the fine earth by mass [-]; silt is the rest.

    Returns
    -------
    str
        One of the twelve class names, lower case.

    Raises
    ------
    TextureError
        If a share is negative or they add up to more than 1.

    References
    ----------
    .. [1] Soil Survey Division Staff, Soil Survey Manual, USDA Handbook 18, texture triangle.

    Examples
    --------
    >>> texture_class(0.40, 0.20)
    'loam'
    """
    _check_texture(sand_fraction, clay_fraction)
    sand, clay = (round(100 * share, 9) for share in (sand_fraction, clay_fraction))
    silt = round(100 - sand - clay, 9)
    rules = (
        ("sand", silt + 1.5 * clay < 15),
        ("loamy sand", silt + 2 * clay < 30),
        ("silt", silt >= 80 and clay < 12),
        ("silt loam", silt >= 50 and clay < 27),
        ("sandy loam", (clay < 20 and sand > 52) or (clay < 7 and silt < 50)),
        ("loam", clay < 27 and 28 <= silt < 50),
        ("sandy clay loam", clay < 35 and silt < 28 and sand > 45),
        ("silty clay loam", clay < 40 and sand <= 20),
        ("clay loam", clay < 40 and sand <= 45),
        ("sandy clay", sand > 45),
        ("silty clay", silt >= 40),
    )
    return next((name for name, holds in rules if holds), "clay")


def _check_texture(sand_fraction: float, clay_fraction: float) -> None:
    require(sand_fraction >= 0, "sand_fraction", "must not be negative", TextureError)
    require(clay_fraction >= 0, "clay_fraction", "must not be negative", TextureError)
    total = sand_fraction + clay_fraction
    require(
        total <= 1 + 1e-9,
        "sand_fraction",
        f"sand and clay add up to {100 * total:.0f} %, more than 100 %",
        TextureError,
    )


@dataclass(frozen=True)
class FineEarth:
    """Fine earth as the equations want it: shares by mass [-], organic matter [%], bulk density [g/cm³] or None."""

    sand_fraction: float
    clay_fraction: float
    organic_matter_pct: float = 2.5
    bulk_density_g_cm3: float | None = None


@dataclass(frozen=True)
class SoilWater:
    """Water contents [m³/m³], conductivity [mm/h] and density [g/cm³] of the fine earth.

    ``pore_size_index`` is λ [-], the slope of the logarithmic tension curve; ``full_tension_kpa`` says at which
    tension ``theta_full`` was read. ``cautions`` lists what is outside the range the equations were fitted on.
    """

    texture: str
    theta_wilting: float
    theta_33: float
    theta_full: float
    full_tension_kpa: float
    theta_saturation: float
    ks_mm_h: float
    bulk_density_g_cm3: float
    pore_size_index: float
    cautions: tuple[Notice, ...] = ()


def saxton_rawls(earth: FineEarth) -> SoilWater:
    """Water contents of a soil from its texture, organic matter and density.

    The full point is read at 33 kPa, in sand and loamy sand at 10 kPa. For the sands the logarithmic curve between
    33 and 1500 kPa is carried on to 10 kPa, because the straight wet branch of the source gives a sand 0.38 m³/m³
    there, far above the 0.07 to 0.17 of FAO-56 Table 19.

    Parameters
    ----------
    earth : FineEarth
        Sand and clay [-], organic matter [%], bulk density of the fine earth [g/cm³] or None for the normal one.

    Returns
    -------
    SoilWater
        Water contents of the fine earth [m³/m³], before stones are taken out.

    Raises
    ------
    TextureError
        If sand and clay cannot be a soil.
    CoreError
        If organic matter is outside 0 to 20 %, or the density leaves no pores to drain.

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, doi 10.2136/ssaj2005.0117, Eqs. 1-15.

    Examples
    --------
    >>> water = saxton_rawls(FineEarth(0.40, 0.20, 2.5))
    >>> round(water.theta_wilting, 3), round(water.theta_full, 3)
    (0.137, 0.28)
    """
    texture = texture_class(earth.sand_fraction, earth.clay_fraction)
    require_between(earth.organic_matter_pct, 0.0, 20.0, "organic_matter_pct", "%")
    sand, clay, organic = earth.sand_fraction, earth.clay_fraction, earth.organic_matter_pct
    theta_1500 = _theta_1500(sand, clay, organic)
    theta_33 = _theta_33(sand, clay, organic)
    theta_s = theta_33 + _theta_s_33(sand, clay, organic) - 0.097 * sand + 0.043
    density = (1 - theta_s) * PARTICLE_DENSITY_G_CM3
    cautions = _range_cautions(earth)
    if earth.bulk_density_g_cm3 is not None:
        theta_33, theta_s, caution = _compacted(theta_33, theta_s, density, earth.bulk_density_g_cm3)
        density, cautions = earth.bulk_density_g_cm3, cautions + caution
    if not 0 < theta_1500 < theta_33 < theta_s:
        raise CoreError(
            "horizon",
            Notice("error.no_soil_curve", sand_fraction=sand, clay_fraction=clay, density_g_cm3=density),
        )
    slope = math.log(theta_33 / theta_1500) / math.log(WILTING_TENSION_KPA / SATURATION_LIMIT_KPA)
    full_kpa = 10.0 if texture in SANDS else SATURATION_LIMIT_KPA
    theta_full = min(theta_33 * (SATURATION_LIMIT_KPA / full_kpa) ** slope, theta_s)
    return SoilWater(
        texture=texture,
        theta_wilting=theta_1500,
        theta_33=theta_33,
        theta_full=theta_full,
        full_tension_kpa=full_kpa,
        theta_saturation=theta_s,
        ks_mm_h=1930.0 * (theta_s - theta_33) ** (3.0 - slope),
        bulk_density_g_cm3=density,
        pore_size_index=slope,
        cautions=cautions,
    )


def _theta_1500(sand: float, clay: float, organic: float) -> float:
    first = (
        -0.024 * sand + 0.487 * clay + 0.006 * organic + 0.005 * sand * organic
        - 0.013 * clay * organic + 0.068 * sand * clay + 0.031
    )  # fmt: skip
    return first + 0.14 * first - 0.02


def _theta_33(sand: float, clay: float, organic: float) -> float:
    first = (
        -0.251 * sand + 0.195 * clay + 0.011 * organic + 0.006 * sand * organic
        - 0.027 * clay * organic + 0.452 * sand * clay + 0.299
    )  # fmt: skip
    return first + 1.283 * first**2 - 0.374 * first - 0.015


def _theta_s_33(sand: float, clay: float, organic: float) -> float:
    first = (
        0.278 * sand + 0.034 * clay + 0.022 * organic - 0.018 * sand * organic
        - 0.027 * clay * organic - 0.584 * sand * clay + 0.078
    )  # fmt: skip
    return first + 0.636 * first - 0.107


def _compacted(
    theta_33: float, theta_s: float, normal: float, density: float
) -> tuple[float, float, tuple[Notice, ...]]:
    """Saturation and 33 kPa water content at another bulk density [g/cm³] (Eqs. 6-10 of Saxton & Rawls 2006)."""
    require_between(density, 0.5, 2.2, "bulk_density_g_cm3", "g/cm³")
    theta_s_dense = 1 - density / PARTICLE_DENSITY_G_CM3
    theta_33_dense = theta_33 - 0.2 * (theta_s - theta_s_dense)
    if theta_s_dense <= theta_33_dense:
        raise CoreError("bulk_density_g_cm3", Notice("error.no_pores", density_g_cm3=density))
    if 0.9 <= density / normal <= 1.3:
        return theta_33_dense, theta_s_dense, ()
    note = Notice("caution.density", density_g_cm3=density, normal_g_cm3=normal)
    return theta_33_dense, theta_s_dense, (note,)


def _range_cautions(earth: FineEarth) -> tuple[Notice, ...]:
    notes = []
    if earth.clay_fraction > 0.60:
        notes.append(Notice("caution.clay"))
    if earth.organic_matter_pct > 8:
        notes.append(Notice("caution.organic"))
    return tuple(notes)


def bulk_theta(fine_earth_theta: float, stones_fraction: float) -> float:
    """Water content of the whole soil when stones hold none.

    Parameters
    ----------
    fine_earth_theta : float
        Water content of the fine earth [m³/m³].
    stones_fraction : float
        Stones by volume of the whole soil [-], 0 to below 1.

    Returns
    -------
    float
        Water content of the whole soil [m³/m³].

    Raises
    ------
    CoreError
        If the stones fill the soil.

    Examples
    --------
    >>> bulk_theta(0.25, 0.20)
    0.2
    """
    require(0 <= stones_fraction < 1, "stones_fraction", f"must lie from 0 to below 1, is {stones_fraction:g}")
    return fine_earth_theta * (1 - stones_fraction)


def retention_curve(
    water: SoilWater, stones_fraction: float, tensions_kpa: Sequence[float] = CURVE_KPA
) -> list[tuple[float, float]]:
    """Water content of the whole soil at given tensions, for drawing.

    The logarithmic curve through 33 and 1500 kPa, carried on to lower tensions and cut at saturation.

    Parameters
    ----------
    water : SoilWater
        Fine earth, from ``saxton_rawls``.
    stones_fraction : float
        Stones by volume [-].
    tensions_kpa : sequence of float
        Tensions [kPa], positive when dry.

    Returns
    -------
    list of (float, float)
        Tension [kPa] and water content [m³/m³].

    References
    ----------
    .. [1] Saxton & Rawls (2006), Soil Sci. Soc. Am. J. 70:1569-1578, Eq. 11.
    """
    points = []
    for tension in tensions_kpa:
        theta = water.theta_33 * (SATURATION_LIMIT_KPA / tension) ** water.pore_size_index
        points.append((tension, bulk_theta(min(theta, water.theta_saturation), stones_fraction)))
    return points
