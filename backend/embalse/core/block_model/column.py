"""The layered soil-water model itself: many columns of soil at once, a step of three hours after another."""

from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
STEP_H: Final = 3  # hours of a step: a day's course of uptake needs a few (ours)
STEPS_A_DAY: Final = 24 // STEP_H
DAY_SHARE: Final = 1 / STEPS_A_DAY
SLOW_MM_D: Final = 2.0  # mm/day that drain at a layer's reference: near what a full soil still loses (ours)
DRIEST: Final = 0.02  # relative wetness [-] below which a layer's drainage and exchange are nothing (ours)
WETTEST: Final = 3.0  # relative wetness [-] no layer exceeds in the drainage law (ours)
AIRLESS_THETA: Final = 0.04  # m³/m³ of air below which roots take less and less, to none at saturation (ours)
COMPENSATED: Final = 0.75
"""Share of the roots [-] that well-watered layers must hold for the whole demand to be met (Jarvis 1989, memory)."""
POND_MM: Final = 120.0  # mm that may stand above what lets no more through; more runs off (ours)
OPEN_KCB: Final = 1.15  # basal coefficient [-] of full cover (FAO-56 Table 17)
LEAST_BARE: Final = 0.06  # share of bare ground [-] under full cover (ours)
WETTEST_EXCHANGE: Final = 1.2  # mean relative wetness [-] above which exchange grows no more (ours)


@dataclass(frozen=True, eq=False)
class Soil:
    """Columns of soil: water contents [m³/m³], exponents and shares [-], all of shape (layers, columns) or (columns,).

    ``thickness_mm`` and ``apart_cm`` (between the middles of neighbours) have shapes (layers, 1) and (layers − 1, 1).
    """

    thickness_mm: Floats
    apart_cm: Floats
    ref: Floats
    residual: Floats
    exponent: Floats
    wilting: Floats
    threshold: Floats
    saturation: Floats
    through_mm: Floats
    shares: Floats
    exchange_cm2_d: Floats
    entry: int = 0


@dataclass(frozen=True, eq=False)
class Forcing:
    """What comes and is asked for in each step [mm], every array of shape (steps, columns).

    ``demand`` is what the crop would take, ``evaporation`` what the bare ground would lose, ``sets`` and ``rain`` what
    comes in, by the layer sets enter by and by the surface.
    """

    demand: Floats
    evaporation: Floats
    sets: Floats
    rain: Floats


@dataclass(eq=False)
class Columns:
    """The state of columns: water contents [m³/m³], shape (layers, columns); water that stands, above and at the line.

    ``below_mm`` is the flux out of each layer of the last step, ``taken_mm`` what roots took of it, both of shape
    (layers, columns).
    """

    theta: Floats
    pond_mm: Floats
    stuck_mm: Floats
    below_mm: Floats = field(default_factory=lambda: np.empty(0))
    taken_mm: Floats = field(default_factory=lambda: np.empty(0))


def started(theta: Floats) -> Columns:
    """Columns that start at water contents of shape (layers, columns) with no water standing."""
    return Columns(theta.copy(), np.zeros(theta.shape[1]), np.zeros(theta.shape[1]))


def advance(columns: Columns, soil: Soil, forcing: Forcing, step: int) -> None:
    """Take columns through one step of three hours, in place: water in, drainage, exchange, evaporation, uptake.

    References
    ----------
    .. [1] Campbell (1974), Soil Sci. 117:311-314, conductivity as a power of wetness.
    .. [2] Feddes et al. (1978) and Jarvis (1989), uptake by share, wetness and air, partly compensated (from memory).
    """
    theta, thickness = columns.theta, soil.thickness_mm
    columns.below_mm = np.zeros_like(theta)
    _water_in(columns, soil, forcing, step)
    span = soil.ref - soil.residual
    wetness = np.clip((theta - soil.residual) / span, DRIEST, WETTEST)
    power = 1.0 - soil.exponent
    spent = (soil.exponent - 1.0) * (SLOW_MM_D * DAY_SHARE) / (thickness * span)
    drained = np.minimum((wetness - (wetness**power + spent) ** (1.0 / power)) * span * thickness, soil.through_mm)
    for layer in range(len(theta) - 1, -1, -1):
        out = drained[layer]
        if layer + 1 < len(theta):
            room = (soil.saturation[layer + 1] - theta[layer + 1]) * thickness[layer + 1]
            out = np.clip(out, 0.0, np.maximum(room, 0.0))
            theta[layer + 1] += out / thickness[layer + 1]
        theta[layer] -= out / thickness[layer]
        columns.below_mm[layer] += out
    if len(theta) > 1:
        _exchange(columns, soil, span)
    _taken(columns, soil, (forcing.demand[step], forcing.evaporation[step]))


