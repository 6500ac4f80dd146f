"""Stored readings as the core's observations: the one place where raw readings of blocks are gathered."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.delivery.moving_systems import set_ends_dry_spell
from embalse.core.quality.faults import DOUBT_DAYS, LASTING, still_in_doubt
from embalse.core.root_zone.block import NO_DAYS, NO_VALUES, Block, Moment, Sensor, SensorReadings
from embalse.core.root_zone.series import Series, theta_series
from embalse.core.sensors.calibration import wants_temperature
from embalse.core.sensors.matrix_sensor import TEMPERATURE_WITHIN_H, celsius
from embalse.core.weather.wetting_rain import mornings_touched, wetting_days
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load.weather import outlook_at
from embalse.services.readings import faults, rollups
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRow, FarmRows, SensorRow, SetRow

LASTING_S = 2 * 86400
"""How far before the newest reading faults are looked for that may still last."""


def moment_of(farm: FarmRow, now: int) -> Moment:
    """An instant [s, UTC] with its farm-local day, its dawn and the weather known then."""
    day = times.local_day(now, farm.time_zone)
    local = times.local(now, farm.time_zone)
    offset = float(_dawn_end(day, farm.time_zone) - 86400 * day)
    return Moment(now, day, offset, outlook_at(farm, now), local.hour + local.minute / 60)


def last_dawn(now: int, zone: str) -> int:
    """Day number of the last dawn that is over at an instant [s, UTC]."""
    day = times.local_day(now, zone)
    return day if now >= _dawn_end(day, zone) else day - 1


def _dawn_end(day: int, zone: str) -> int:
    return times.instant_of(day, times.DAWN_END_H, zone)


@dataclass(frozen=True)
class Stored:
    """Latest readings and dawn values (day numbers and raw values) by sensor id."""

    latest: Mapping[int, readings_store.Latest]
    dawns: Mapping[int, tuple[NDArray[np.int64], NDArray[np.float64]]]

    def dawn_of(self, sensor_id: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Day numbers and raw dawn values of a sensor, both empty where it has none."""
        return self.dawns.get(sensor_id, (NO_DAYS, NO_VALUES))


def sensor_readings(
    rows: FarmRows, blocks: Sequence[Block], span: tuple[int, int], when: tuple[int, str]
) -> dict[str, SensorReadings]:
    """What each sensor of some blocks says: its latest reading, dawn values, and what speaks against it.

    Parameters
    ----------
    rows : FarmRows
        Of all blocks, or of the one that is asked about.
    blocks : sequence of Block
        The same as the core knows them.
    span : (int, int)
        First and last day number of the dawn values, both included.
    when : (int, str)
        The instant asked for [s, UTC] and the farm's time zone.
    """
    now, zone = when
    only = rows.blocks[0].id if len({b.key for b in blocks}) == 1 else None
    stored = Stored(readings_store.latest(only, now), readings_store.dawns(only, *span))
    not_used, doubts = _faults_now(stored.latest, now, zone), _doubts(now, zone)
    cores = {s.key: s for b in blocks for t in b.stations for s in t.sensors}
    found = {}
    for row in (s for group in rows.sensors.values() for s in group):
        days, values = stored.dawn_of(row.id)
        newest = stored.latest.get(row.id)
        if newest is None and not len(days):
            continue
        at, raw = (None, None) if newest is None else (newest.at, newest.raw)
        words, doubt = doubts.get(row.id, ((), 0.0))
        core = cores.get(row.ref)
        warm = core is not None and wants_temperature(core.calibrations, core.raw_unit)
        now_c, dawn_c = _warmth(row, rows, stored, (at, days)) if warm else (None, None)
        read = SensorReadings(at, raw, days, values, not_used.get(row.id), words, doubt, now_c, dawn_c)
        if newest is not None and newest.low < newest.high:
            read = replace(read, last_raw=newest.last, low_raw=newest.low, high_raw=newest.high)
        found[row.ref] = read
    return found


def _faults_now(latest: Mapping[int, readings_store.Latest], now: int, zone: str) -> dict[int, Notice]:
    """Why the latest reading of a sensor is not used, by sensor; a spike does not move the median it stands in."""
    newest = max((one.at for one in latest.values()), default=now)
    found = {}
    for sensor_id, rows in fault_store.lasting(now, newest - LASTING_S).items():
        one = latest.get(sensor_id)
        at = None if one is None else one.at
        for row in rows:
            if at is not None and row.fault in LASTING and row.start_at <= at <= row.end_at:
                found[sensor_id] = faults.fault_notice(faults.as_it_stood(row), zone)
    return found


