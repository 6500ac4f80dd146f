"""Trust kept up as readings arrive: faults found, dawn values without them, crossed depths suspected."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.quality.crossed_depths import DepthSeries, swap_suspicions
from embalse.core.quality.faults import (
    LATE_H,
    MATRIX,
    RAW,
    SLOW,
    TENSION,
    WATER,
    TrustLimits,
    faults,
    late_faults,
)
from embalse.core.quality.slow_faults import LIMITS, slow_faults
from embalse.core.root_zone.block import Sensor as CoreSensor
from embalse.core.root_zone.series import Series, calibrated, common_times, on_times
from embalse.core.sensors.matrix_sensor import KOHM_OF, at_times, celsius, tension_kpa
from embalse.core.weather.wetting_rain import wetting_days
from embalse.core.wording import Notice, Text, as_json, from_json
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.readings import rollups
from embalse.store import farm as farm_store
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRows, FaultRow, SensorRow, StationRow

DAY_S = 86400
MARGIN_S = 3 * DAY_S
CONTEXT_S = 2 * DAY_S
SUSPICION_SPAN_S = 60 * 86400
SLOW_SPAN_S = 120 * 86400
LONGEST_SLOW_SPAN_S = 400 * 86400
LATE_S = round(3600 * LATE_H)
FIRST_S, LAST_S = 0, 2**37


def check_new(
    sensor_ids: Iterable[int],
    start: int,
    end: int,
    keys: Sequence[str] | None = None,
    *,
    suspect: bool = True,
    since: int | None = None,
) -> None:
    """Look at the readings of sensors that arrived in a span [s, UTC], and keep dawn values and suspicions up.

    ``keys`` are the blocks they belong to, where the caller knows them; ``suspect`` holds the order of wettings too,
    since ``since`` [s, UTC] where more of them than the span were new.
    """
    farm = clock.the_farm()
    wanted = set(sensor_ids)
    rows = farm_store.farm_rows(keys)
    for block_rows, station, sensors in _stations(rows):
        touched = [s for s in sensors if s.id in wanted]
        if not touched:
            continue
        cores, from_below = _core_sensors(rows, block_rows)
        for row in touched:
            _check_sensor((row, rows), cores[row.ref], (start, end), farm.time_zone)
        if suspect:
            elsewhere = [
                s for at, other, those in _stations(rows) if at == block_rows and other != station for s in those
            ]
            found_at = _At(block_rows, start if since is None else since, from_below, elsewhere)
            _check_station(station, sensors, cores, found_at)


def recheck(sensor_ids: Iterable[int]) -> None:
    """Look at everything of some sensors again, after a calibration, a depth or a device changed."""
    wanted = list(sensor_ids)
    spans = [span for span in (readings_store.span(s) for s in wanted) if span is not None]
    if spans:
        with fault_store.judged_again(clock.farm_now(clock.the_farm())):
            check_new(wanted, min(s[0] for s in spans), max(s[1] for s in spans))


def _stations(rows: FarmRows) -> Iterable[tuple[str, StationRow, list[SensorRow]]]:
    for block in rows.blocks:
        for station in rows.stations.get(block.id, []):
            yield block.key, station, rows.sensors.get(station.id, [])


def _core_sensors(rows: FarmRows, block_key: str) -> tuple[dict[str, CoreSensor], bool]:
    """The sensors of a block by key, and whether its water comes from a buried line."""
    block = next(b for b in core_blocks(rows, LAST_S, with_removed=True) if b.key == block_key)
    return {
        s.key: s for station in block.stations for s in station.sensors
    }, block.system is not None and block.system.kind == "buried drip"


def _check_sensor(basis: tuple[SensorRow, FarmRows], core: CoreSensor, span: tuple[int, int], zone: str) -> None:
    row, rows = basis
    start, end = span[0] - MARGIN_S, span[1] + MARGIN_S
    touching = fault_store.of_sensor(row.id, start, end)
    start = min([start, *(f.start_at for f in touching)])
    # two days more on both sides, so that what lies at the edge is judged with all its neighbours
    around = (start - CONTEXT_S, end + CONTEXT_S)
    series = readings_store.between(row.id, *around)
    held = held_against(core, series, temperatures(row, rows, around))
    found = [
        f for f in faults(series[0], held.values, held.limits, held.tension) if f.end_at >= start and f.start_at <= end
    ]
    if fault_store.replace(row.id, (start, end), found):
        remade = (min([start, *(f.start_at for f in found)]), max([end, *(f.end_at for f in found)]))
        rollups.update_rollups(row.id, *remade, zone)
    else:
        rollups.update_rollups(row.id, start + DAY_S, end - DAY_S, zone, series)


def temperatures(row: SensorRow, rows: FarmRows, span: tuple[int, int]) -> Series | None:
    """Soil temperature [°C] over a span [s, UTC] at a matrix sensor, or at the station's nearest depth; else None."""
    beside = rollups.thermometer(row, rows) if row.raw_unit in KOHM_OF else None
    if beside is None:
        return None
    ts, values = readings_store.between(beside.id, *span)
    return ts, celsius(values, beside.raw_unit)


@dataclass(frozen=True)
class Held:
    """Values that rules are held against, their limits, and whether they are tensions [kPa]."""

    values: NDArray[np.float64]
    limits: TrustLimits
    tension: bool


