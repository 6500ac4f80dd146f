"""Blocks whose sensors are not calibrated: an index with its trend, and the samples that would make it water."""

import json
from dataclasses import dataclass

import numpy as np

from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Sensor
from embalse.core.root_zone.sensor_water import NO_READINGS
from embalse.core.sensors.calibration import TENSION_UNITS, calibration_at
from embalse.core.sensors.wetness_index import index_trend, index_word, samples_wanted, wetness_index
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field, field_at
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings import rollups
from embalse.services.readings.known_then import as_known_then
from embalse.services.readings.observations import sensor_readings
from embalse.services.schema.records import BatchTestPart
from embalse.store import records as record_store
from embalse.store.rows import SensorRow

TREND_DAYS = 7
SEEN_DAYS = 45


@dataclass(frozen=True)
class AirAndWater:
    """Mean readings of a device in air and in water, and what they are from."""

    air: float
    water: float
    told: Notice


class IndexPoint(Content):
    """An index at a dawn, farm-local day."""

    day: str
    index: float


class SampleWantedOut(Content):
    """A sample that would tell most."""

    level: str
    raw: float
    when: Words


class SensorIndex(Content):
    """A sensor that is not calibrated: its index between air (0) and water (1), or why there is none."""

    sensor: str
    station: str
    depth_cm: float
    raw_unit: str
    latest_raw: float | None
    index: float | None
    word: str
    trend: str
    days: list[IndexPoint]
    points_from: str
    samples: list[SampleWantedOut]


class IndexContent(Content):
    """Index mode of a block; empty ``sensors`` when every sensor gives water or tension."""

    block: str
    words: Words
    sensors: list[SensorIndex]


@as_known_then
def index_content(key: str, moment: str | None = None) -> IndexContent:
    """The index of a block's uncalibrated sensors at a farm-local moment; raises NotFound, ValueError."""
    field = field_at(key, moment)
    points = _air_and_water()
    found = []
    for station in field.block.stations:
        for sensor in station.sensors:
            known = calibration_at(sensor.calibrations, sensor.raw_unit, field.now)
            if known is None and sensor.raw_unit not in TENSION_UNITS:
                found.append(_sensor_index(field, station.name, sensor, points))
    return IndexContent(block=key, words=say(Notice("index.uncalibrated")) if found else "", sensors=found)


def _air_and_water() -> dict[str, AirAndWater]:
    """Mean readings in air and in water by device, from the batch tests, the latest last."""
    found = {}
    parts = [BatchTestPart.model_validate(json.loads(r.body)) for r in record_store.records("batch_tests")]
    for part in sorted(parts, key=lambda p: p.on):
        for one in part.sensors:
            if one.air and one.water:
                told = Notice("index.batch_test", test=part.key, on_day=times.day_number(part.on))
                found[one.sensor] = AirAndWater(float(np.mean(one.air)), float(np.mean(one.water)), told)
    return found


def _sensor_index(field: Field, station: str, sensor: Sensor, points: dict[str, AirAndWater]) -> SensorIndex:
    row = next(s for group in field.rows.sensors.values() for s in group if s.ref == sensor.key)
    today = times.local_day(field.now, field.zone)
    span = (today - TREND_DAYS, today)
    read = sensor_readings(field.rows, [field.block], span, (field.now, field.zone)).get(sensor.key, NO_READINGS)
    raw, days, dawns = read.latest_raw, read.dawn_days, read.dawn_raw
    _, seen = rollups.hourly(row.id, field.now - 86400 * SEEN_DAYS, field.now)
    wanted = samples_wanted(seen, raw) if raw is not None else []
    device = _device(field, row)
    index, word, trend, shown, told = None, "", "", [], say(Notice("index.no_points"))
    if device in points and raw is not None:
        ends = points[device]
        told = say(ends.told)
        try:
            values = wetness_index(dawns, ends.air, ends.water)
            index = float(wetness_index(np.array([raw]), ends.air, ends.water)[0])
            word, trend = index_word(index), say(index_trend(values.tolist()))
            shown = [
                IndexPoint(day=times.day_of(int(d)).isoformat(), index=round(float(v), 3))
                for d, v in zip(days, values, strict=True)
            ]
        except CoreError as refusal:
            told = say(refusal.reason)
    return SensorIndex(
        sensor=sensor.key,
        station=station,
        depth_cm=sensor.depth_cm,
        raw_unit=sensor.raw_unit,
        latest_raw=raw,
        index=index,
        word=word,
        trend=trend,
        days=shown,
        points_from=f"{device}: {told}" if device else told,
        samples=[SampleWantedOut(level=s.level, raw=s.raw, when=say(s.when)) for s in wanted],
    )


def _device(field: Field, row: SensorRow) -> str:
    placed = [p for p in field.rows.placements.get(row.id, []) if p.since <= field.now]
    return placed[-1].device_key if placed else ""