def _doubts(now: int, zone: str) -> dict[int, tuple[tuple[Notice, ...], float]]:
    """What speaks against a sensor that is still used, and how much it may be wrong by [m³/m³]."""
    found: dict[int, tuple[tuple[Notice, ...], float]] = {}
    for sensor_id, rows in fault_store.lasting(now, now - round(86400 * max(DOUBT_DAYS.values()))).items():
        lasting = [r for r in rows if still_in_doubt(r.fault, r.end_at, now)]
        if lasting:
            words = tuple(faults.fault_notice(faults.as_it_stood(row), zone) for row in lasting)
            found[sensor_id] = (words, math.hypot(*(row.size for row in lasting)))
    return found


def _warmth(
    sensor: SensorRow, rows: FarmRows, stored: Stored, asked: tuple[int | None, NDArray[np.int64]]
) -> tuple[float | None, NDArray[np.float64] | None]:
    """Soil temperature [°C] beside a sensor, now and at the dawns asked for, from the nearest place it is measured."""
    at, wanted = asked
    beside = rollups.thermometer(sensor, rows)
    if beside is None:
        return None, None
    now = None
    near = stored.latest.get(beside.id)
    if at is not None and near is not None and abs(near.at - at) <= 3600 * TEMPERATURE_WITHIN_H:
        now = float(celsius(np.array([near.raw]), beside.raw_unit)[0])
    days, values = stored.dawn_of(beside.id)
    there = np.full(len(wanted), np.nan)
    _, mine, theirs = np.intersect1d(wanted, days, return_indices=True)
    there[mine] = celsius(values[theirs], beside.raw_unit)
    return now, there


def wet_days(
    rows: FarmRows, sets: Sequence[SetRow], span: tuple[int, int], zone: str, dry_spells: bool = False
) -> dict[str, frozenset[int]]:
    """Day numbers, from dawn to dawn, on which water came in, by block key: sets of the block, and rain that counts.

    ``span`` are the first and last day number. For ``dry_spells`` only sets count that end one wherever the probe is.
    """
    kinds = {b.key: rows.systems[b.system_id].kind for b in rows.blocks if b.system_id is not None}
    rainy = mornings_touched(wetting_days(readings_store.rain(*span)))
    dawn_s = 3600 * times.DAWN_END_H
    wet: dict[str, set[int]] = {b.key: set() for b in rows.blocks}
    for row in sets:
        if row.block_key in wet and (not dry_spells or set_ends_dry_spell(kinds.get(row.block_key, ""))):
            first, last = (times.local_day(t - dawn_s, zone) for t in (row.start_at, max(row.start_at, row.end_at - 1)))
            wet[row.block_key].update(range(first, last + 1))
    return {key: frozenset(days) | rainy for key, days in wet.items()}


def hourly_series(rows: FarmRows, start: int, end: int) -> dict[str, Series]:
    """Hourly raw values of every sensor over a span [s, UTC], of readings that are believed, by reference."""
    return {s.ref: rollups.hourly(s.id, start, end) for group in rows.sensors.values() for s in group}


def hourly_warmth(rows: FarmRows, sensors: Sequence[Sensor], span: tuple[int, int]) -> dict[str, Series]:
    """Hourly soil temperature [°C] of the sensors whose water content depends on it, where it is measured, by key."""
    by_ref = {s.ref: s for group in rows.sensors.values() for s in group}
    wanted = [s.key for s in sensors if wants_temperature(s.calibrations, s.raw_unit)]
    found = {key: rollups.warmth(by_ref[key], rows, *span) for key in wanted}
    return {key: series for key, series in found.items() if series is not None}


def hourly_water(
    rows: FarmRows, sensors: Sequence[Sensor], span: tuple[int, int]
) -> tuple[dict[str, Series], dict[str, NDArray[np.float64]]]:
    """Hourly raw values and water contents [m³/m³] of sensors over a span [s, UTC], by key."""
    by_ref = {s.ref: s for group in rows.sensors.values() for s in group}
    series = {s.key: rollups.hourly(by_ref[s.key].id, *span) for s in sensors}
    warmth = hourly_warmth(rows, sensors, span)
    return series, {s.key: theta_series(s, series[s.key], warmth.get(s.key)) for s in sensors}
