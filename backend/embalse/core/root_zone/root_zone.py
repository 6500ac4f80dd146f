"""Water in the root zone against its marks, for a station and for a block."""

import math
import statistics
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, overload

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError, ProfileTooShallow, require
from embalse.core.sensors.useful_range import End
from embalse.core.soil.layers import Layer
from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
LARGEST_INTERPOLATED_SHARE = 1 / 3  # share of the root zone [-] that may be filled in from its neighbours (ours)
FILLED_IN_ERROR_FACTOR = 2.0  # times the larger error of the neighbours (ours)
DISAGREEMENT_SHARE = 0.15  # share of available water [-] by which stations disagree (ours)


@dataclass(frozen=True)
class RootZoneMarks:
    """Water [mm] the root zone holds at each mark, in the soil the sensors stand in."""

    full_mm: float
    refill_mm: float
    wilting_mm: float
    saturation_mm: float

    @property
    def taw_mm(self) -> float:
        """Total available water, full minus wilting [mm] (FAO-56 Eq. 82)."""
        return self.full_mm - self.wilting_mm

    @property
    def allowable_mm(self) -> float:
        """Depletion allowed before refilling, full minus refill [mm] (readily available water, FAO-56 Eq. 83)."""
        return self.full_mm - self.refill_mm


def root_zone_marks(layers: Sequence[Layer], root_depth_cm: float) -> RootZoneMarks:
    """Water at each mark summed over the layers the roots reach.

    Parameters
    ----------
    layers : sequence of Layer
        From the surface down, cut at the root depth.
    root_depth_cm : float
        Rooting depth [cm].

    Returns
    -------
    RootZoneMarks
        Sums [mm].

    Raises
    ------
    ProfileTooShallow
        If the sensors stand for less soil than the roots use.

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eqs. 82 and 83.
    """
    bottom = layers[-1].bottom_cm
    if bottom < root_depth_cm - 0.5:
        raise ProfileTooShallow(
            "root_depth_cm",
            Notice("too_shallow.sensors", bottom_cm=bottom, roots_cm=root_depth_cm),
        )
    return RootZoneMarks(
        full_mm=sum(layer.water_mm(layer.theta_full) for layer in layers),
        refill_mm=sum(layer.water_mm(layer.theta_refill) for layer in layers),
        wilting_mm=sum(layer.water_mm(layer.theta_wilting) for layer in layers),
        saturation_mm=sum(layer.water_mm(layer.theta_saturation) for layer in layers),
    )


@dataclass(frozen=True)
class LayerReading:
    """What is known of a layer: water content and its error [m³/m³], or None with the reason and its kind.

    ``shared_error_theta`` is a further error that layers with the same ``shared_by`` have in common: it does not
    average out between them. ``end`` is set where the sensor stands at an end of its useful range: it is at least that
    dry, or wet. ``age_days`` is how old a reading is that must be carried forward, 0 for one that speaks for now.
    """

    theta: float | None
    error_theta: float = 0.0
    why_missing: Text = ""
    kind: Literal["", "silent", "faulty", "overdue"] = ""
    doubts: tuple[Text, ...] = ()
    shared_error_theta: float = 0.0
    shared_by: str = ""
    end: End = ""
    age_days: float = 0.0


@dataclass(frozen=True)
class Carried:
    """How a reading was carried forward: days since [days], crop use and water that came since [mm]."""

    ago_days: float
    used_mm: float
    came_mm: float


@dataclass(frozen=True)
class LayerState:
    """A layer with the water content used for it [m³/m³]; ``filled_in`` when it was taken from its neighbours.

    ``end`` is that of its sensor's useful range, where it stands at one.
    """

    layer: Layer
    theta: float
    error_theta: float
    filled_in: bool
    shared_error_theta: float = 0.0
    shared_by: str = ""
    end: End = ""

    @property
    def may_be_drier_mm(self) -> float:
        """How much less water there may be than is read [mm]: down to wilting, where the sensor is at its dry end."""
        return max(0.0, self.layer.water_mm(self.theta - self.layer.theta_wilting)) if self.end == "dry" else 0.0

    @property
    def may_be_wetter_mm(self) -> float:
        """How much more water there may be [mm]: up to saturation, where the sensor is at its wet end."""
        return max(0.0, self.layer.water_mm(self.layer.theta_saturation - self.theta)) if self.end == "wet" else 0.0


@dataclass(frozen=True)
class StationState:
    """A station's root zone: states by layer, storage and its standard error [mm].

    ``age_days`` is how long ago the oldest of its readings was taken that must be carried forward; ``carried`` says how
    it was. The layers stay as they were read.
    """

    layers: tuple[LayerState, ...]
    storage_mm: float
    error_mm: float
    notes: tuple[Notice, ...] = ()
    age_days: float = 0.0
    carried: Carried | None = None

    @property
    def may_be_drier_mm(self) -> float:
        """How much less water there may be than is read, as sensors stand at their dry end [mm]."""
        return sum(state.may_be_drier_mm for state in self.layers)

    @property
    def may_be_wetter_mm(self) -> float:
        """How much more water there may be than is read, as sensors stand at their wet end [mm]."""
        return sum(state.may_be_wetter_mm for state in self.layers)


