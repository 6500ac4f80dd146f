"""Dawn values: kept up as readings come in, so that a day's advice never scans the season."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from embalse.core.traces import Series
from embalse.services import times
from embalse.store import faults as fault_store
from embalse.store import readings as store


def update_dawns(sensor_id: int, start: int, end: int, time_zone: str, series: Series | None = None) -> None:
    """Make anew the dawn values of a sensor for the farm-local days from ``start`` to ``end`` [s, UTC].

    A dawn value is the median raw value from 04:00 to 06:00 farm-local, without readings that are not
    believed. ``series`` are its readings if they are at hand already. A linear calibration keeps the order of
    values, so the median may be taken before it.
    """
    first_day, last_day = times.local_day(start, time_zone), times.local_day(end, time_zone)
    begin = times.instant_of(first_day, times.DAWN_START_H, time_zone)
    finish = times.instant_of(last_day, times.DAWN_END_H, time_zone)
    store.forget_dawns(sensor_id, first_day, last_day)
    if series is None:
        series = store.between(sensor_id, begin, finish)
    ts, raw = _believed(sensor_id, *_cut(series, begin, finish))
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
    remake_dawns(store.sensor_ids(), time_zone)


def remake_dawns(sensor_ids: Iterable[int], time_zone: str) -> None:
    """Make all dawn values of some sensors anew."""
    for sensor_id in sensor_ids:
        found = store.span(sensor_id)
        if found is not None:
            update_dawns(sensor_id, *found, time_zone)
