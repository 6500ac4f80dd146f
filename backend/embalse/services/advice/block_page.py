"""Everything on the Block page: advice, section, traces, sets, rain and the projection."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from embalse.core.advice.block_analysis import BlockAnalysis, StationAnalysis
from embalse.core.advice.projection import layer_water_mm, layers_ahead_mm, shown_days, storage_fan
from embalse.core.root_zone.block import Sensor
from embalse.core.root_zone.series import Series, calibrated, common_times, on_times, storage_series, theta_series
from embalse.core.sensors.calibration import calibration_at, calibration_source
from embalse.services import times
from embalse.services.advice.advise import Basis, block_advice
from embalse.services.advice.analysing import analyse_blocks, with_neighbours
from embalse.services.document.deleting import set_key
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import (
    BlockContent,
    FanPoint,
    LayerOut,
    RainOut,
    SetOut,
    SourceOut,
    StationOut,
    TraceOut,
)
from embalse.services.load.zones import with_rows_of_stand_ins
from embalse.services.reader import say
from embalse.services.readings.known_then import as_known_then
from embalse.services.readings.observations import hourly_series, hourly_warmth
from embalse.services.setup.fault_review import FaultOut, fault_out
from embalse.store import farm as farm_store
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRows


@as_known_then
def block_content(key: str, moment: str | None = None, days: int = 28) -> BlockContent:
    """The Block page of a block at a farm-local moment, with so many days of readings before it.

    Raises
    ------
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows([key])
    [analysis] = with_neighbours(farm, analyse_blocks(farm, rows, core_blocks(rows, now), now), now)
    rows = with_rows_of_stand_ins(rows, (now, farm.time_zone))
    start = now - 86400 * days
    series = hourly_series(rows, start, now)
    faults = _faults(rows, start, now, farm.time_zone)
    doubted = _doubted(rows, faults, start, now)
    axis = np.union1d(common_times(series), common_times(doubted))
    sensors = [s for t in analysis.stations for s in t.station.sensors]
    warmth = hourly_warmth(rows, sensors, (start, now))
    stations = [_station(s, Stored(series, doubted, faults, warmth), axis, analysis) for s in analysis.stations]
    first_day, last_day = times.local_day(start, farm.time_zone), times.local_day(now, farm.time_zone)
    rain = readings_store.rain(first_day, last_day)
    wait = _projection_days(analysis)
    fan = _fan(analysis, now)
    return BlockContent.model_construct(
        advice=block_advice(analysis, rows.blocks[0], Basis(farm, rows, now)),
        as_of=times.iso(now, farm.time_zone) or "",
        as_of_at=now,
        times=axis.tolist(),
        storage_mm=_mean_storage(stations, len(axis)),
        stations=stations,
        sets=[
            SetOut(
                key=set_key(key, s.start_at, farm.time_zone),
                start_at=s.start_at,
                end_at=s.end_at,
                gross_mm=s.gross_mm,
                note=s.note,
            )
            for s in readings_store.sets(key, start, now)
        ],
        rain=[RainOut(start_at=times.instant_of(day, 0, farm.time_zone), depth_mm=depth) for day, depth in rain],
        fan=fan,
        ahead_at=[point.at for point in fan],
        projected_at=None if wait is None else now + round(86400 * wait),
    )


def _doubted(rows: FarmRows, faults: Mapping[str, list[FaultOut]], start: int, end: int) -> dict[str, Series]:
    """Readings of each sensor that lie in a fault that keeps them out."""
    found = {}
    for sensor in (s for group in rows.sensors.values() for s in group):
        spans = [(max(start, f.start_at), min(end, f.end_at)) for f in faults[sensor.ref] if f.kept_out]
        parts = [readings_store.between(sensor.id, *span) for span in spans]
        joined = [np.concatenate([part[side] for part in parts]) if parts else np.empty(0) for side in (0, 1)]
        ts, first = np.unique(joined[0].astype(np.int64), return_index=True)
        found[sensor.ref] = ts, joined[1][first]
    return found


def _faults(rows: FarmRows, start: int, end: int, zone: str) -> dict[str, list[FaultOut]]:
    sensors = [s for group in rows.sensors.values() for s in group]
    return {s.ref: [fault_out(f, s, zone) for f in fault_store.of_sensor(s.id, start, end)] for s in sensors}


def _flagged(sensor: Sensor, series: Series) -> list[tuple[int, float]]:
    """Readings that are drawn but not used: instant [s, UTC] and water content [m³/m³]."""
    theta, _ = calibrated(sensor, series)
    pairs = zip(series[0].tolist(), theta.tolist(), strict=True)
    return [(at, round(value, 4)) for at, value in pairs if math.isfinite(value)]


def _projection_days(analysis: BlockAnalysis) -> float | None:
    if analysis.use is None or analysis.advice.days is None:
        return None
    return shown_days(analysis.advice.days)


def _fan(analysis: BlockAnalysis, now: int) -> list[FanPoint]:
    if analysis.inputs is None or analysis.use is None:
        return []
    return [
        FanPoint(at=now + round(86400 * step.days), low_mm=step.low_mm, mid_mm=step.mid_mm, high_mm=step.high_mm)
        for step in storage_fan(analysis.inputs, analysis.use)
    ]


