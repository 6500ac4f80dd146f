"""One block from its readings to its advice."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.advice.cautions import supply_cautions, uneven_caution
from embalse.core.advice.decision import (
    Advice,
    DecisionInputs,
    decide,
    group_of_days,
    kept_dry,
    order_in_force,
    waited_for,
    with_order,
)
from embalse.core.advice.decision_inputs import WaterUse, block_water_use, decision_inputs, used_since_mm
from embalse.core.advice.due_date import Due, block_due
from embalse.core.advice.soaking import GivenSet, GivenWater, Seen, Soaking, seen_since, soaking, soaking_caution
from embalse.core.advice.working import WorkingInput, working
from embalse.core.advice.working_line import Line
from embalse.core.crop.depletion_forecast import Course, LossPaths, days_until
from embalse.core.crop.dry_down import DailyUse, DawnStorage
from embalse.core.delivery.infiltration import wait_before_reading_h
from embalse.core.delivery.set_amount import PLAIN, SetRules, advised_set
from embalse.core.errors import CoreError, require
from embalse.core.root_zone.block import Block, Moment, Sensor, SensorReadings, Station
from embalse.core.root_zone.carrying import carry_forward
from embalse.core.root_zone.root_zone import (
    BlockState,
    LayerReading,
    NotEnoughReadings,
    RootZoneMarks,
    StationState,
    block_state,
    root_zone_marks,
    station_state,
)
from embalse.core.root_zone.sensor_water import (
    NO_READINGS,
    rise_theta,
    settled_dawn_theta,
    settled_reading,
    station_settling,
)
from embalse.core.sensors.soils_meant import curve_cautions
from embalse.core.sensors.useful_range import useful_ranges
from embalse.core.soil.horizon_marks import HorizonMarks, full_error_theta, horizon_marks, root_limit_cm
from embalse.core.soil.layers import Layer, RootZoneRule, build_layers
from embalse.core.soil.soil import texture_class
from embalse.core.sources import Source
from embalse.core.weather.wetting_rain import wets_the_soil
from embalse.core.wording import Notice, Text


@dataclass(frozen=True)
class StationAnalysis:
    """A station's layers and marks [mm], its state when it has one, and why not when it has none."""

    station: Station
    layers: tuple[Layer, ...]
    marks: RootZoneMarks | None
    state: StationState | None
    readings: tuple[LayerReading, ...]
    why_not: Text = ""


PathsOf = Callable[[Sequence[StationAnalysis]], LossPaths | None]
"""What gives a block's days ahead by its fitted model from its usable stations."""


@dataclass(frozen=True)
class BlockAnalysis:
    """Everything Embalse says of a block at a moment; depths in mm, root depth in cm, last reading in s, UTC.

    The Working is written when its ``lines`` are asked for: a list of many blocks does without.
    """

    block: Block
    root_depth_cm: float | None
    stations: tuple[StationAnalysis, ...]
    state: BlockState | None
    use: DailyUse | None
    advice: Advice
    write_lines: Callable[[], tuple[Line, ...]]
    cautions: tuple[Notice, ...]
    last_reading_at: float | None = None
    inputs: DecisionInputs | None = None
    water_use: WaterUse | None = None
    dawns: DawnStorage | None = None

    @property
    def lines(self) -> tuple[Line, ...]:
        """Lines of the Working, each in its own unit; empty without advice."""
        return self.write_lines()


