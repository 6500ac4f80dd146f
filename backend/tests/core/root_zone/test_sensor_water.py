"""What a sensor says now and at dawn: when it is used, when not and why, and which calibration turned it into water."""

import math

import numpy as np
import pytest

from embalse.core.root_zone.block import Moment, Sensor, SensorReadings, Station
from embalse.core.root_zone.sensor_water import (
    dawn_theta,
    layer_reading,
    settled_dawn_theta,
    settled_reading,
    station_settling,
)
from embalse.core.sensors.calibration import Calibration, linear
from embalse.core.wording import Notice, text

DAY_S = 86400.0
NOW = 100 * DAY_S
MOMENT = Moment(NOW, 100)
PLAIN = linear(0, 0.001, 0.05, 0.01)
AS_IT_IS = linear(0, 1.0, 0.0, 0.01)


def sensor(*calibrations: Calibration, since: float | None = None, every: float | None = None) -> Sensor:
    return Sensor("s1", 30, "count", calibrations, since, every)


def read(raw: float, hours_ago: float = 1) -> SensorReadings:
    return SensorReadings(NOW - 3600 * hours_ago, raw)


def by_day(*raw: float, until: int = 100) -> SensorReadings:
    days = np.arange(until - len(raw) + 1, until + 1)
    return SensorReadings(NOW, raw[-1], days, np.array(raw))


# the latest reading


@pytest.mark.parametrize(
    ("given", "readings", "kind", "said"),
    [
        (sensor(PLAIN), SensorReadings(), "", "no readings yet"),
        (sensor(PLAIN), SensorReadings(NOW, 200, fault="stuck for 3 days"), "faulty", "stuck for 3 days"),
        (sensor(PLAIN), read(200, 84), "silent", "no reading for 3.5 days"),
        (sensor(), read(200), "", "not calibrated: no amounts (raw count"),
        (sensor(linear(NOW, 0.001, 0.05)), read(200), "", "not calibrated"),
        (sensor(PLAIN), read(5000), "faulty", "not used, "),
        (sensor(PLAIN, every=2), read(200, 73), "overdue", "overdue: read by hand every 2 days"),
    ],
)
def test_a_reading_that_is_not_used_says_why(given: Sensor, readings: SensorReadings, kind: str, said: str) -> None:
    found = layer_reading(given, readings, NOW)
    assert found.theta is None
    assert text(found.why_missing).startswith(said)
    assert found.kind == kind


@pytest.mark.parametrize(
    ("given", "hours", "carried", "kind"),
    [
        (sensor(PLAIN), 24.0, False, ""), (sensor(PLAIN), 24.1, True, "silent"), (sensor(PLAIN), 72.0, True, "silent"),
        (sensor(PLAIN, every=7), 24.1, True, ""), (sensor(PLAIN, every=7), 7.4 * 24, True, ""),
        (sensor(PLAIN, every=7), 7.6 * 24, True, "overdue"), (sensor(PLAIN, every=7), 10.5 * 24, True, "overdue"),
    ],
)  # fmt: skip
def test_an_old_reading_is_carried_forward_up_to_a_limit_by_the_way_it_is_read(
    given: Sensor, hours: float, carried: bool, kind: str
) -> None:
    found = layer_reading(given, read(200, hours), NOW)
    assert found.theta == pytest.approx(0.25) and found.kind == kind
    assert found.age_days == pytest.approx(hours / 24 if carried else 0.0)


@pytest.mark.parametrize(("given", "hours"), [(sensor(PLAIN), 72.1), (sensor(PLAIN, every=7), 10.6 * 24)])
def test_beyond_the_limit_there_is_none(given: Sensor, hours: float) -> None:
    assert layer_reading(given, read(200, hours), NOW).theta is None


def test_a_reading_within_a_day_is_used_whoever_reads_it() -> None:
    for given in (sensor(PLAIN), sensor(PLAIN, every=7)):
        assert layer_reading(given, read(200, 23.9), NOW).theta == pytest.approx(0.25)


def test_a_doubt_widens_the_error_and_leaves_the_water() -> None:
    plain = layer_reading(sensor(PLAIN), read(200), NOW)
    doubted = layer_reading(sensor(PLAIN), SensorReadings(NOW, 200, doubts=("drifts up",), doubt_theta=0.03), NOW)
    assert doubted.theta == plain.theta
    assert doubted.error_theta == pytest.approx(math.hypot(plain.error_theta, 0.03))
    assert doubted.doubts == ("drifts up",)


def test_the_calibration_of_the_readings_own_time_is_taken() -> None:
    later = linear(NOW - 3600, 0.001, 0.10)
    both = sensor(PLAIN, later)
    assert layer_reading(both, read(200, 2), NOW).theta == pytest.approx(0.25)
    assert layer_reading(both, read(200, 0.5), NOW).theta == pytest.approx(0.30)


