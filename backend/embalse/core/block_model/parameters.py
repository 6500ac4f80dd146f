"""What the model of a block may be: its unknowns with what is believed of them beforehand, and the soil they make."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import DAY_SHARE, Soil
from embalse.core.block_model.ground import Ground
from embalse.core.block_model.record import Record

Floats = NDArray[np.float64]
BY_LAYER: Final = ("ref", "exponent", "share", "wilting", "through")
KNOTS: Final = 5  # weekly values of the demand factor, the last today
KNOT_DAYS: Final = 7
ALONE: Final = ("roots", "stress", "bare", "sets", "rain", "wilt", "saturation", "exchange")
REF_SD: Final = 0.06  # m³/m³ that class tables of field capacity scatter by, a sensor's bias included
LEAST_SPAN: Final = 0.03  # m³/m³ between wilting point and reference at least
EXPONENT_LOG_SD: Final = 0.35  # log of the drainage exponent (Clapp & Hornberger 1978: spread within a class)
SHARE_LOG_SD: Final = 0.7  # log of a layer's share of the roots: profiles are not exponential
DECAY, DECAY_LOG_SD = 0.4, 0.35  # root density's decay length over the root depth
DEMAND, DEMAND_LOG_SD, DEMAND_STEP_LOG_SD = 0.9, 0.2, 0.12
"""Use over Kcb · ETo for a middling crop, its spread (FAO-56: 20 %), and how far it may move within a week."""
MOST_DEMAND: Final = 2.2  # use over Kcb · ETo where all of it comes out of a narrow wetted strip
WILT_SD, WILT_LAYER_SD = 0.035, 0.012  # m³/m³: of the whole profile and of a layer; clays scatter more
STRESS, STRESS_SD, STRESS_LOW, STRESS_HIGH = 0.5, 0.12, 0.1, 0.9  # FAO-56 p
BARE, BARE_LOG_SD = 0.4, 0.5  # evaporation of bare wet ground over ETo (FAO-56 Ke under part cover)
GIVEN_LOG_SD: Final = 0.12  # log of what enters of a set or rain that was logged
SATURATION_SD: Final = 0.015  # m³/m³
EXCHANGE_CM2_D, EXCHANGE_LOG_SD = 12.0, 0.7  # diffusivity of a loam near full
THROUGH_LOG_SD: Final = 1.0
"""Log of a layer's saturated conductivity over its texture's (Carsel & Parrish 1988, from memory)."""
ABOVE_READ: Final = 0.002  # m³/m³ above the wettest reading that pores hold at least (ours)
RESIDUAL_SHARE: Final = 0.4  # of the wilting point: water that neither drains nor moves


@dataclass(frozen=True)
class Names:
    """Where each unknown stands in a vector for so many layers."""

    layers: int

    @property
    def count(self) -> int:
        """How many unknowns there are."""
        return len(BY_LAYER) * self.layers + KNOTS + len(ALONE)

    def layer(self, name: str) -> slice:
        """Places of an unknown that each layer has."""
        start = BY_LAYER.index(name) * self.layers
        return slice(start, start + self.layers)

    @property
    def knots(self) -> slice:
        """Places of the weekly demand factors, the oldest first."""
        start = len(BY_LAYER) * self.layers
        return slice(start, start + KNOTS)

    def alone(self, name: str) -> int:
        """Place of an unknown that the profile has once."""
        return len(BY_LAYER) * self.layers + KNOTS + ALONE.index(name)


@dataclass(frozen=True, eq=False)
class Prior:
    """The ground with what else the unknowns are counted from: wetted share [-], the wettest read [m³/m³], crop.

    ``stress_fraction`` is the share of available water the crop takes before it is short of it [-], by its table.

    An unknown is counted in standard deviations from its middle: the prior of every one is the unit normal.
    """

    ground: Ground
    wetted_fraction: float
    wettest: Floats
    stress_fraction: float = STRESS

    @property
    def names(self) -> Names:
        """Where each unknown stands."""
        return Names(self.ground.count)


def prior_at(ground: Ground, record: Record, wetted_fraction: float, stress_fraction: float) -> Prior:
    """The prior of a record: pores hold a little more than the wettest that was ever read."""
    wettest = np.nan_to_num(record.theta, nan=0.0).max(axis=0) + ABOVE_READ
    return Prior(ground, wetted_fraction, wettest, stress_fraction)


def demand_log(prior: Prior, x: Floats, ago_days: Floats) -> Floats:
    """Logarithm of use over Kcb · ETo on days so long before the last knot; shape (days, vectors).

    ``x`` has shape (unknowns, vectors); days to come go on at the last knot.
    """
    middle = np.log(min(DEMAND / prior.wetted_fraction, MOST_DEMAND))
    knots = x[prior.names.knots]
    steps = np.concatenate([middle + DEMAND_LOG_SD * knots[:1], DEMAND_STEP_LOG_SD * knots[1:]])
    values = np.cumsum(steps, axis=0)
    place = np.clip(KNOTS - 1 - ago_days / KNOT_DAYS, 0, KNOTS - 1)
    low = np.minimum(place.astype(int), KNOTS - 2)
    part = (place - low)[:, None]
    return np.asarray(values[low] * (1 - part) + values[low + 1] * part)


def scale(prior: Prior, x: Floats, name: str) -> Floats:
    """What enters of logged water, or how much bare ground evaporates, as a factor [-], shape (vectors,)."""
    sd = {"sets": GIVEN_LOG_SD, "rain": GIVEN_LOG_SD, "bare": BARE_LOG_SD}[name]
    middle = BARE if name == "bare" else 1.0
    return np.asarray(middle * np.exp(sd * x[prior.names.alone(name)]))


def soil_of(prior: Prior, x: Floats, roots_cm: Floats) -> Soil:
    """The soil that unknowns make, one column each.

    Parameters
    ----------
    prior : Prior
    x : array, shape (unknowns, columns)
        In standard deviations from the middle of the prior.
    roots_cm : array, shape (columns,)
        Root depth of each column [cm].
    """
    ground, names = prior.ground, prior.names
    wilting = np.maximum(
        0.01,
        ground.wilting[:, None] + WILT_SD * x[names.alone("wilt")] + WILT_LAYER_SD * x[names.layer("wilting")],
    )
    ref = np.maximum(ground.ref[:, None] + REF_SD * x[names.layer("ref")], wilting + LEAST_SPAN)
    # the law's own power is of the water above the residual: the same slope where 2 mm a day drain
    steepness = ground.steepness * (1 - RESIDUAL_SHARE * ground.wilting / ground.ref)
    exponent = steepness[:, None] * np.exp(EXPONENT_LOG_SD * x[names.layer("exponent")])
    saturation = np.maximum(
        ground.saturation[:, None] + SATURATION_SD * x[names.alone("saturation")], prior.wettest[:, None]
    )
    saturation = np.maximum(saturation, ref + LEAST_SPAN / 2)
    # what roots find easy to get is counted from field capacity: a sand drains 2 mm a day at far more water than that
    held = np.clip(ground.full[:, None], wilting + LEAST_SPAN, ref)
    used = np.clip(prior.stress_fraction + STRESS_SD * x[names.alone("stress")], STRESS_LOW, STRESS_HIGH)
    decay = DECAY * np.exp(DECAY_LOG_SD * x[names.alone("roots")])
    shares = root_shares(ground.limits_cm, roots_cm, decay) * np.exp(SHARE_LOG_SD * x[names.layer("share")])
    shares = shares / np.maximum(shares.sum(axis=0), 1e-9)
    limits = ground.limits_cm
    through = (24 * DAY_SHARE * ground.ks_mm_h)[:, None] * np.exp(THROUGH_LOG_SD * x[names.layer("through")])
    # out of a layer and into the next no faster than the slower of the two lets through
    through[:-1] = np.minimum(through[:-1], through[1:])
    return Soil(
        thickness_mm=ground.thickness_mm[:, None],
        apart_cm=((limits[2:] - limits[:-2]) / 2)[:, None],
        ref=ref,
        residual=RESIDUAL_SHARE * wilting,
        exponent=np.maximum(exponent, 2.0),
        wilting=wilting,
        threshold=np.maximum(held - used * (held - wilting), wilting + 1e-3),
        saturation=saturation,
        through_mm=through,
        shares=shares,
        exchange_cm2_d=EXCHANGE_CM2_D * np.exp(EXCHANGE_LOG_SD * x[names.alone("exchange")]),
        entry=ground.entry,
    )


def root_shares(limits_cm: Floats, roots_cm: Floats, decay: Floats) -> Floats:
    """Share of the roots by layer for a density that falls off with depth [-], shape (layers, columns).

    Density is exp(−z / (decay · root depth)) down to the root depth; ``roots_cm`` [cm] and ``decay`` [-] have shape
    (columns,).
    """
    deep = np.minimum(limits_cm[:, None], roots_cm) / (decay * roots_cm)
    whole = 1 - np.exp(-1 / decay)
    return np.asarray(-np.diff(np.exp(-deep), axis=0) / whole)
