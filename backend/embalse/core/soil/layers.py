"""The soil each sensor stands for."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

from embalse.core.errors import LayerError, require
from embalse.core.practice import practice
from embalse.core.soil.horizon_marks import HorizonMarks, over_depth, profile_bottom_cm
from embalse.core.wording import Notice


def layer_limits_cm(depths_cm: Sequence[float], bottom_cm: float | None = None) -> list[float]:
    """Limits of the layers that sensors stand for: midway between sensors, the first from the surface.

    Parameters
    ----------
    depths_cm : sequence of float, shape (n,)
        Sensor depths, strictly increasing [cm].
    bottom_cm : float, optional
        Lower limit of the last layer [cm]; without it the last layer is symmetric about its sensor.

    Returns
    -------
    list of float, shape (n + 1,)
        Layer limits [cm], starting with 0.

    Raises
    ------
    LayerError
        If there is no sensor, depths do not increase, or the bottom is not below the last sensor.

    Examples
    --------
    >>> layer_limits_cm([10, 20, 30, 45, 60, 90], bottom_cm=100)
    [0.0, 15.0, 25.0, 37.5, 52.5, 75.0, 100.0]
    """
    require(len(depths_cm) > 0, "depths_cm", "a station needs at least one sensor", LayerError)
    require(depths_cm[0] > 0, "depths_cm", "a sensor must lie below the surface", LayerError)
    for upper, lower in pairwise(depths_cm):
        require(lower > upper, "depths_cm", Notice("error.depths", depth_cm=lower), LayerError)
    middles = [(upper + lower) / 2 for upper, lower in pairwise(depths_cm)]
    last_top = middles[-1] if middles else 0.0
    bottom = bottom_cm if bottom_cm is not None else 2 * depths_cm[-1] - last_top
    require(bottom > depths_cm[-1], "bottom_cm", "the last layer must end below its sensor", LayerError)
    return [0.0, *middles, float(bottom)]


@dataclass(frozen=True)
class Layer:
    """A layer [cm] with its marks [m³/m³] over the part the roots reach; ``rooted_cm`` is that part's thickness.

    A layer with ``rooted_cm`` of 0 is watched only: its marks are those of the whole layer.
    """

    depth_cm: float
    top_cm: float
    bottom_cm: float
    rooted_cm: float
    theta_full: float
    theta_refill: float
    theta_wilting: float
    theta_saturation: float

    @property
    def thickness_cm(self) -> float:
        """Whole thickness [cm]."""
        return self.bottom_cm - self.top_cm

    def water_mm(self, theta: float) -> float:
        """Water [mm] in the part the roots reach at a water content [m³/m³]."""
        return 10.0 * theta * self.rooted_cm

    def share_available(self, theta: float) -> float:
        """Share of the available water present [-]: 0 at wilting point, 1 at full point."""
        return (theta - self.theta_wilting) / (self.theta_full - self.theta_wilting)


@dataclass(frozen=True)
class RootZoneRule:
    """Root depth [cm] and the share of available water [-] that may be used before refilling.

    ``allowable_mm`` is the depletion allowed in the root zone [mm] where it was set so; the share then follows.
    """

    root_depth_cm: float
    allowable_fraction: float
    allowable_mm: float | None = None


def build_layers(
    depths_cm: Sequence[float], horizons: Sequence[HorizonMarks], rule: RootZoneRule, bottom_cm: float | None = None
) -> list[Layer]:
    """Layers of a station, cut at the root depth and at the bottom of the described soil.

    A layer's mark is the mean of its horizons' marks, weighted by thickness within the part the roots reach. The
    refill point is ``full - p (full - wilting)`` unless a horizon has its own.

    Parameters
    ----------
    depths_cm : sequence of float, shape (n,)
        Sensor depths [cm], increasing.
    horizons : sequence of HorizonMarks
        Soil from the surface down, whole-soil water contents [m³/m³].
    rule : RootZoneRule
        Root depth [cm] and allowable fraction [-].
    bottom_cm : float, optional
        Lower limit of the last layer [cm].

    Returns
    -------
    list of Layer, shape (n,)

    Raises
    ------
    LayerError
        If the depths make no layers or a sensor lies below the described soil.
    CoreError
        If the root depth or the allowable fraction is out of range.
    """
    return list(_built(tuple(depths_cm), tuple(horizons), rule, bottom_cm))


@lru_cache(maxsize=4096)
def _built(
    depths_cm: tuple[float, ...], horizons: tuple[HorizonMarks, ...], rule: RootZoneRule, bottom_cm: float | None
) -> tuple[Layer, ...]:
    require(0 < rule.root_depth_cm <= 500, "root_depth_cm", Notice("error.range_cm", low_cm=0.0, high_cm=500.0))
    require(0 < rule.allowable_fraction < 1, "allowable_depletion_fraction", "must lie between 0 and 1, both excluded")
    limits = layer_limits_cm(depths_cm, bottom_cm)
    soil_bottom = profile_bottom_cm(horizons)
    require(
        depths_cm[-1] <= soil_bottom,
        "depth_cm",
        Notice("too_shallow.sensor", depth_cm=depths_cm[-1], described_cm=soil_bottom),
        LayerError,
    )
    limits[-1] = min(limits[-1], soil_bottom)
    spans = zip(depths_cm, limits, limits[1:], strict=False)
    return tuple(_layer(depth, (top, bottom), horizons, rule) for depth, top, bottom in spans)


def _layer(depth_cm: float, span: tuple[float, float], horizons: Sequence[HorizonMarks], rule: RootZoneRule) -> Layer:
    top, bottom = span
    used_bottom = min(bottom, rule.root_depth_cm)
    used = max(0.0, used_bottom - top)
    parts = over_depth(horizons, top, used_bottom if used > 0 else bottom)

    def mean(name: str) -> float:
        return float(sum(getattr(h, name) * share for h, share in parts))

    refill = sum(share * _refill_theta(h, rule.allowable_fraction) for h, share in parts)
    return Layer(
        depth_cm, top, bottom, used, mean("theta_full"), refill, mean("theta_wilting"), mean("theta_saturation")
    )


def _refill_theta(horizon: HorizonMarks, allowable_fraction: float) -> float:
    if horizon.theta_refill is not None:
        return horizon.theta_refill
    return horizon.theta_full - allowable_fraction * (horizon.theta_full - horizon.theta_wilting)


def usual_depths_cm(root_depth_cm: float) -> list[float]:
    """Depths of sensors that stand for all of the roots, closer in the upper soil [cm].

    Parameters
    ----------
    root_depth_cm : float
        Depth of the roots [cm].

    Examples
    --------
    >>> usual_depths_cm(100)
    [10.0, 20.0, 30.0, 50.0, 70.0, 90.0]
    >>> usual_depths_cm(30)
    [10.0, 20.0, 30.0]
    """
    require(root_depth_cm > 0, "root_depth_cm", "must be above 0")
    close, close_to, wide = (practice(f"usual_depths_{name}_cm") for name in ("close", "close_to", "wide"))
    depths = [close, 2 * close]
    while layer_limits_cm(depths)[-1] < root_depth_cm:
        depths.append(depths[-1] + (close if depths[-1] < close_to else wide))
    return depths
