"""What the field said over a season: water contents by layer, depletion of the root zone, water that came in."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from embalse.core.advice.block_analysis import BlockAnalysis, StationAnalysis, dawn_storage_mm
from embalse.core.field.drain_down import ProfileSeries
from embalse.core.root_zone.block import Block, Moment, SensorReadings
from embalse.core.root_zone.sensor_water import NO_READINGS, dawn_theta
from embalse.core.root_zone.series import common_times, on_times, storage_series
from embalse.core.weather.wetting_rain import FROM_H, TO_H, wetting_days
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.plantings import as_planted
from embalse.services.load.zones import rows_with_stand_ins, with_stand_ins
from embalse.services.readings import observations
from embalse.services.readings.observations import hourly_water, moment_of, sensor_readings
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.rows import BlockRow, FarmRow, FarmRows

Floats = NDArray[np.float64]
SEASON_DAYS = 200


@dataclass(frozen=True)
class Field:
    """A block at a moment with all it takes to look back over its season; ``now`` in s, UTC.

    ``row`` has the crop of the planting in the ground; ``rows`` are as stored.
    """

    farm: FarmRow
    rows: FarmRows
    row: BlockRow
    block: Block
    analysis: BlockAnalysis
    now: int
    days: int = SEASON_DAYS

    @property
    def start(self) -> int:
        """From when it is looked back [s, UTC]."""
        return self.now - 86400 * self.days

    @property
    def zone(self) -> str:
        """The farm's time zone."""
        return self.farm.time_zone


def field_of(farm: FarmRow, rows: FarmRows, now: int, days: int = SEASON_DAYS) -> Field:
    """The one block of ``rows`` at an instant [s, UTC], to be looked back on for some days."""
    block = core_blocks(rows, now)[0]
    _, homes = with_stand_ins(rows, [block], (now, farm.time_zone))
    everything = rows_with_stand_ins(rows, homes)
    row = as_planted(rows.blocks[0], rows, (now, farm.time_zone))
    return Field(farm, everything, row, block, analyse_blocks(farm, rows, [block], now)[0], now, days)


def field_at(key: str, moment: str | None = None, days: int = SEASON_DAYS) -> Field:
    """A block at a farm-local moment (now if None), to be looked back on for some days.

    Raises
    ------
    Conflict
        If no farm is set up.
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    return field_of(farm, farm_store.farm_rows([key]), clock.as_of(farm, moment), days)


def waters(field: Field) -> list[tuple[int, int]]:
    """Sets and rain that counts [s, UTC]."""
    sets = [(s.start_at, s.end_at) for s in readings_store.sets(field.row.key, field.start, field.now)]
    days = readings_store.rain(times.local_day(field.start, field.zone), times.local_day(field.now, field.zone))
    fell = [
        (times.instant_of(day, FROM_H, field.zone), times.instant_of(day, TO_H, field.zone))
        for day in wetting_days(days)
    ]
    return sorted([*sets, *fell])


def thetas(field: Field, station: StationAnalysis) -> tuple[NDArray[np.int64], list[Floats]]:
    """Hourly water contents of a station [m³/m³], one series a sensor, on one axis [s, UTC]."""
    sensors = station.station.sensors
    series, theta = hourly_water(field.rows, sensors, (field.start, field.now))
    axis = common_times(series)
    return axis, [on_times(axis, series[s.key], theta[s.key]) for s in sensors]


def profile(field: Field, station: StationAnalysis) -> ProfileSeries | None:
    """A station's season as the drain-downs are looked for in it; None without layers or readings."""
    axis, columns = thetas(field, station)
    if not len(axis) or not station.layers:
        return None
    local = times.local_seconds(axis, field.zone)
    wet = [tuple(int(t) for t in times.local_seconds(pair, field.zone)) for pair in waters(field)]
    thickness = tuple(layer.thickness_cm for layer in station.layers)
    return ProfileSeries(local, np.array(columns), thickness, tuple((a, b) for a, b in wet))


def depletion_series(field: Field) -> tuple[NDArray[np.int64], Floats]:
    """Instants [s, UTC] and depletion of the root zone [mm] over the season, the mean of the stations that know it."""
    found = []
    for station in (s for s in field.analysis.stations if s.layers and s.marks):
        axis, columns = thetas(field, station)
        if len(axis) and station.marks:
            found.append((axis, station.marks.full_mm - storage_series(station.layers, columns)))
    if not found:
        return np.empty(0, dtype=np.int64), np.empty(0)
    axis = np.unique(np.concatenate([a for a, _ in found]))
    table = np.full((len(found), len(axis)), np.nan)
    for place, (when, values) in enumerate(found):
        table[place][np.searchsorted(axis, when)] = values
    known = np.isfinite(table).all(axis=0)
    return axis[known], table[:, known].mean(axis=0)


def dawn_depletion(field: Field) -> dict[int, float]:
    """Depletion of the root zone at each dawn [mm] by day number, the mean of the stations."""
    usable = [s for s in field.analysis.stations if s.layers and s.marks]
    if not usable:
        return {}
    first, last = times.local_day(field.start, field.zone), times.local_day(field.now, field.zone)
    by_sensor, moment = _dawns(field, first, last)
    series = []
    for station in usable:
        assert station.marks is not None
        storage = dawn_storage_mm(station, by_sensor, moment)
        series.append({day: station.marks.full_mm - value for day, value in storage.items()})
    days = set(series[0]).intersection(*series[1:])
    return {day: sum(one[day] for one in series) / len(series) for day in sorted(days)}


def dawn_thetas(field: Field, station: StationAnalysis) -> list[Floats]:
    """Dawn water contents of each sensor of a station over the season [m³/m³]."""
    first, last = times.local_day(field.start, field.zone), times.local_day(field.now, field.zone)
    by_sensor, moment = _dawns(field, first, last)
    return [dawn_theta(s, by_sensor.get(s.key, NO_READINGS), moment) for s in station.station.sensors]


def _dawns(field: Field, first: int, last: int) -> tuple[dict[str, SensorReadings], Moment]:
    found = sensor_readings(field.rows, [field.block], (first, last), (field.now, field.zone))
    return found, moment_of(field.farm, field.now)


def wet_days(field: Field) -> frozenset[int]:
    """Day numbers between whose dawn and the next water came in."""
    span = (times.local_day(field.start, field.zone), times.local_day(field.now, field.zone))
    sets = readings_store.sets(field.row.key, field.start, field.now)
    return observations.wet_days(field.rows, sets, span, field.zone)[field.row.key]