def dawn_storage_mm(
    analysis: StationAnalysis, readings: Mapping[str, SensorReadings], moment: Moment
) -> dict[int, float]:
    """Root-zone storage [mm] of a station at each dawn, by day number.

    Days on which a layer of the root zone is missing are filled in as for the present state, or left out when too
    little is left.
    """
    states = station_settling(analysis.station, readings, moment)
    columns = []
    for sensor in analysis.station.sensors:
        values = readings.get(sensor.key, NO_READINGS)
        columns.append((values.dawn_days, settled_dawn_theta(sensor, values, states.get(sensor.key), moment)))
    used = [(layer, column) for layer, column in zip(analysis.layers, columns, strict=True) if layer.rooted_cm > 0]
    days = used[0][1][0]
    if any(len(column[0]) != len(days) or (column[0] != days).any() for _, column in used[1:]):
        days = np.unique(np.concatenate([column[0] for _, column in used]))
    if not len(days):
        return {}
    theta = np.full((len(used), len(days)), np.nan)
    for row, (_, (sensor_days, sensor_theta)) in enumerate(used):
        if len(sensor_days) == len(days):
            theta[row] = sensor_theta
        else:
            theta[row, np.searchsorted(days, sensor_days)] = sensor_theta
    weights = np.array([10.0 * layer.rooted_cm for layer, _ in used])
    storage = weights @ theta
    result = {}
    for index, (day, value) in enumerate(zip(days.tolist(), storage.tolist(), strict=True)):
        filled = value if not math.isnan(value) else _filled_storage([layer for layer, _ in used], theta[:, index])
        if filled is not None:
            result[day] = filled
    return result


def _filled_storage(layers: Sequence[Layer], theta: NDArray[np.float64]) -> float | None:
    known = [LayerReading(None if math.isnan(t) else float(t), why_missing=Notice("missing.no_dawn")) for t in theta]
    try:
        return station_state(layers, known).storage_mm
    except NotEnoughReadings:
        return None


def analyse(
    block: Block,
    readings: Mapping[str, SensorReadings],
    water: GivenWater,
    moment: Moment,
    paths_of: PathsOf | None = None,
) -> BlockAnalysis:
    """A block's state, use, advice and Working at a moment; never raises for lack of data, but says why.

    Parameters
    ----------
    block : Block
    readings : mapping of sensor key to SensorReadings
    water : GivenWater
        Sets and rain of the last weeks.
    moment : Moment
        Instant [s, UTC] and day number the advice is for.
    paths_of : callable, optional
        Gives the days ahead by the block's own fitted model from its usable stations, or None.

    Returns
    -------
    BlockAnalysis
        ``advice.group`` is "none" and ``advice.reason`` says why when no state can be given.
    """
    keys = [sensor.key for station in block.stations for sensor in station.sensors]
    instants = [readings[key].latest_at for key in keys if key in readings]
    last = max((instant for instant in instants if instant is not None), default=None)
    due = _due(block, readings, water, moment)
    try:
        found = _analyse(block, readings, water, (moment, due), paths_of)
        if found.state is None:
            found = _without_state(found, due, water, moment)
            return _under_order(replace(found, last_reading_at=last), moment.day)
        return replace(found, last_reading_at=last)
    except CoreError as refusal:
        found = _without_state(_no_advice(block, (), refusal.reason), due, water, moment)
        return _under_order(replace(found, last_reading_at=last), moment.day)


def _due(block: Block, readings: Mapping[str, SensorReadings], water: GivenWater, moment: Moment) -> Due | None:
    """When the block is due where its rule is a reading or days since water."""
    sensors = [s for station in block.stations for s in station.sensors]
    ends = [min(one.end_at, moment.now) for one in water.sets]
    noon = moment.dawn_offset_s + 6 * 3600
    ends += [86400 * day + noon for day, mm in water.rain_mm.items() if wets_the_soil(mm)]
    last = max((at for at in ends if at <= moment.now), default=None)
    return block_due(block.rules, sensors, readings, (water.wet_days, last), moment.now)


def _without_state(found: BlockAnalysis, due: Due | None, water: GivenWater, moment: Moment) -> BlockAnalysis:
    """A block whose water is not known, advised by its reading or its days alone; a set dose where one is entered.

    Bare ground is never watered, nothing is given on a set that is still soaking in, nor while it must be dry.
    """
    if found.block.bare:
        return found
    if due is None or due.days is None:
        if due is None or due.why_not is None:
            return found
        return replace(found, advice=replace(found.advice, notices=(Notice("due.none", why=due.why_not),)))
    block, mid = found.block, due.days.mid
    advised = None
    if block.rules.fixed_dose_mm is not None:
        advised = advised_set(0.0, block.limits, block.system, SetRules(fixed_dose_mm=block.rules.fixed_dose_mm))
    group = group_of_days(max(0.0, mid - block.rules.lead_days))
    due_words = Notice("due.now", rule=due.rule) if mid <= 0 else Notice("due.in_days", rule=due.rule, in_days=mid)
    why = found.advice.why_no_date or Notice("due.no_depth")
    dose = () if advised is not None else (Notice("due.no_amount", why=why),)
    advice = Advice(group, due.days, advised, (due_words,), notices=dose, start_by_days=mid)
    texture = topsoil(block) if block.horizons else ""  # a medium soil where nobody described it
    waits = soaking(water.last_set, moment.now, wait_before_reading_h(texture), None, Seen(None))
    if waits is not None and group == "act":
        advice = waited_for(advice, waits, moment.clock_h)
    return replace(found, advice=kept_dry(advice, block.windows, moment.day))


