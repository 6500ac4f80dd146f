import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embalse.core.field.day_curve import hourly_share
from embalse.core.root_zone.block import Sensor
from embalse.core.root_zone.series import common_times, on_times, storage_series, theta_series
from embalse.core.sensors.calibration import linear
from embalse.core.simulate.column import ColumnSpec, SoilColumns
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.simulate.weather import weather
from embalse.core.soil.horizon_marks import horizon_marks
from tests.core.build import horizon


def columns(intake: float = 50.0, count: int = 1) -> SoilColumns:
    return SoilColumns([ColumnSpec((horizon_marks(horizon()),), 100.0, 60.0, intake)] * count)


@settings(max_examples=20, deadline=None)
@given(st.floats(0, 40), st.floats(0, 1.5), st.floats(1, 60))
def test_every_drop_is_booked(supply: float, demand: float, intake: float) -> None:
    soil = columns(intake)
    start, moved, offered = soil.storage_mm(), 0.0, 0.0
    for hour in range(30):
        rain = np.array([supply if hour < 3 else 0.0])
        flows = soil.hour(rain, np.array([demand]))
        moved += float(flows.intake_mm[0] - flows.uptake_mm[0] - flows.drainage_mm[0])
        offered += float(rain[0] - flows.intake_mm[0] - flows.runoff_mm[0])
    assert float(soil.storage_mm()[0]) == pytest.approx(float(start[0]) + moved, abs=1e-6)
    assert offered == pytest.approx(0, abs=1e-6)
    assert np.all(soil.theta <= soil.saturation + 1e-9) and np.all(soil.theta > 0)


def test_water_reaches_the_depths_one_after_another() -> None:
    soil = columns()
    soil.theta[:] = soil.wilting + 0.3 * (soil.full - soil.wilting)
    arrived: dict[float, int] = {}
    before = {depth: float(soil.at_depth(depth)[0]) for depth in (10.0, 30.0, 50.0)}
    for hour in range(96):
        soil.hour(np.array([8.0 if hour < 12 else 0.0]), np.array([0.0]))
        for depth, theta in before.items():
            if float(soil.at_depth(depth)[0]) > theta + 0.02:
                arrived.setdefault(depth, hour)
    assert list(arrived) == [10.0, 30.0, 50.0]
    assert arrived[10.0] < arrived[30.0] < arrived[50.0]


def test_rate_above_intake_runs_off() -> None:
    soil = columns(intake=4.0)
    flows = soil.hour(np.array([9.0]), np.array([0.0]))
    assert float(flows.runoff_mm[0]) == pytest.approx(5.0)


def test_dry_soil_gives_less_than_the_crop_asks() -> None:
    soil = columns()
    soil.theta[:] = soil.wilting + 0.05 * (soil.full - soil.wilting)
    flows = soil.hour(np.array([0.0]), np.array([1.0]))
    assert float(flows.uptake_mm[0]) < 0.5


def test_roots_take_most_near_the_surface() -> None:
    roots = columns().roots[0]
    assert roots.sum() == pytest.approx(1) and roots[0] > roots[8] and roots[-1] == 0


def test_weather_repeats_with_its_seed_and_summer_is_thirsty() -> None:
    months = np.repeat(np.arange(1, 13), 30)
    one, same, other = weather(months, 1), weather(months, 1), weather(months, 2)
    assert np.array_equal(one.eto_mm_d, same.eto_mm_d) and not np.array_equal(one.rain_mm, other.rain_mm)
    assert one.eto_mm_d[180:210].mean() > 3 * one.eto_mm_d[:30].mean()
    assert sum(hourly_share(hour) for hour in range(24)) == pytest.approx(1)


def test_sensors_err_as_told() -> None:
    truth = np.full(4000, 0.25)
    clean = sensed_theta(truth, SensorFaults(0.0, 0.001), 1)
    assert clean.std() == pytest.approx(0.001, rel=0.1)
    bad = sensed_theta(truth, SensorFaults(0.0, 0.0, spike_share=0.05, missing_share=0.1), 1)
    assert np.isnan(bad).mean() == pytest.approx(0.1, abs=0.02)
    assert (np.abs(bad - 0.25) > 0.1).mean() == pytest.approx(0.045, abs=0.02)


def test_traces_change_calibration_on_its_day_and_leave_gaps_empty() -> None:
    sensor = Sensor("a", 10, "count", (linear(7200, 0.001, 0), linear(14400, 0.002, 0)))
    series = (np.array([0, 7200, 14400, 21600]), np.array([100.0, 100.0, 100.0, 400.0]))
    theta = theta_series(sensor, series)
    assert np.isnan(theta[0]) and np.isnan(theta[3])
    assert theta[1:3].tolist() == pytest.approx([0.1, 0.2])
    times = common_times({"a": series, "b": (np.array([3600 + 60]), np.array([1.0]))})
    assert times.tolist() == [0, 3600, 7200, 14400, 21600]
    assert np.isnan(on_times(times, series, theta)[1])


def test_storage_over_time_counts_only_the_roots() -> None:
    from embalse.core.soil.layers import Layer

    layers = [Layer(10, 0, 20, 20, 0.3, 0.2, 0.1, 0.4), Layer(50, 20, 80, 0, 0.3, 0.2, 0.1, 0.4)]
    storage = storage_series(layers, [np.array([0.2, np.nan]), np.array([0.3, 0.3])])
    assert storage[0] == pytest.approx(40) and np.isnan(storage[1])


def test_steady_supply_settles_where_conductivity_equals_it() -> None:
    """Darcy's law with a unit gradient: deep in a uniform soil the flow is the conductivity."""
    soil = columns()
    for _ in range(24 * 40):
        flows = soil.hour(np.array([1.0]), np.array([0.0]))
    wet = (soil.theta[0] - soil.residual[0]) / (soil.saturation[0] - soil.residual[0])
    conductivity = soil.ks[0] * wet ** soil.power[0]
    assert float(flows.drainage_mm[0]) == pytest.approx(1.0, rel=0.01)
    assert conductivity[1:12] == pytest.approx(np.ones(11), rel=0.05)


@pytest.mark.parametrize("supply", [0.5, 2.0, 8.0, 40.0])
def test_a_uniform_soil_wetted_from_above_has_no_saw_teeth(supply: float) -> None:
    soil = columns()
    for hour in range(24 * 6):
        soil.hour(np.array([supply if hour % 48 < 8 else 0.0]), np.array([0.0]))
        steps = np.diff(soil.theta[0])
        turns = (steps[1:] * steps[:-1] < -1e-8).sum()
        assert turns <= 2, f"hour {hour}: {soil.theta[0].round(3)}"