def _water_in(columns: Columns, soil: Soil, forcing: Forcing, step: int) -> None:
    """Water from above and from a buried line, each layer taking what room it has."""
    rain, sets = forcing.rain[step] + columns.pond_mm, forcing.sets[step] + columns.stuck_mm
    if soil.entry == 0:
        rain, sets = rain + sets, np.zeros_like(sets)
    if rain.any():
        columns.pond_mm = np.minimum(_into(columns, soil, rain, 0), POND_MM)
    if sets.any():
        columns.stuck_mm = np.minimum(_into(columns, soil, sets, soil.entry), POND_MM)
    elif soil.entry == 0:
        columns.stuck_mm = sets


def _into(columns: Columns, soil: Soil, water: Floats, first: int) -> Floats:
    """Water that enters at a layer and what of it finds no room and no way on [mm]."""
    theta, thickness = columns.theta, soil.thickness_mm
    held = np.zeros_like(water)
    for layer in range(first, len(theta)):
        room = np.maximum(0.0, (soil.saturation[layer] - theta[layer]) * thickness[layer])
        takes = np.minimum(water, room)
        theta[layer] += takes / thickness[layer]
        water = water - takes
        passes = np.minimum(water, soil.through_mm[layer])
        held += water - passes
        columns.below_mm[layer] += passes
        water = passes
        if not water.any():
            break
    return held


def _exchange(columns: Columns, soil: Soil, span: Floats) -> None:
    """Water between neighbours from the wetter to the drier, up or down."""
    theta, thickness = columns.theta, soil.thickness_mm
    wetness = np.clip((theta - soil.residual) / span, DRIEST, WETTEST)
    mean = np.minimum((wetness[:-1] + wetness[1:]) / 2, WETTEST_EXCHANGE)
    squared = mean * mean
    flux = (
        10.0 * DAY_SHARE / soil.apart_cm * soil.exchange_cm2_d
        * squared * squared * (wetness[:-1] - wetness[1:]) * (span[:-1] + span[1:]) / 2
    )  # fmt: skip
    # no more than a quarter of what would make both alike: the step stays stable whatever the soil
    alike = 0.25 * np.abs(wetness[:-1] - wetness[1:]) * np.minimum(span[:-1] * thickness[:-1], span[1:] * thickness[1:])
    room = np.maximum(0.0, (soil.saturation - theta) * thickness) / 2  # a layer may be reached from both sides
    flux = np.clip(flux, -np.minimum(alike, room[:-1]), np.minimum(alike, room[1:]))
    theta[:-1] -= flux / thickness[:-1]
    theta[1:] += flux / thickness[1:]
    columns.below_mm[:-1] += flux


def _taken(columns: Columns, soil: Soil, asked: tuple[Floats, Floats]) -> None:
    """What roots and the bare ground take in a step."""
    demand, evaporation = asked
    theta, thickness = columns.theta, soil.thickness_mm
    if not demand.any() and not evaporation.any():
        columns.taken_mm = np.zeros_like(theta)
        return
    wet = np.clip((theta - soil.wilting) / (soil.threshold - soil.wilting), 0.0, 1.0)
    air = np.clip((soil.saturation - theta) / AIRLESS_THETA, 0.0, 1.0)
    active = soil.shares * wet * air
    taken = demand * active / np.maximum(active.sum(axis=0), COMPENSATED)
    columns.taken_mm = np.minimum(taken, np.maximum(0.0, (theta - soil.wilting) * thickness))
    theta -= columns.taken_mm / thickness
    top = np.clip((theta[0] - soil.residual[0]) / (soil.ref[0] - soil.residual[0]), 0.0, 1.0)
    theta[0] -= evaporation * top**3 / thickness[0]