def _under_order(found: BlockAnalysis, today: int) -> BlockAnalysis:
    """A block without advice of its own, under what a person has ordered for it."""
    block = found.block
    order = order_in_force(block.orders, today)
    if order is None:
        return found
    return replace(found, advice=with_order(found.advice, order, (block.limits, block.system, PLAIN)))


def _no_advice(block: Block, stations: tuple[StationAnalysis, ...], why: Text) -> BlockAnalysis:
    advice = Advice("none", None, None, (Notice("reason.no_advice", why=why),), why)
    return BlockAnalysis(block, None, stations, None, None, advice, tuple, ())


def _analyse(
    block: Block,
    readings: Mapping[str, SensorReadings],
    water: GivenWater,
    when: tuple[Moment, Due | None],
    paths_of: PathsOf | None,
) -> BlockAnalysis:
    moment, due = when
    rule = _rule(block, moment.day)
    horizons = [horizon_marks(h) for h in block.horizons]
    require(len(horizons) > 0, "horizons", Notice("no_advice.soil"))
    require(len(block.stations) > 0, "stations", block.no_station or Notice("no_advice.station"))
    advising = [s for s in block.stations if s.sensors] or block.stations
    stations = tuple(analyse_station(s, horizons, rule, (readings, moment)) for s in advising)
    usable = [s for s in stations if s.state is not None and s.marks is not None]
    if not usable:
        why = _why_none(stations)
        return replace(_no_advice(block, stations, why), root_depth_cm=rule.root_depth_cm)
    read = block_state([(s.state, s.marks) for s in usable if s.state and s.marks], len(stations))
    dawns = _dawns(usable, readings, (water.wet_days, read.marks.full_mm), moment)
    water_use = block_water_use(block, dawns, moment, read.marks.allowable_mm)
    stations = tuple(_carried(block, s, (water, water_use), moment) for s in stations)
    usable = [s for s in stations if s.state is not None and s.marks is not None]
    if not usable:
        return replace(_no_advice(block, stations, _why_none(stations)), root_depth_cm=rule.root_depth_cm)
    state = block_state([(s.state, s.marks) for s in usable if s.state and s.marks], len(stations))
    if paths_of is not None and water_use.course is not None:
        water_use = replace(water_use, course=replace(water_use.course, paths=paths_of(usable)))
    profiles = [(s.state.layers, rule.root_depth_cm) for s in usable if s.state]
    waits = _soaking(block, (state, dawns, water_use, _rising(usable, readings)), water.last_set, moment)
    given = replace(decision_inputs(block, state, profiles, replace(water_use, due=due), moment), soaking=waits)
    advice = decide(given)
    found = water_use.use if isinstance(water_use.use, DailyUse) else None

    def write_lines() -> tuple[Line, ...]:
        written = WorkingInput(
            state=state,
            use=found,
            advice=advice,
            limits=block.limits,
            system=block.system,
            root_depth_cm=rule.root_depth_cm,
            managed=rule.root_depth_cm != block.roots_cm(moment.day),
            allowable_fraction=_share_allowed(rule, state),
            refill_by_hand=any(h.theta_refill is not None for h in horizons),
            sources=_sources(block, usable, (horizons, found), moment),
            area_ha=block.area_ha,
            inputs=given,
            why_no_weather=water_use.why_no_weather,
            wait_h=wait_before_reading_h(topsoil(block)) if block.horizons else None,
            full_error_mm=full_error_mm(block, rule.root_depth_cm),
            allowable_in_mm=rule.allowable_mm is not None,
            read_full_on=_read_full_on(advice, moment.day),
        )
        return tuple(working(written))

    cautions = _all_cautions(block, (stations, horizons), (given, advice), water_use)
    return BlockAnalysis(
        block,
        rule.root_depth_cm,
        stations,
        state,
        found,
        advice,
        write_lines,
        cautions,
        inputs=given,
        water_use=water_use,
        dawns=dawns,
    )


