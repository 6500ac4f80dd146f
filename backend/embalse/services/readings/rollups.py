"""Hourly and dawn values: kept up as readings come in, so that neither advice nor drawings scan the season."""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from embalse.core.root_zone.block import Sensor as CoreSensor
from embalse.core.root_zone.series import Series
from embalse.core.sensors.calibration import sensor_tension_kpa
from embalse.core.sensors.matrix_sensor import KOHM_OF, at_times, celsius
from embalse.services import times
from embalse.store import faults as fault_store
from embalse.store import hours
from embalse.store import readings as store
from embalse.store.rows import FarmRows, SensorRow

DAY_S = 86400


def update_rollups(sensor_id: int, start: int, end: int, time_zone: str, series: Series | None = None) -> None:
    """Make anew the hourly and dawn values of a sensor for the days from ``start`` to ``end`` [s, UTC].

    An hourly value is the median raw value of its hour, without readings that are not believed; a dawn value that
    from 04:00 to 06:00 farm-local. ``series`` are its readings, of a day more on both sides, if they are at hand
    already. A linear calibration keeps the order of values, so the median may be taken before it.
    """
    first_day, last_day = times.local_day(start, time_zone), times.local_day(end, time_zone)
    begin = times.instant_of(first_day, times.DAWN_START_H, time_zone)
    finish = times.instant_of(last_day, times.DAWN_END_H, time_zone)
    store.forget_dawns(sensor_id, first_day, last_day)
    whole = (start // DAY_S * DAY_S, (end // DAY_S + 1) * DAY_S - 1)
    if series is None:
        series = store.between(sensor_id, min(begin, whole[0]), max(finish, whole[1]))
    ts, raw = _believed(sensor_id, *series)
    hours.replace_days(sensor_id, start // DAY_S, end // DAY_S, hours_by_day(*_cut((ts, raw), *whole)))
    ts, raw = _cut((ts, raw), begin, finish)
    if not len(ts):
        return
    day_numbers = range(first_day, last_day + 1)
    opens = np.array([times.instant_of(day, times.DAWN_START_H, time_zone) for day in day_numbers])
    closes = np.array([times.instant_of(day, times.DAWN_END_H, time_zone) for day in day_numbers])
    lows = np.searchsorted(ts, opens, side="left")
    counts = np.searchsorted(ts, closes, side="right") - lows
    rows = []
    for count in np.unique(counts[counts > 0]).tolist():
        which = np.flatnonzero(counts == count)
        medians = np.median(raw[lows[which][:, None] + np.arange(count)], axis=1)
        rows += [
            (sensor_id, day, value, count)
            for day, value in zip((first_day + which).tolist(), medians.tolist(), strict=True)
        ]
    store.replace_dawns(rows)


def hours_by_day(ts: NDArray[np.int64], raw: NDArray[np.float64]) -> Iterator[tuple[int, NDArray[np.float64]]]:
    """UTC day numbers with the medians of their 24 hours; days without a reading are left out."""
    if not len(ts):
        return
    slots = ts // 3600
    edges = np.flatnonzero(np.diff(slots)) + 1
    firsts, lasts = np.concatenate(([0], edges)), np.concatenate((edges, [len(slots)]))
    counts = lasts - firsts
    medians = raw[firsts].copy()
    for count in np.unique(counts[counts > 1]).tolist():
        which = np.flatnonzero(counts == count)
        medians[which] = np.median(raw[firsts[which][:, None] + np.arange(count)], axis=1)
    first_day = int(slots[0]) // 24
    table = np.full((int(slots[-1]) // 24 - first_day + 1, 24), np.nan)
    table.ravel()[slots[firsts] - 24 * first_day] = medians
    for place in np.flatnonzero(np.isfinite(table).any(axis=1)).tolist():
        yield first_day + place, table[place]


def hourly(sensor_id: int, start: int, end: int) -> Series:
    """Hourly values (raw) of a sensor from ``start`` to ``end`` [s, UTC], of readings that are believed.

    The hour that ``end`` cuts is made from its readings up to then: what came after was not known.
    """
    cut = end // 3600 * 3600
    ts, raw = hours.between(sensor_id, start, cut - 1)
    last_ts, last_raw = _believed(sensor_id, *store.between(sensor_id, max(start, cut), end))
    if not len(last_ts):
        return ts, raw
    return np.append(ts, cut), np.append(raw, np.median(last_raw))


def thermometer(sensor: SensorRow, rows: FarmRows) -> SensorRow | None:
    """Where the soil temperature of a sensor is measured: beside it, or at the station's nearest depth; else None."""
    for near in sorted(rows.sensors.get(sensor.station_id, []), key=lambda s: abs(s.depth_cm - sensor.depth_cm)):
        found = next((c for c in rows.companions.get(near.id, []) if c.quantity == "temperature"), None)
        if found is not None:
            return found
    return None


def warmth(sensor: SensorRow, rows: FarmRows, start: int, end: int) -> Series | None:
    """Hourly soil temperature [°C] of a sensor from ``start`` to ``end`` [s, UTC], None where it is not measured."""
    beside = thermometer(sensor, rows)
    if beside is None:
        return None
    ts, values = hourly(beside.id, start, end)
    return ts, celsius(values, beside.raw_unit)


def tension(row: SensorRow, core: CoreSensor, rows: FarmRows, span: tuple[int, int]) -> Series:
    """Hourly tensions at a sensor [kPa] over a span [s, UTC]: from resistance, or less its gauge's water column."""
    ts, raw = hourly(row.id, *span)
    warm = warmth(row, rows, *span) if row.raw_unit in KOHM_OF else None
    there = None if warm is None else at_times(ts, warm)
    return ts, sensor_tension_kpa(row.raw_unit, raw, there, core.gauge_above_cm)


def fill_hours(time_zone: str) -> bool:
    """Make all hourly values of a farm that has readings and none of them yet; says whether it did."""
    if hours.any_stored() or store.first_reading() is None:
        return False
    remake_rollups(store.sensor_ids(), time_zone)
    return True


def _cut(series: Series, begin: int, finish: int) -> Series:
    low, high = np.searchsorted(series[0], [begin, finish + 1])
    return series[0][low:high], series[1][low:high]


def _believed(
    sensor_id: int, ts: NDArray[np.int64], raw: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Readings without those of faults."""
    if not len(ts):
        return ts, raw
    keep = np.ones(len(ts), dtype=bool)
    for start, end in fault_store.kept_out_spans(sensor_id, int(ts[0]), int(ts[-1])):
        keep[np.searchsorted(ts, start) : np.searchsorted(ts, end, side="right")] = False
    return ts[keep], raw[keep]


def rebuild_dawns(time_zone: str) -> None:
    """Make all dawn values anew, after the farm's time zone changed."""
    store.clear_dawns()
    remake_rollups(store.sensor_ids(), time_zone)


def remake_rollups(sensor_ids: Iterable[int], time_zone: str) -> None:
    """Make all hourly and dawn values of some sensors anew."""
    for sensor_id in sensor_ids:
        found = store.span(sensor_id)
        if found is not None:
            update_rollups(sensor_id, *found, time_zone)
