"""How many samples a calibration wants, and what its error means for the block."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import CoreError, require
from embalse.core.sensors.calibration_fit import FEWEST_LEVELS
from embalse.core.wording import Notice

BETWEEN_SAMPLES_THETA: Final = 0.025
"""Spread of weighed samples about a good curve, taken a hand apart [m³/m³] (common practice, no source)."""
LEVELS: Final = 5  # levels of moisture a plan spreads its samples over (ours)
SURE_Z: Final = 1.645  # normal quantile of 9 times in 10, both sides
MOST_SAMPLES: Final = 400  # samples more than anyone digs (ours)
TOLD_SAMPLES: Final = 1_000_000  # samples up to which their number means anything to anyone (ours)


class PlanError(CoreError):
    """A sampling plan that cannot be made."""


@dataclass(frozen=True)
class SampleStep:
    """A round of sampling: when to go, at which depths [cm], how many at each."""

    when: str
    depths_cm: tuple[float, ...]
    each: int


@dataclass(frozen=True)
class SamplingPlan:
    """Samples wanted for an error of the root zone's water [mm], by round, and the error they are expected to leave."""

    samples: int
    expected_mm: float
    steps: tuple[SampleStep, ...]
    words: Notice


def sampling_plan(
    depths_cm: Sequence[float], root_zone_mm_per_theta: float, within_mm: float, spread: float = BETWEEN_SAMPLES_THETA
) -> SamplingPlan:
    """How many samples bring the curve's own error in the root zone within some mm, nine times in ten.

    The mean of a curve fitted to n samples errs by spread/√n, and near the ends of its range by about √2 of that; all
    layers share it, so that it adds up over the root zone.

    Parameters
    ----------
    depths_cm : sequence of float
        Depths to sample [cm].
    root_zone_mm_per_theta : float
        Water in the root zone per unit of water content [mm], 10 × its thickness in cm.
    within_mm : float
        Error wanted [mm], 90 %.
    spread : float
        Standard deviation of samples about the curve [m³/m³].

    Raises
    ------
    PlanError
        If no depth is given, or it would take more than 400 samples.

    Examples
    --------
    >>> sampling_plan((10, 30, 50), 600.0, 10.0).samples
    15
    """
    require(len(depths_cm) > 0, "depths_cm", "at least one depth is wanted", PlanError)
    require(within_mm > 0 and spread > 0, "within_mm", "must be above 0", PlanError)
    ratio = SURE_Z * spread * root_zone_mm_per_theta / within_mm
    too_many = ratio > TOLD_SAMPLES**0.5
    wanted = MOST_SAMPLES + 1 if too_many else math.ceil(ratio**2)
    least = max(FEWEST_LEVELS["linear"], LEVELS) * len(depths_cm)
    count = max(wanted, least)
    many = Notice("error.many_samples", samples=None if too_many else count, within_mm=within_mm)
    require(count <= MOST_SAMPLES, "within_mm", many, PlanError)
    each = math.ceil(count / (LEVELS * len(depths_cm)))
    total = each * LEVELS * len(depths_cm)
    expected = SURE_Z * spread * root_zone_mm_per_theta / math.sqrt(total)
    whens = (
        "the day after a full wetting", "when a third of the allowable depletion is used", "when two thirds are used",
        "at the refill point", "drier than refill, where the crop can bear it, or in a bare corner",
    )  # fmt: skip
    steps = tuple(SampleStep(when, tuple(depths_cm), each) for when in whens)
    words = Notice("sampling.plan", samples=total, expected_mm=expected)
    return SamplingPlan(total, expected, steps, words)


@dataclass(frozen=True)
class MeantInWater:
    """What a calibration's error means: of a reading [m³/m³], in the root zone [mm], in days at a use."""

    error_mm: float
    days: float | None
    words: Notice


def meant_in_water(
    own_theta: float, shared_theta: float, layers_mm: Sequence[float], use_mm_d: float | None
) -> MeantInWater:
    """A calibration's error over the root zone.

    Parameters
    ----------
    own_theta, shared_theta : float
        Error of one reading, and the one all readings under the calibration share [m³/m³].
    layers_mm : sequence of float
        Water of each layer per unit of water content [mm], 10 × thickness in cm.
    use_mm_d : float or None
        Use today [mm/day].

    Examples
    --------
    >>> round(meant_in_water(0.0, 0.01, (150.0, 250.0), 5.0).error_mm, 1)
    4.0
    """
    own = own_theta * math.sqrt(sum(mm**2 for mm in layers_mm))
    error = math.hypot(own, shared_theta * sum(layers_mm))
    days = None if not use_mm_d else error / use_mm_d
    words = Notice("sampling.meant", error_mm=error, error_days=days)
    return MeantInWater(error, days, words)