def _all_cautions(
    block: Block,
    ground: tuple[Sequence[StationAnalysis], Sequence[HorizonMarks]],
    decided: tuple[DecisionInputs, Advice],
    water_use: WaterUse,
) -> tuple[Notice, ...]:
    """What to check before trusting the advice: the gravest first, water on its way last."""
    stations, horizons = ground
    given, advice = decided
    turning = block.system is not None and block.system.pivot is not None
    set_time_h = advice.advised.set_time_h if advice.advised and not turning else None
    found = _cautions(block, stations, given.state, (horizons, set_time_h))
    course = water_use.course
    if course is not None and not course.use.plausible:
        code = "caution.use_low" if (course.use.observed or 0.0) < 1 else "caution.use_high"
        seen = "" if course.paths is None else "_seen"
        found = (Notice(code + seen, observed_fraction=course.use.observed), *found)
    found = (*_of_model(given, advice, course), *found)
    return found if given.soaking is None else (*found, soaking_caution(given.soaking))


def _of_model(given: DecisionInputs, advice: Advice, course: Course | None) -> tuple[Notice, ...]:
    """That the fitted model lost its track, or says another date than the dry-downs do."""
    if course is None or course.paths is None:
        return ()
    if course.paths.off_track:
        return (Notice("caution.off_track", miss_mm=course.paths.miss_mm),)
    days = advice.days
    if days is None or days.mid <= 0:
        return ()
    alone = days_until(replace(course, paths=None), given.start, given.trigger_mm)
    apart = alone.low > days.high or alone.high < days.low
    if not apart or min(alone.mid, days.mid) > SOON_DAYS:
        return ()
    return (Notice("caution.dates_apart", model_days=days.mid, slope_days=alone.mid),)


def full_error_mm(block: Block, root_depth_cm: float) -> float:
    """How far the root zone's full point may be off where the field has not said it [mm]; layers err together."""
    cut = [min(h.bottom_cm, root_depth_cm) - h.top_cm for h in block.horizons]
    return sum(10 * max(0.0, cm) * full_error_theta(h) for h, cm in zip(block.horizons, cut, strict=True))


def _read_full_on(advice: Advice, today: int) -> int | None:
    """The day number two days after the next set, on which the probes show the field's own full point."""
    if advice.days is None or advice.advised is None or advice.days.mid > LONGEST_LOOK_DAYS:
        return None
    set_days = (advice.advised.set_time_h or 0.0) / 24
    return today + math.ceil(advice.days.mid + set_days) + FULL_AFTER_DAYS


def _rising(stations: Sequence[StationAnalysis], readings: Mapping[str, SensorReadings]) -> float | None:
    """The most any sensor in the roots still rises [m³/m³ in three hours]; None where that is not known."""
    rises = [
        rise_theta(sensor, readings.get(sensor.key, NO_READINGS))
        for s in stations
        for sensor, layer in zip(s.station.sensors, s.layers, strict=True)
        if layer.rooted_cm > 0
    ]
    return max((rise for rise in rises if rise is not None), default=None)


def _carried(
    block: Block, station: StationAnalysis, known: tuple[GivenWater, WaterUse], moment: Moment
) -> StationAnalysis:
    """A station whose readings are some days old, carried forward; without a state where nothing tells the use."""
    if station.state is None or station.marks is None or not station.state.age_days:
        return station
    water, water_use = known
    at = moment.now - 86400 * station.state.age_days
    used = used_since_mm(block, water_use, moment, at)
    if used is None:
        why = next((r.why_missing for r in station.readings if r.age_days), "")
        return replace(station, state=None, why_not=why)
    came = water.since(at, moment.dawn_offset_s, _into_soil(block))
    return replace(station, state=carry_forward(station.state, station.marks, used, came))