class NotEnoughReadings(CoreError):
    """Too few layers with a reading to speak for the root zone."""


def left_amounts_mm(storage_mm: float, marks: RootZoneMarks) -> tuple[float, float]:
    """Water left that the crop takes up readily, and what is left from there on down to wilting [mm].

    Both are of the roots as they reach today; past the refill point the first is nil and the second shrinks.

    Examples
    --------
    >>> left_amounts_mm(150.0, RootZoneMarks(full_mm=180, refill_mm=130, wilting_mm=80, saturation_mm=240))
    (20.0, 50)
    """
    readily = max(0.0, storage_mm - marks.refill_mm)
    return readily, max(0.0, min(storage_mm, marks.refill_mm) - marks.wilting_mm)


def station_state(layers: Sequence[Layer], readings: Sequence[LayerReading]) -> StationState:
    """Root-zone storage of a station, with missing layers filled in from both neighbours.

    A missing layer takes its neighbours' share of available water, weighted by depth, and twice their error. Layers
    the roots do not reach need no reading. Errors of different sensors are taken as independent, but for what they
    share by one calibration, which adds up over the layers.

    Parameters
    ----------
    layers : sequence of Layer, shape (n,)
    readings : sequence of LayerReading, shape (n,)
        Water contents [m³/m³], None where missing.

    Returns
    -------
    StationState
        Storage and standard error [mm].

    Raises
    ------
    NotEnoughReadings
        If the top or bottom layer of the root zone is missing, or more than a third of the root zone is.
    """
    used = _of_one_time([(y, reading) for y, reading in zip(layers, readings, strict=True) if y.rooted_cm > 0])
    _check_enough(used)
    states = [_filled(index, used) for index in range(len(used))]
    watch = [
        LayerState(layer, reading.theta, reading.error_theta, False)
        for layer, reading in zip(layers, readings, strict=True)
        if layer.rooted_cm == 0 and reading.theta is not None
    ]
    notes = tuple(
        Notice("caution.filled_in", depth_cm=layer.depth_cm, why=reading.why_missing)
        for layer, reading in used
        if reading.theta is None
    )
    error = _joined_error_mm(states)
    storage = sum(state.layer.water_mm(state.theta) for state in states)
    age = max((reading.age_days for _, reading in used if reading.theta is not None), default=0.0)
    return StationState((*states, *watch), storage, error, notes, age)


def _of_one_time(used: list[tuple[Layer, LayerReading]]) -> list[tuple[Layer, LayerReading]]:
    """Layers with their readings; old ones count as missing where others speak for now."""
    if not any(reading.theta is not None and not reading.age_days for _, reading in used):
        return used
    return [(y, replace(r, theta=None, age_days=0.0) if r.age_days else r) for y, r in used]


def _joined_error_mm(states: Sequence[LayerState]) -> float:
    shared: dict[str, float] = {}
    for number, state in enumerate(states):
        name = state.shared_by or f"layer {number}"
        shared[name] = shared.get(name, 0.0) + state.layer.water_mm(state.shared_error_theta)
    own = sum(state.layer.water_mm(state.error_theta) ** 2 for state in states)
    return math.sqrt(own + sum(error**2 for error in shared.values()))


def _check_enough(used: Sequence[tuple[Layer, LayerReading]]) -> None:
    missing = [(layer, reading) for layer, reading in used if reading.theta is None]
    if not missing:
        return
    reasons = tuple(Notice("at.depth", depth_cm=y.depth_cm, what=reading.why_missing) for y, reading in missing)
    if len(missing) == len(used):
        whys = [reading.why_missing for _, reading in missing]
        raise NotEnoughReadings("readings", whys[0] if all(w == whys[0] for w in whys) else reasons)
    rooted = [layer.rooted_cm for layer, _ in used]
    if fillable([reading.theta is None for _, reading in used], rooted):
        return
    if used[0][1].theta is None or used[-1][1].theta is None:
        raise NotEnoughReadings("readings", Notice("missing.end_layer", reasons=reasons))
    share = sum(layer.rooted_cm for layer, _ in missing) / sum(rooted)
    raise NotEnoughReadings("readings", Notice("missing.share", missing_share=share, reasons=reasons))


def _filled(index: int, used: Sequence[tuple[Layer, LayerReading]]) -> LayerState:
    layer, reading = used[index]
    if reading.theta is not None:
        own = (reading.error_theta, False, reading.shared_error_theta, reading.shared_by, reading.end)
        return LayerState(layer, reading.theta, *own)
    above, theta_above, error_above = next(_known(used[:index][::-1]))
    below, theta_below, error_below = next(_known(used[index + 1 :]))
    theta = filled_theta(layer, (above, below), (theta_above, theta_below))
    return LayerState(layer, theta, FILLED_IN_ERROR_FACTOR * max(error_above, error_below), True)


