"""Sensors of a station year over year: wet and dry anchors, and whether one has drifted."""

from typing import Final, Literal

from pydantic import BaseModel

from embalse.core.quality.yearly_drift import (
    YEAR_D,
    YearAnchors,
    YearlyDrift,
    drift_words,
    yearly_anchors,
    yearly_drift,
)
from embalse.core.root_zone.block import NO_DAYS, NO_VALUES, Moment, Sensor, SensorReadings, Station
from embalse.core.root_zone.sensor_water import dawn_theta
from embalse.services import times
from embalse.services.reader import Words, say
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store

YEARS_BACK: Final = 10


class YearOut(BaseModel):
    """A year's wet and dry anchor of a sensor [m³/m³]: medians of its wettest and driest dawns."""

    last_day: str
    wet_theta: float
    dry_theta: float
    dawns: int


class YearsOut(BaseModel):
    """A sensor's years, the oldest first, and what they say."""

    years: list[YearOut]
    kind: Literal["steady", "drift", "all moved", "alone", "span"]
    words: Words


def years_of(station: Station, block_id: int, moment: Moment) -> dict[str, YearsOut]:
    """A station's sensors by their own key, of those that have two whole years where they stand now."""
    anchors = _anchors(station, block_id, moment)
    return {key.rsplit("/", 1)[1]: _out(one, anchors[key]) for key, one in _told(anchors).items()}


def drifted(station: Station, block_id: int, moment: Moment) -> list[tuple[Sensor, YearlyDrift]]:
    """Sensors of a station that have drifted over the years."""
    told = _told(_anchors(station, block_id, moment))
    return [(s, told[s.key]) for s in station.sensors if s.key in told and told[s.key].kind == "drift"]


def _anchors(station: Station, block_id: int, moment: Moment) -> dict[str, list[YearAnchors]]:
    rows = {s.ref: s for s in farm_store.sensors()}
    dawns = readings_store.dawns(block_id, moment.day - YEARS_BACK * YEAR_D, moment.day)
    anchors = {}
    for sensor in station.sensors:
        days, raw = dawns.get(rows[sensor.key].id, (NO_DAYS, NO_VALUES)) if sensor.key in rows else (NO_DAYS, NO_VALUES)
        here = days * 86400.0 + moment.dawn_offset_s >= (sensor.since or 0.0)
        theta = dawn_theta(sensor, SensorReadings(None, None, days[here], raw[here]), moment)
        anchors[sensor.key] = yearly_anchors(days[here], theta, moment.day)
    return anchors


def _told(anchors: dict[str, list[YearAnchors]]) -> dict[str, YearlyDrift]:
    told = {key: yearly_drift(mine, [a for k, a in anchors.items() if k != key]) for key, mine in anchors.items()}
    return {key: one for key, one in told.items() if one is not None}


def _out(one: YearlyDrift, anchors: list[YearAnchors]) -> YearsOut:
    lines = [
        YearOut(last_day=times.day_of(a.last_day).isoformat(), wet_theta=a.wet, dry_theta=a.dry, dawns=a.dawns)
        for a in anchors
    ]
    return YearsOut(years=lines, kind=one.kind, words=say(drift_words(one)))