def test_temperature_changes_the_water_only_where_the_calibration_says_so() -> None:
    warm = SensorReadings(NOW, 200, latest_c=35.0)
    assert layer_reading(sensor(PLAIN), warm, NOW).theta == pytest.approx(0.25)
    with_effect = Calibration(0, "linear", (0.05, 0.001), 0.01, per_degree=2.0, reference_c=25.0)
    assert layer_reading(sensor(with_effect), warm, NOW).theta == pytest.approx(0.05 + 0.001 * (200 - 2 * 10))


# dawn values


def test_dawn_values_change_curve_on_the_day_a_calibration_begins() -> None:
    later = linear(99 * DAY_S, 0.001, 0.10)
    found = dawn_theta(sensor(PLAIN, later), by_day(200, 200, 200), MOMENT)
    assert found == pytest.approx([0.25, 0.30, 0.30])


def test_dawns_before_any_calibration_and_beyond_all_soil_give_nothing() -> None:
    found = dawn_theta(sensor(linear(99 * DAY_S, 0.001, 0.05)), by_day(200, 200, 5000), MOMENT)
    assert np.isnan(found).tolist() == [True, False, True]
    assert np.isnan(dawn_theta(sensor(), by_day(200, 210), MOMENT)).all()
    assert len(dawn_theta(sensor(PLAIN), SensorReadings(), MOMENT)) == 0


# settling


def test_what_went_in_together_settles_together_and_what_is_long_in_is_not_asked() -> None:
    new = sensor(PLAIN, since=NOW - 2 * DAY_S)
    old = Sensor("s2", 60, "count", (PLAIN,), NOW - 400 * DAY_S)
    undated = Sensor("s3", 90, "count", (PLAIN,))
    found = station_settling(Station("st", "North", (new, old, undated)), {}, MOMENT)
    assert list(found) == ["s1"]
    assert not found["s1"].settled


def test_an_unsettled_sensor_gives_no_water_since_it_went_in_and_keeps_what_was_before() -> None:
    new = sensor(PLAIN, since=99 * DAY_S)
    readings = by_day(200, 210, 220)
    state = station_settling(Station("st", "North", (new,)), {"s1": readings}, MOMENT)["s1"]
    assert settled_reading(new, readings, state, MOMENT).why_missing == state.said
    dawns = settled_dawn_theta(new, readings, state, MOMENT)
    assert dawns[0] == pytest.approx(0.25)
    assert np.isnan(dawns[1:]).all()


def test_a_sensor_not_yet_in_the_ground_says_so() -> None:
    future = sensor(PLAIN, since=NOW + DAY_S)
    state = station_settling(Station("st", "North", (future,)), {}, MOMENT)["s1"]
    assert state.said == Notice("settling.not_in")
    assert settled_reading(future, read(200), state, MOMENT).why_missing == Notice("settling.not_in")


def test_days_of_its_own_replace_those_of_practice() -> None:
    new = sensor(PLAIN, since=NOW - 2 * DAY_S)
    assert station_settling(Station("st", "North", (new,), settle_days=1), {}, MOMENT) == {}


@pytest.mark.parametrize(
    ("median", "last", "low", "high", "expected"),
    [
        (0.200, 0.203, 0.200, 0.200 + 0.007 - 1e-6, 0.200),  # steady hours: the median
        (0.200, 0.230, 0.199, 0.230, 0.230),  # water arrives: the last alone, even where it is the first to rise
        (0.300, 0.290, 0.290, 0.310, 0.290),  # it drains hour by hour
        (0.300, 0.280, 0.280, 0.300 + 0.002 - 1e-6, 0.300),  # one low value after steady ones is waited for
        (0.300, 0.280, 0.280, 0.300 + 0.002 + 1e-6, 0.280),
    ],
)
def test_while_water_moves_the_last_reading_counts_alone(
    median: float, last: float, low: float, high: float, expected: float
) -> None:
    values = SensorReadings(NOW - 600, median, last_raw=last, low_raw=low, high_raw=high)
    assert layer_reading(sensor(AS_IT_IS), values, NOW).theta == pytest.approx(expected)
    alone = SensorReadings(NOW - 600, median)
    assert layer_reading(sensor(AS_IT_IS), alone, NOW).theta == pytest.approx(median)


@pytest.mark.parametrize("beyond", [1e-6, -1e-6])
def test_water_moves_from_seven_per_mille_on(beyond: float) -> None:
    values = SensorReadings(NOW - 600, 0.2, last_raw=0.204, low_raw=0.2, high_raw=0.207 + beyond)
    expected = 0.204 if beyond > 0 else 0.2
    assert layer_reading(sensor(AS_IT_IS), values, NOW).theta == pytest.approx(expected)
