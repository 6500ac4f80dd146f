"""What a sensor says: its water content now and at each dawn, and whether it is believed yet."""

from collections.abc import Mapping
from dataclasses import replace
from math import hypot

import numpy as np
from numpy.typing import NDArray

from embalse.core.quality.manual_readings import days_overdue
from embalse.core.quality.settling import Settling, SettlingRule, settling
from embalse.core.root_zone.block import Moment, Sensor, SensorReadings, Station
from embalse.core.root_zone.carrying import carry_limit_days
from embalse.core.root_zone.root_zone import LayerReading
from embalse.core.sensors.calibration import HIGHEST_THETA, Calibration, calibration_at, implausible_theta
from embalse.core.sensors.useful_range import beyond_ends, end_of
from embalse.core.wording import Notice

STALE_AFTER_H = 24.0  # hours after which a reading no longer speaks for now (ours: a day)
MOVING_THETA = 0.007  # m³/m³ by which the last hours differ from which on water moves there (ours)
STEADY_THETA = 0.002  # m³/m³ within which the hours before count as steady (ours, of steady probes)
NO_READINGS = SensorReadings()


def layer_reading(sensor: Sensor, readings: SensorReadings, now: float) -> LayerReading:
    """Water content [m³/m³] of a sensor now, or why there is none.

    Parameters
    ----------
    sensor : Sensor
    readings : SensorReadings
        Latest raw value and its instant [s, UTC].
    now : float
        Instant asked for [s, UTC]. A reading older than 24 h is to be carried forward (``age_days``), up to a limit
        by the way it is read; beyond that there is none.
    """
    if readings.latest_at is None or readings.latest_raw is None:
        return LayerReading(None, why_missing=Notice("missing.none_yet"))
    if readings.fault is not None:
        return LayerReading(None, why_missing=readings.fault, kind="faulty")
    age_h = (now - readings.latest_at) / 3600
    if age_h > 24 * carry_limit_days(sensor.read_every_days):
        return _too_old(age_h / 24, sensor.read_every_days)
    calibration = calibration_at(sensor.calibrations, sensor.raw_unit, readings.latest_at)
    if calibration is None:
        return LayerReading(None, why_missing=Notice("missing.not_calibrated", unit=sensor.raw_unit))
    found = _calibrated(sensor, readings, calibration)
    if age_h <= STALE_AFTER_H or found.theta is None:
        return found
    old = _too_old(age_h / 24, sensor.read_every_days)
    return replace(found, age_days=age_h / 24, why_missing=old.why_missing, kind=old.kind)


def _calibrated(sensor: Sensor, readings: SensorReadings, calibration: Calibration) -> LayerReading:
    """The latest reading as water content, with its error and what speaks against it."""
    assert readings.latest_raw is not None
    raw, theta = _now(calibration, readings)
    wrong = implausible_theta(theta)
    if wrong:
        return LayerReading(None, why_missing=Notice("missing.impossible", why=wrong), kind="faulty")
    own, shared = calibration.errors_theta(raw, readings.latest_c)
    beyond = calibration.beyond(raw)
    return LayerReading(
        theta,
        hypot(own, readings.doubt_theta),
        doubts=(*readings.doubts, beyond) if beyond else readings.doubts,
        shared_error_theta=shared,
        shared_by=calibration.name,
        end=end_of(sensor.kind, sensor.raw_unit, readings.latest_raw, readings.latest_c),
    )


def _now(calibration: Calibration, readings: SensorReadings) -> tuple[float, float]:
    """Raw value and water content [m³/m³] that stand for now: the median of the last hours, or the last while it moves.

    Water that arrives or drains within those hours has the median lag behind by up to ten
    millimetres in a sand; a single low value at the end of steady ones is waited for, as soil does not dry at a stroke.
    """
    assert readings.latest_raw is not None
    there = readings.latest_c
    middle = _latest(calibration, readings.latest_raw, there)
    if readings.last_raw is None or readings.low_raw is None or readings.high_raw is None:
        return middle
    ends = [_latest(calibration, raw, there)[1] for raw in (readings.low_raw, readings.high_raw)]
    wettest = max(ends)
    if wettest - min(ends) <= MOVING_THETA:
        return middle
    last = _latest(calibration, readings.last_raw, there)
    alone = last[1] < middle[1] and wettest - middle[1] < STEADY_THETA
    return middle if alone else last


def rise_theta(sensor: Sensor, readings: SensorReadings) -> float | None:
    """How far a sensor has risen within its last three hours or so [m³/m³]; None where that is not known."""
    if readings.earlier_raw is None or readings.latest_raw is None or readings.latest_at is None:
        return None
    calibration = calibration_at(sensor.calibrations, sensor.raw_unit, readings.latest_at)
    if calibration is None:
        return None
    before, now = (
        _latest(calibration, raw, readings.latest_c)[1] for raw in (readings.earlier_raw, readings.latest_raw)
    )
    return now - before


