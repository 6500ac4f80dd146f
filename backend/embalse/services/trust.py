"""Trust kept up as readings arrive: faults found, dawn values without them, crossed depths suspected."""

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from embalse.core.block import Sensor as CoreSensor
from embalse.core.swapped import DepthSeries, swap_suspicions
from embalse.core.traces import calibrated, common_times, on_times
from embalse.core.trust import RAW, TENSION, WATER, TrustLimits, faults, without_faults
from embalse.services import clock, readings
from embalse.services.blocks import core_blocks
from embalse.store import farm as farm_store
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRows, SensorRow, StationRow

DAY_S = 86400
MARGIN_S = 3 * DAY_S
SUSPICION_SPAN_S = 60 * 86400
FIRST_S, LAST_S = 0, 2**40


def check_new(
    sensor_ids: Iterable[int], start: int, end: int, keys: Sequence[str] | None = None, suspect: bool = True
) -> None:
    """Look at the readings of sensors that arrived in a span [s, UTC], and keep dawn values and suspicions up.

    ``keys`` are the blocks they belong to, where the caller knows them; ``suspect`` holds the order of wettings too.
    """
    farm = clock.the_farm()
    wanted = set(sensor_ids)
    rows = farm_store.farm_rows(keys)
    for block_rows, station, sensors in _stations(rows):
        touched = [s for s in sensors if s.id in wanted]
        if not touched:
            continue
        cores = _core_sensors(rows, block_rows, station.key)
        for row in touched:
            _check_sensor(row, cores[row.ref], (start, end), farm.time_zone)
        if suspect:
            _suspect(station, sensors, cores)


def recheck(sensor_ids: Iterable[int]) -> None:
    """Look at everything of some sensors again, after a calibration, a depth or a device changed."""
    wanted = list(sensor_ids)
    spans = [span for span in (readings_store.span(s) for s in wanted) if span is not None]
    if spans:
        check_new(wanted, min(s[0] for s in spans), max(s[1] for s in spans))


def _stations(rows: FarmRows) -> Iterable[tuple[str, StationRow, list[SensorRow]]]:
    for block in rows.blocks:
        for station in rows.stations.get(block.id, []):
            yield block.key, station, rows.sensors.get(station.id, [])


def _core_sensors(rows: FarmRows, block_key: str, station_key: str) -> dict[str, CoreSensor]:
    block = next(b for b in core_blocks(rows, LAST_S, with_removed=True) if b.key == block_key)
    station = next(s for s in block.stations if s.key == station_key)
    return {s.key: s for s in station.sensors}


def _check_sensor(row: SensorRow, core: CoreSensor, span: tuple[int, int], zone: str) -> None:
    start, end = span[0] - MARGIN_S, span[1] + MARGIN_S
    touching = fault_store.of_sensor(row.id, start, end)
    start = min([start, *(f.start_at for f in touching)])
    series = readings_store.between(row.id, start, end)
    values, limits, tension = held_against(core, series)
    fault_store.replace(row.id, (start, end), faults(series[0], values, limits, tension))
    readings.update_dawns(row.id, span[0] - MARGIN_S + DAY_S, span[1], zone, series)


def held_against(
    core: CoreSensor, series: tuple[NDArray[np.int64], NDArray[np.float64]]
) -> tuple[NDArray[np.float64], TrustLimits, bool]:
    """The values rules are held against, their limits, and whether they are tensions [kPa]."""
    if core.raw_unit == "kPa":
        return series[1], TENSION, True
    theta, whole = calibrated(core, series)
    return (theta, WATER, False) if whole else (series[1], RAW, False)


def _suspect(station: StationRow, sensors: list[SensorRow], cores: dict[str, CoreSensor]) -> None:
    """Hold the station's last two months against the order in which wettings should arrive."""
    last = max(readings_store.last_reading_at([s.id for s in sensors]).values(), default=None)
    if last is None or len(sensors) < 2:
        return
    raw = {s.ref: readings_store.between(s.id, last - SUSPICION_SPAN_S, last) for s in sensors}
    axis = common_times(raw)
    series = []
    for row in sensors:
        theta, limits, tension = held_against(cores[row.ref], raw[row.ref])
        if limits is WATER and len(theta):
            clean = without_faults(raw[row.ref][0], theta, faults(raw[row.ref][0], theta, limits, tension))
            series.append(DepthSeries(row.key, row.depth_cm, on_times(axis, raw[row.ref], clean)))
    found = swap_suspicions(series)
    fault_store.replace_suspicions(
        station.id,
        [
            {"upper": s.upper, "lower": s.lower, "against": s.against, "wettings": s.wettings, "words": s.words,
             "last_at": last}
            for s in found
        ],
    )  # fmt: skip


def fault_words(fault: str, reason: str, since: str) -> str:
    """Why a sensor's latest reading is not used, in words."""
    return f"{fault} since {since} ({reason})"