@dataclass(frozen=True)
class Stored:
    """What is stored of a block's sensors, by reference: hourly values, readings not believed, faults, temperature."""

    series: Mapping[str, Series]
    doubted: Mapping[str, Series]
    faults: Mapping[str, list[FaultOut]]
    warmth: Mapping[str, Series]


def _station(
    analysis: StationAnalysis,
    stored: Stored,
    axis: NDArray[np.int64],
    block: BlockAnalysis,
) -> StationOut:
    series, doubted, faults, warmth = stored.series, stored.doubted, stored.faults, stored.warmth
    sensors = analysis.station.sensors
    thetas = [on_times(axis, series[s.key], theta_series(s, series[s.key], warmth.get(s.key))) for s in sensors]
    layers = analysis.layers
    ahead = _ahead(analysis, block)
    storage = storage_series(layers, thetas) if layers else np.full(len(axis), np.nan)
    return StationOut.model_construct(
        key=analysis.station.key,
        name=analysis.station.name,
        why_not=say(analysis.why_not),
        depletion_mm=None
        if analysis.state is None or analysis.marks is None
        else analysis.marks.full_mm - analysis.state.storage_mm,
        error_mm=analysis.state.error_mm if analysis.state is not None else None,
        layers=[_layer(analysis, index, block, ahead) for index in range(len(layers))],
        traces=[
            TraceOut.model_construct(
                sensor=sensor.key,
                depth_cm=sensor.depth_cm,
                in_roots=layer.rooted_cm > 0,
                theta_full=layer.theta_full,
                theta_refill=layer.theta_refill,
                theta_wilting=layer.theta_wilting,
                theta=_listed(theta, 4),
                flagged=[[at, value] for at, value in _flagged(sensor, doubted[sensor.key])],
                faults=[f"{say(f.fault)}: {say(f.reason)}" for f in faults[sensor.key] if f.kept_out][-5:],
            )
            for sensor, layer, theta in zip(sensors, layers, thetas, strict=False)
        ],
        storage_mm=_listed(storage, 2),
    )


def _listed(values: NDArray[np.float64], decimals: int) -> list[float | None]:
    listed: list[float | None] = np.round(values, decimals).tolist()
    if not np.isnan(values).any():
        return listed
    return [None if value is None or math.isnan(value) else value for value in listed]


def _mean_storage(stations: list[StationOut], length: int) -> list[float | None]:
    usable = [s.storage_mm for s in stations if not s.why_not and len(s.storage_mm) == length]
    if not usable:
        return [None] * length
    if len(usable) == 1:
        return usable[0]
    stacked = np.array([[math.nan if v is None else v for v in one] for one in usable])
    return _listed(stacked.mean(axis=0), 2)


def _ahead(analysis: StationAnalysis, block: BlockAnalysis) -> list[list[float]]:
    """Water above wilting point of each layer now and at the next dawns [mm], by layer; empty without a course."""
    none: list[list[float]] = [[] for _ in analysis.layers]
    if analysis.state is None or block.inputs is None or block.use is None or block.root_depth_cm is None:
        return none
    known = {s.layer: s.theta for s in analysis.state.layers}
    if len(known) < len(analysis.layers):
        return none
    middle = [step.mid_mm for step in storage_fan(block.inputs, block.use)]
    losses = [before - after for before, after in pairwise(middle)]
    states = [(layer, known[layer]) for layer in analysis.layers]
    days = layers_ahead_mm(states, [0.0, *losses], block.root_depth_cm)
    return [list(layer) for layer in zip(*days, strict=True)]


def _at(ahead: list[float], block: BlockAnalysis) -> float | None:
    """The value on the day a picture of the future is drawn for."""
    days = _projection_days(block)
    if days is None or not ahead:
        return None
    return ahead[min(len(ahead) - 1, math.ceil(days))]


def _layer(analysis: StationAnalysis, index: int, block: BlockAnalysis, ahead: list[list[float]]) -> LayerOut:
    layer, sensor, reading = analysis.layers[index], analysis.station.sensors[index], analysis.readings[index]
    state = next((s for s in analysis.state.layers if s.layer is layer), None) if analysis.state else None
    theta = state.theta if state else reading.theta
    calibration = calibration_at(sensor.calibrations, sensor.raw_unit, math.inf)
    source = calibration_source(calibration) if calibration else None
    return LayerOut(
        sensor=sensor.key,
        depth_cm=layer.depth_cm,
        top_cm=layer.top_cm,
        bottom_cm=layer.bottom_cm,
        used_cm=layer.rooted_cm,
        theta=theta,
        theta_full=layer.theta_full,
        theta_refill=layer.theta_refill,
        theta_wilting=layer.theta_wilting,
        share=None if theta is None else layer.share_available(theta),
        refill_share=layer.share_available(layer.theta_refill),
        water_mm=None if theta is None else layer_water_mm(layer, theta),
        capacity_mm=layer_water_mm(layer, layer.theta_full),
        projected_mm=_at(ahead[index], block),
        ahead_mm=ahead[index],
        filled_in=bool(state and state.filled_in),
        why_missing=say(reading.why_missing),
        calibration=SourceOut.of(source) if source else None,
    )