def _latest(calibration: Calibration, raw: float, temperature_c: float | None) -> tuple[float, float]:
    """The latest raw value at the reference temperature, and its water content [m³/m³]."""
    if calibration.model == "linear" and calibration.per_degree == 0:
        return raw, calibration.coefficients[0] + calibration.coefficients[1] * raw
    there = None if temperature_c is None else np.array([temperature_c])
    values = np.array([raw])
    return float(calibration.at_reference(values, there)[0]), float(calibration.theta(values, there)[0])


def _too_old(age_days: float, read_every_days: float | None) -> LayerReading:
    if read_every_days is None:
        return LayerReading(None, why_missing=Notice("missing.silent", ago_days=age_days), kind="silent")
    ages = {"every_days": read_every_days, "ago_days": age_days}
    if days_overdue(age_days, read_every_days) > 0:
        return LayerReading(None, why_missing=Notice("missing.overdue", **ages), kind="overdue")
    return LayerReading(None, why_missing=Notice("missing.by_hand", **ages))


def dawn_theta(sensor: Sensor, readings: SensorReadings, moment: Moment) -> NDArray[np.float64]:
    """Water content [m³/m³] at each dawn, shape (n,); NaN where uncalibrated, implausible or at the range's dry end."""
    if not len(readings.dawn_raw):
        return readings.dawn_raw
    first = 86400.0 * float(readings.dawn_days[0]) + moment.dawn_offset_s
    at_first = calibration_at(sensor.calibrations, sensor.raw_unit, first)
    if any(c.valid_from > first for c in sensor.calibrations):
        theta = _theta_by_day(sensor, readings, moment)
    elif at_first is None:
        return np.full(len(readings.dawn_raw), np.nan)
    else:
        theta = at_first.theta(readings.dawn_raw, readings.dawn_c)
    dry_end = beyond_ends(sensor.kind, sensor.raw_unit, readings.dawn_raw, readings.dawn_c) > 0
    return np.where((theta < 0) | (theta > HIGHEST_THETA) | dry_end, np.nan, theta)


def _theta_by_day(sensor: Sensor, readings: SensorReadings, moment: Moment) -> NDArray[np.float64]:
    theta = np.full(len(readings.dawn_raw), np.nan)
    for index, day in enumerate(readings.dawn_days):
        found = calibration_at(sensor.calibrations, sensor.raw_unit, 86400.0 * float(day) + moment.dawn_offset_s)
        if found is not None:
            there = None if readings.dawn_c is None else readings.dawn_c[index : index + 1]
            theta[index] = found.theta(readings.dawn_raw[index : index + 1], there)[0]
    return theta


def station_settling(station: Station, readings: Mapping[str, SensorReadings], moment: Moment) -> dict[str, Settling]:
    """How the sensors of a station that went in lately have settled, by sensor key; those long in are left out.

    Sensors that went in at the same instant [s, UTC] settle together.

    Parameters
    ----------
    station : Station
        Its sensors with the instant each went in; ``settle_days`` [days] replaces the days of practice.
    readings : mapping of sensor key to SensorReadings
    moment : Moment
    """
    rule = SettlingRule() if station.settle_days is None else SettlingRule(days=station.settle_days)
    groups: dict[float, list[Sensor]] = {}
    for sensor in station.sensors:
        if sensor.since is not None and moment.now - sensor.since < 86400 * rule.days:
            groups.setdefault(sensor.since, []).append(sensor)
    found: dict[str, Settling] = {}
    for since, sensors in groups.items():
        if moment.now < since:
            state = Settling(False, Notice("settling.not_in"))
        else:
            thetas = [_dawns_since(s, readings.get(s.key, NO_READINGS), since, moment) for s in sensors]
            state = settling(since, moment.now, thetas, rule)
        found.update({sensor.key: state for sensor in sensors})
    return found


def _dawns_since(sensor: Sensor, readings: SensorReadings, since: float, moment: Moment) -> NDArray[np.float64]:
    theta = dawn_theta(sensor, readings, moment)
    return theta[readings.dawn_days * 86400.0 + moment.dawn_offset_s >= since] if len(theta) else theta


def settled_reading(sensor: Sensor, readings: SensorReadings, state: Settling | None, moment: Moment) -> LayerReading:
    """Water content [m³/m³] of a sensor now; missing, with the reason, while it is settling."""
    found = layer_reading(sensor, readings, moment.now)
    if state is None or state.settled or found.theta is None:
        return found
    return LayerReading(None, why_missing=state.said)


def settled_dawn_theta(
    sensor: Sensor, readings: SensorReadings, state: Settling | None, moment: Moment
) -> NDArray[np.float64]:
    """Water content [m³/m³] at each dawn value, shape (n,); NaN also from the day a sensor went in while it settles."""
    theta = dawn_theta(sensor, readings, moment)
    if state is not None and not state.settled and sensor.since is not None and len(theta):
        theta = np.where(readings.dawn_days * 86400.0 + moment.dawn_offset_s >= sensor.since, np.nan, theta)
    return theta