def _into_soil(block: Block) -> float:
    """What a millimetre of a set, gross over the block, brings into the wetted soil [mm]."""
    kept = block.system.efficiency_fraction if block.system else 1.0
    return kept / block.limits.wetted_fraction


def _soaking(
    block: Block,
    known: tuple[BlockState, DawnStorage, WaterUse, float | None],
    last_set: GivenSet | None,
    moment: Moment,
) -> Soaking | None:
    """A set whose water is still on its way, by the soil's time and by what the probes have seen of it."""
    if last_set is None:
        return None
    state, dawns, water_use, rising = known
    use = water_use.use.mid_mm_d if isinstance(water_use.use, DailyUse) else 0.0
    seen = seen_since(last_set.start_at, state.storage_mm, dawns, moment.dawn_offset_s, (moment.now, use))
    net = last_set.gross_mm * _into_soil(block)
    return soaking(last_set, moment.now, wait_before_reading_h(topsoil(block)), net, Seen(seen, rising))


def _why_none(stations: Sequence[StationAnalysis]) -> Text:
    if all(s.why_not == stations[0].why_not for s in stations):
        return _at(", ".join(s.station.name for s in stations), stations[0].why_not)
    return tuple(_at(s.station.name, s.why_not) for s in stations)


def _at(station: str, what: Text) -> Notice:
    return Notice("at.station", station=station, what=what)


def _water_of(layer: Layer, theta: float) -> Notice:
    """A layer's water as it is added up: water content × the rooted part of it."""
    rooted_mm = 10 * layer.rooted_cm
    return Notice(
        "source.theta_at", depth_cm=layer.depth_cm, theta=theta, layer_mm=rooted_mm, water_mm=theta * rooted_mm
    )


def _rule(block: Block, day: int) -> RootZoneRule:
    require(not block.bare, "crop", Notice("no_advice.bare"))
    depth = block.managed_cm(day)
    require(depth is not None, "root_depth_cm", Notice("no_advice.root_depth"))
    given = block.allowable or block.allowable_mm
    require(
        given is not None,
        "allowable_depletion_fraction",
        Notice("no_advice.allowable"),
    )
    assert depth is not None
    fraction = block.allowable.value if block.allowable else MIDDLE_FRACTION
    allowed = block.allowable_mm.value if block.allowable_mm else None
    return RootZoneRule(depth, fraction, allowed)


FULL_AFTER_DAYS = 2  # days after which what stays is called full (common practice, no source)
LONGEST_LOOK_DAYS = 10.0  # days ahead within which a day to read on is named (ours)
SOON_DAYS = (
    5.0  # days ahead within which two dates that lie apart are told: later ones come closer by themselves (ours)
)
# share of available water [-] shown where no allowable depletion is known; no advice follows from it
MIDDLE_FRACTION = 0.5
LEAST_FRACTION, MOST_FRACTION = 0.02, 0.98


def _in_this_soil(
    rule: RootZoneRule, depths: Sequence[float], horizons: Sequence[HorizonMarks], bottom_cm: float | None
) -> RootZoneRule:
    """A depletion allowed in mm as a share of what this station's root zone holds."""
    if rule.allowable_mm is None:
        return rule
    taw = root_zone_marks(build_layers(depths, horizons, rule, bottom_cm), rule.root_depth_cm).taw_mm
    share = min(MOST_FRACTION, max(LEAST_FRACTION, rule.allowable_mm / taw))
    return replace(rule, allowable_fraction=share)


def analyse_station(
    station: Station,
    horizons: Sequence[HorizonMarks],
    rule: RootZoneRule,
    now: tuple[Mapping[str, SensorReadings], Moment],
) -> StationAnalysis:
    """Layers, marks [mm] and state of a station; ``now`` is the readings by sensor key and the moment [s, UTC]."""
    readings, moment = now
    states = station_settling(station, readings, moment)
    latest = tuple(
        settled_reading(s, readings.get(s.key, NO_READINGS), states.get(s.key), moment) for s in station.sensors
    )
    layers: tuple[Layer, ...] = ()
    try:
        depths = [s.depth_cm for s in station.sensors]
        unknown = Notice("no_advice.depth_unknown", sensors=station.unknown)
        require(bool(depths) or not station.unknown, "sensors", unknown)
        rule = _in_this_soil(rule, depths, horizons, station.bottom_cm)
        layers = tuple(build_layers(depths, horizons, rule, station.bottom_cm))
        marks = root_zone_marks(layers, rule.root_depth_cm)
        return StationAnalysis(station, layers, marks, station_state(layers, latest), latest)
    except CoreError as refusal:
        return StationAnalysis(station, layers, None, None, latest, refusal.reason)


