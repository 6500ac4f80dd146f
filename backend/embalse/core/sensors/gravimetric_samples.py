"""Weighed and oven-dried soil samples: water content by mass and by volume, bulk density, and what looks wrong."""

from dataclasses import dataclass

from embalse.core.errors import CoreError, require
from embalse.core.wording import Notice

PARTICLE_DENSITY_G_CM3 = 2.65  # g/cm³ of mineral soil (common practice, no source)
WATER_DENSITY_G_CM3 = 1.0  # g/cm³
OVEN_C = (100.0, 110.0)  # °C within which the usual 105 °C is met (common practice, no source)
OVEN_H = 24.0  # hours of drying (common practice, no source)
USUAL_DENSITY_G_CM3 = (0.8, 1.9)  # g/cm³ of dry soil that can be (common practice, no source)


class SampleError(CoreError):
    """A sample whose masses or volume cannot be."""


@dataclass(frozen=True)
class WeighedSample:
    """A sample as weighed [g]: empty tin, tin with moist soil, tin with oven-dry soil.

    ``ring_volume_cm3`` is the volume it was cut with; without a ring, ``bulk_density_g_cm3`` must be given.
    ``stones_fraction`` is the share of the soil's volume that is stones which the sample does not hold.
    """

    tare_g: float
    wet_g: float
    dry_g: float
    ring_volume_cm3: float | None = None
    bulk_density_g_cm3: float | None = None
    stones_fraction: float = 0.0
    oven_c: float | None = None
    oven_h: float | None = None


@dataclass(frozen=True)
class SampleWater:
    """Water by mass [g/g] and by volume [m³/m³] of the whole soil, bulk density [g/cm³], and what to look at again."""

    theta_mass: float
    theta: float
    bulk_density_g_cm3: float
    cautions: tuple[Notice, ...] = ()


def sample_water(sample: WeighedSample) -> SampleWater:
    """Water content of a weighed sample.

    Returns
    -------
    SampleWater
        θ = θ_mass · ρb / ρw · (1 − stones) [m³/m³].

    Raises
    ------
    SampleError
        If the masses do not go tare < dry ≤ wet, or neither a volume nor a bulk density is given.

    References
    ----------
    .. [1] Definitions; oven-drying at 105 °C: Gardner (1986), Methods of Soil Analysis, Part 1, ch. 21 (from memory).

    Examples
    --------
    >>> found = sample_water(WeighedSample(50, 212, 185, ring_volume_cm3=100))
    >>> round(found.theta_mass, 3), found.bulk_density_g_cm3, round(found.theta, 3)
    (0.2, 1.35, 0.27)
    """
    require(sample.tare_g >= 0, "tare_g", "must not be negative", SampleError)
    require(sample.dry_g > sample.tare_g, "dry_g", "the dry mass must be above the empty tin's", SampleError)
    require(sample.wet_g >= sample.dry_g, "wet_g", "the moist mass must not be below the dry mass", SampleError)
    require(0 <= sample.stones_fraction < 0.9, "stones_fraction", "must lie between 0 and 0.9", SampleError)
    soil_g = sample.dry_g - sample.tare_g
    density = _bulk_density(sample, soil_g)
    theta_mass = (sample.wet_g - sample.dry_g) / soil_g
    fine = theta_mass * density / WATER_DENSITY_G_CM3
    return SampleWater(theta_mass, fine * (1 - sample.stones_fraction), density, _cautions(sample, density, fine))


def _bulk_density(sample: WeighedSample, soil_g: float) -> float:
    if sample.ring_volume_cm3 is not None:
        require(sample.ring_volume_cm3 > 0, "ring_volume_cm3", "must be above 0", SampleError)
        return soil_g / sample.ring_volume_cm3
    known = sample.bulk_density_g_cm3
    require(known is not None and known > 0, "ring_volume_cm3", "give the ring's volume or a bulk density", SampleError)
    assert known is not None
    return known


def _cautions(sample: WeighedSample, density: float, fine: float) -> tuple[Notice, ...]:
    notes = []
    low, high = USUAL_DENSITY_G_CM3
    if not low <= density <= high:
        notes.append(Notice("sample.density", density_g_cm3=density, low_g_cm3=low, high_g_cm3=high))
    pores = 1 - density / PARTICLE_DENSITY_G_CM3
    if fine > pores:
        notes.append(Notice("sample.pores", water_theta=fine, pores_theta=pores))
    if sample.oven_c is not None and not OVEN_C[0] <= sample.oven_c <= OVEN_C[1]:
        notes.append(Notice("sample.oven_temperature", oven_c=sample.oven_c, usual_c=105.0))
    if sample.oven_h is not None and sample.oven_h < OVEN_H:
        notes.append(Notice("sample.oven_time", oven_h=sample.oven_h))
    return tuple(notes)