def fillable(missing: Sequence[bool], rooted_cm: Sequence[float]) -> bool:
    """Whether layers without a reading may be filled in: neither end of the root zone, and at most a third of it."""
    lacking = sum(cm for none, cm in zip(missing, rooted_cm, strict=True) if none)
    return not (missing[0] or missing[-1]) and lacking / sum(rooted_cm) <= LARGEST_INTERPOLATED_SHARE


@overload
def filled_theta(layer: Layer, ends: tuple[Layer, Layer], theta: tuple[float, float]) -> float: ...
@overload
def filled_theta(layer: Layer, ends: tuple[Layer, Layer], theta: tuple[Floats, Floats]) -> Floats: ...
def filled_theta(layer: Layer, ends: tuple[Layer, Layer], theta: tuple[Any, Any]) -> Any:
    """Water content of a layer from the layers above and below it [m³/m³]: their share of available water by depth.

    ``theta`` are the water contents of the two, numbers or arrays of one shape.
    """
    above, below = ends
    weight = (layer.depth_cm - above.depth_cm) / (below.depth_cm - above.depth_cm)
    share = (1 - weight) * above.share_available(theta[0]) + weight * below.share_available(theta[1])
    return layer.theta_wilting + share * (layer.theta_full - layer.theta_wilting)


def _known(pairs: Sequence[tuple[Layer, LayerReading]]) -> Iterator[tuple[Layer, float, float]]:
    return (
        (layer, reading.theta, math.hypot(reading.error_theta, reading.shared_error_theta))
        for layer, reading in pairs
        if reading.theta is not None
    )


@dataclass(frozen=True)
class BlockState:
    """A block's root zone from its stations: depletion, standard error and range of the stations [mm].

    ``sensor_error_mm`` and ``spread_error_mm`` are the parts of the error from sensors and from unlike stations.
    ``may_be_drier_mm`` and ``may_be_wetter_mm`` are what sensors at an end of their range cannot tell, to one side.
    """

    marks: RootZoneMarks
    depletion_mm: float
    error_mm: float
    lowest_mm: float
    highest_mm: float
    stations_used: int
    stations_total: int
    sensor_error_mm: float = 0.0
    spread_error_mm: float = 0.0
    may_be_drier_mm: float = 0.0
    may_be_wetter_mm: float = 0.0

    @property
    def worst_mm(self) -> float:
        """Depletion there may be at the worst [mm]: as read, and what sensors at their dry end cannot tell."""
        return self.depletion_mm + self.may_be_drier_mm

    @property
    def storage_mm(self) -> float:
        """Water in the root zone [mm]: full point minus depletion."""
        return self.marks.full_mm - self.depletion_mm

    @property
    def disagree(self) -> bool:
        """Whether the stations' depletions differ by more than 15 % of available water [-]."""
        return self.highest_mm - self.lowest_mm > DISAGREEMENT_SHARE * self.marks.taw_mm


def mean_marks(marks: Sequence[RootZoneMarks]) -> RootZoneMarks:
    """Mean of several stations' marks [mm]."""
    require(len(marks) > 0, "stations", Notice("no_advice.station"))
    return RootZoneMarks(
        *(
            statistics.fmean(getattr(m, name) for m in marks)
            for name in ("full_mm", "refill_mm", "wilting_mm", "saturation_mm")
        )
    )


def block_state(stations: Sequence[tuple[StationState, RootZoneMarks]], stations_total: int) -> BlockState:
    """Mean of a block's stations; spread and missing stations widen the error.

    Parameters
    ----------
    stations : sequence of (StationState, RootZoneMarks), shape (n,)
        The stations that have enough readings.
    stations_total : int
        Stations the block has, with or without readings.

    Returns
    -------
    BlockState
        Depletion and error [mm]. The error joins the sensors' error, the standard error of the station mean, and
        grows by sqrt(total / used) when stations are missing.

    Raises
    ------
    CoreError
        If no station can be used.
    """
    require(len(stations) > 0, "stations", Notice("missing.all_stations"))
    depletions = [marks.full_mm - state.storage_mm for state, marks in stations]
    count = len(stations)
    sensor_variance = sum(state.error_mm**2 for state, _ in stations) / count**2
    spread_variance = statistics.variance(depletions) / count if count > 1 else 0.0
    missing = math.sqrt(stations_total / count)
    return BlockState(
        marks=mean_marks([marks for _, marks in stations]),
        depletion_mm=statistics.fmean(depletions),
        error_mm=missing * math.sqrt(sensor_variance + spread_variance),
        lowest_mm=min(depletions),
        highest_mm=max(depletions),
        stations_used=count,
        stations_total=stations_total,
        sensor_error_mm=missing * math.sqrt(sensor_variance),
        spread_error_mm=missing * math.sqrt(spread_variance),
        may_be_drier_mm=statistics.fmean(state.may_be_drier_mm for state, _ in stations),
        may_be_wetter_mm=statistics.fmean(state.may_be_wetter_mm for state, _ in stations),
    )