def held_against(core: CoreSensor, series: Series, warmth: Series | None = None) -> Held:
    """What the rules are held against of a sensor's raw series.

    ``warmth`` is the soil temperature [°C] a resistance is corrected by; without it 24 °C.
    """
    if core.raw_unit == "kPa":
        return Held(series[1], TENSION, True)
    if core.raw_unit in KOHM_OF:
        there = np.full(len(series[1]), np.nan) if warmth is None else at_times(series[0], warmth)
        return Held(tension_kpa(series[1] * KOHM_OF[core.raw_unit], there), MATRIX, True)
    theta, whole = calibrated(core, series)
    return Held(theta, WATER, False) if whole else Held(series[1], RAW, False)


@dataclass(frozen=True)
class _At:
    """A station's block, the instant [s, UTC] of the first new reading, and whether water comes from a buried line.

    ``elsewhere`` are the sensors of the block's other stations.
    """

    block_key: str
    since: int
    from_below: bool
    elsewhere: Sequence[SensorRow]


def _check_station(station: StationRow, sensors: list[SensorRow], cores: dict[str, CoreSensor], at: _At) -> None:
    """Hold a station's last months against its water, its other depths and the order in which wettings arrive."""
    last = max(readings_store.last_reading_at([s.id for s in sensors]).values(), default=None)
    if last is None:
        return
    start = max(min(at.since, last - SLOW_SPAN_S), last - LONGEST_SLOW_SPAN_S)
    raw = {s.ref: rollups.hourly(s.id, start, last) for s in sensors}  # without what is not believed
    axis = common_times(raw)
    series, rows, wired, stepped = [], [], [], False
    for row in sensors:
        held = held_against(cores[row.ref], raw[row.ref])
        theta = held.values
        if (
            held.tension
        ):  # crossed wires show in what the tensions mean in water; slow faults are not looked for in them
            theta, _ = calibrated(cores[row.ref], raw[row.ref])
        if not len(theta) or not (held.tension or held.limits is WATER):
            continue
        wired.append(DepthSeries(row.key, row.depth_cm, on_times(axis, raw[row.ref], theta)))
        if held.limits is WATER:
            stepped |= any(f.fault == "step" for f in fault_store.of_sensor(row.id, start, last))
            series.append(wired[-1])
            rows.append(row)
    beside = {row.key: _beside(row, at.elsewhere, cores, axis) for row in rows}
    slow = slow_faults(axis, series, water_times(at.block_key, start, last), stepped, beside=beside)
    for row in rows:
        fault_store.replace(row.id, (start, last), slow[row.key], SLOW)
    if len(wired) > 1:
        _suspect(station, wired, axis, at.from_below)


def _beside(
    row: SensorRow, elsewhere: Sequence[SensorRow], cores: dict[str, CoreSensor], axis: NDArray[np.int64]
) -> list[NDArray[np.float64]]:
    """Water contents [m³/m³] at the same depth at the block's other stations; none where too few could tell."""
    same = [other for other in elsewhere if other.depth_cm == row.depth_cm and other.ref in cores]
    if len(same) < LIMITS.drift_beside:
        return []
    found = []
    for other in same:
        raw = rollups.hourly(other.id, int(axis[0]), int(axis[-1]))
        held = held_against(cores[other.ref], raw)
        if len(held.values) and held.limits is WATER:
            found.append(on_times(axis, raw, held.values))
    return found


def water_times(block_key: str, start: int, end: int) -> list[tuple[int, int]]:
    """Sets of a block and days of rain that counts [s, UTC]; it may have fallen at any hour of them."""
    zone = clock.the_farm().time_zone
    sets = [(s.start_at, s.end_at) for s in readings_store.sets(block_key, start - DAY_S, end)]
    days = range(times.local_day(start, zone) - 1, times.local_day(end, zone) + 1)
    rain = wetting_days(readings_store.rain(days.start, days.stop))
    return sets + [(times.instant_of(day, 0, zone), times.instant_of(day + 1, 0, zone)) for day in rain]


def _suspect(station: StationRow, series: list[DepthSeries], axis: NDArray[np.int64], from_below: bool) -> None:
    """Hold the station's last two months against the order in which wettings should arrive."""
    last = int(axis[-1])
    lately = axis >= last - SUSPICION_SPAN_S
    found = swap_suspicions([DepthSeries(s.sensor, s.depth_cm, s.theta[lately]) for s in series], from_below)
    fault_store.replace_suspicions(
        station.id,
        [
            {"upper": s.upper, "lower": s.lower, "against": s.against, "wettings": s.wettings,
             "words": as_json(s.words), "last_at": last}
            for s in found
        ],
    )  # fmt: skip


def note_late(taken: Mapping[int, Sequence[int]], now: int) -> None:
    """Note readings that came in now [s, UTC] long after they were taken; ``taken`` holds their instants by sensor."""
    for sensor_id, instants in taken.items():
        for found in late_faults(np.array(sorted(instants), dtype=np.int64), now):
            fault_store.add_late(sensor_id, found)


def reason_of(row: FaultRow) -> Text:
    """A stored fault's reason."""
    return from_json(row.reason)


def as_it_stood(row: FaultRow) -> FaultRow:
    """A fault whose end is that of a moment it went on after: how long it had lasted then, and its readings by then."""
    reason, lasted_h = from_json(row.reason), round((row.end_at - row.start_at) / 3600)
    if not isinstance(reason, Notice) or float(reason.values.get("whole_h") or 0.0) <= lasted_h:
        return row
    told = Notice(reason.code, **{**reason.values, "whole_h": lasted_h})
    read = len(readings_store.between(row.sensor_id, row.start_at, row.end_at)[0])
    return replace(row, readings=min(row.readings, read), reason=as_json(told))


def fault_notice(row: FaultRow, zone: str) -> Notice:
    """Why a sensor's latest reading is not used, or doubted."""
    return Notice("fault.since", fault=row.fault, since_day=times.local_day(row.start_at, zone), reason=reason_of(row))