def _dawns(
    stations: Sequence[StationAnalysis],
    readings: Mapping[str, SensorReadings],
    against: tuple[frozenset[int], float],
    moment: Moment,
) -> DawnStorage:
    series = [dawn_storage_mm(s, readings, moment) for s in stations]
    days = sorted(set(series[0]).intersection(*series[1:]))
    return DawnStorage(days, [sum(s[day] for s in series) / len(series) for day in days], *against)


def _sources(
    block: Block,
    usable: Sequence[StationAnalysis],
    basis: tuple[Sequence[HorizonMarks], DailyUse | None],
    moment: Moment,
) -> dict[str, Source]:
    horizons, use = basis
    full = list(dict.fromkeys((h.full_source.title, h.full_source.detail) for h in horizons))
    wilting = list(dict.fromkeys((h.wilting_source.title, h.wilting_source.detail) for h in horizons))
    readings, fulls = [], []
    for s in usable:
        assert s.state is not None
        rooted = [x for x in s.state.layers if x.layer.rooted_cm > 0]
        readings.append(_at(s.station.name, tuple(_water_of(x.layer, x.theta) for x in rooted)))
        fulls.append(_at(s.station.name, tuple(_water_of(x.layer, x.layer.theta_full) for x in rooted)))
    sources = {
        "full": Source(horizons[0].full_source.kind, _titles(full), (*(d for _, d in full), *fulls)),
        "wilting": Source(horizons[0].wilting_source.kind, _titles(wilting), tuple(d for _, d in wilting)),
        "storage": Source("reading", "latest readings, calibrated", tuple(readings)),
        "root_depth_cm": _roots_source(block, moment.day),
        "allowable_fraction": _allowable_source(block),
        "intake": Source(
            "table",
            "Keller & Bliesner (1990), Table 5.4",
            Notice("source.intake", texture=topsoil(block), slope_pct=block.slope_pct),
        ),
        **block.sources,
    }
    if block.rules.max_rate_mm_h is not None:
        sources["intake"] = block.rules.source
    if block.calendar is not None:
        sources["calendar"] = Source("table", "crop calendar", block.calendar.source)
    if any(h.theta_refill is not None for h in horizons):
        reasons = [h.refill.reason for h in block.horizons if h.refill]
        sources["refill"] = Source("entry", "refill point set by hand", tuple(reasons))
    if use is not None:
        ago = moment.day - use.last_day
        limits = {"low_mm_d": use.low_mm_d, "high_mm_d": use.high_mm_d, "ago_days": ago if ago > 0 else None}
        sources["use"] = Source("reading", use.how, Notice("source.use", how=use.how, **limits))
    return sources


def topsoil(block: Block) -> str:
    earth = block.horizons[0].earth
    return texture_class(earth.sand_fraction, earth.clay_fraction)


def _share_allowed(rule: RootZoneRule, state: BlockState) -> float:
    if rule.allowable_mm is None:
        return rule.allowable_fraction
    return state.marks.allowable_mm / state.marks.taw_mm


def _allowable_source(block: Block) -> Source:
    given = block.allowable or block.allowable_mm
    return given.source if given else Source("assumption", "none")


def _roots_source(block: Block, day: int) -> Source:
    roots, managed = block.roots_cm(day), block.managed_cm(day)
    if roots is not None and managed is not None and managed < roots:
        return replace(
            block.rules.source, detail=Notice("source.managed", roots_cm=roots, note=block.rules.source.detail)
        )
    limit = root_limit_cm(block.horizons)
    if limit is None or block.roots is None or limit >= block.roots.full_cm:
        return block.roots_source
    detail = Notice("source.roots_cut", detail=block.roots_source.detail, limit_cm=limit)
    return replace(block.roots_source, detail=detail)


def _titles(pairs: Sequence[tuple[Text, Text]]) -> Text:
    titles = list(dict.fromkeys(title for title, _ in pairs))
    return titles[0] if len(titles) == 1 else tuple(titles)


def _area_at_once_ha(block: Block) -> float:
    furrows = block.system.furrows if block.system else None
    if furrows is None:
        return block.area_ha
    return furrows.count * furrows.spacing_m * furrows.length_m / 1e4


def _not_meant(block: Block, sensor: Sensor) -> list[Notice]:
    """What of the soil a sensor stands in its curve in force last is not meant for."""
    not_for = sensor.calibrations[-1].not_for if sensor.calibrations else ()
    there = next((h for h in block.horizons if h.top_cm <= sensor.depth_cm <= h.bottom_cm), None)
    if not not_for or there is None:
        return []
    return curve_cautions(not_for, there.earth.clay_fraction, there.earth.organic_matter_pct, block.rules.ec_soil_ds_m)


def _below_roots(station: str, depth_cm: float, why: Text) -> Notice:
    return Notice("caution.watch_missing", station=station, depth_cm=depth_cm, why=why)


def _cautions(
    block: Block,
    stations: Sequence[StationAnalysis],
    state: BlockState,
    basis: tuple[Sequence[HorizonMarks], float | None],
) -> tuple[Notice, ...]:
    horizons, set_time_h = basis
    notes = [
        Notice("caution.borrowed", station=s.station.name, block=s.station.borrowed_from)
        for s in stations
        if s.station.borrowed_from
    ]
    notes += [
        Notice(
            "caution.borrowed_though", station=s.station.name, block=s.station.borrowed_from, note=s.station.accepted
        )
        for s in stations
        if s.station.accepted
    ]
    notes += [
        Notice("caution.depth_unknown", station=s.station.name, sensors=s.station.unknown)
        for s in stations
        if s.station.unknown and s.state
    ]
    notes += [Notice("caution.left_out", station=s.station.name, why=s.why_not) for s in stations if s.state is None]
    notes += [_at(s.station.name, note) for s in stations if s.state for note in s.state.notes]
    notes += [
        _below_roots(s.station.name, sensor.depth_cm, reading.why_missing)
        for s in stations
        if s.state
        for sensor, layer, reading in zip(s.station.sensors, s.layers, s.readings, strict=True)
        if layer.rooted_cm == 0 and reading.theta is None
    ]
    notes += [
        Notice("caution.doubted", station=s.station.name, depth_cm=sensor.depth_cm, doubt=doubt)
        for s in stations
        if s.state
        for sensor, reading in zip(s.station.sensors, s.readings, strict=True)
        for doubt in reading.doubts
    ]
    notes += [
        Notice(
            "caution.dry_end",
            station=s.station.name,
            depth_cm=sensor.depth_cm,
            end_kpa=useful_ranges()[sensor.kind].dry_kpa,
        )
        for s in stations
        if s.state
        for sensor, layer, reading in zip(s.station.sensors, s.layers, s.readings, strict=True)
        if reading.end == "dry" and layer.rooted_cm > 0
    ]
    notes += [
        Notice("caution.carried", station=s.station.name, **vars(s.state.carried))
        for s in stations
        if s.state and s.state.carried
    ]
    notes += [
        Notice("caution.curve", station=s.station.name, depth_cm=sensor.depth_cm, why=why)
        for s in stations
        if s.state
        for sensor in s.station.sensors
        for why in _not_meant(block, sensor)
    ]
    uneven = [(s.station.name, uneven_caution(s.state.layers)) for s in stations if s.state]
    notes += [_at(name, note) for name, note in uneven if note]
    if state.disagree:
        notes.append(Notice("caution.disagree", lowest_mm=state.lowest_mm, highest_mm=state.highest_mm))
    notes += [note for h in horizons for note in h.water.cautions]
    if block.system is None:
        notes.append(Notice("caution.no_system"))
    else:
        notes += supply_cautions(block.supply, block.system.rate_mm_h, _area_at_once_ha(block), set_time_h)
    return tuple(dict.fromkeys(notes))
