"""Granular matrix sensors against the published equation."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.sensors.matrix_sensor import HIGHEST_KPA, at_times, celsius, tension_kpa

SHOCK = (
    "Shock, Barnum & Seddigh (1998), Proc. International Irrigation Show, pp. 139-146: the equation, "
    "coefficients from memory (high confidence); values computed from it"
)


@pytest.mark.published(source=SHOCK)
@pytest.mark.parametrize(
    ("kohm", "at_10", "at_24", "at_35"),
    [(2, 12.23, 15.22, 18.82), (5, 24.26, 30.44, 38.06), (8, 37.17, 47.08, 59.55)],
)
def test_the_equation_between_10_and_100_kpa(kohm: float, at_10: float, at_24: float, at_35: float) -> None:
    found = tension_kpa(np.full(3, float(kohm)), np.array([10.0, 24.0, 35.0]))
    assert found == pytest.approx([at_10, at_24, at_35], abs=0.01)


@pytest.mark.published(source="companion ranges in wide circulation with the equation, from memory (medium confidence)")
def test_the_ranges_beside_it() -> None:
    found = tension_kpa(np.array([0.5, 12.0, 20.0]), np.full(3, 24.0))
    assert found == pytest.approx([0.0, 74.84, 134.05], abs=0.01)


def test_cold_and_wet_is_never_below_nothing() -> None:
    assert tension_kpa(np.array([0.6]), np.array([10.0]))[0] == 0


def test_what_cannot_be_a_sensor_in_soil_gives_nothing() -> None:
    found = tension_kpa(np.array([-1.0, 150.0, 5.0, 5.0]), np.array([24.0, 24.0, 70.0, -20.0]))
    assert np.isnan(found).all()


def test_without_a_temperature_24_degrees_are_taken() -> None:
    assert tension_kpa(np.array([5.0]), np.array([np.nan]))[0] == tension_kpa(np.array([5.0]), np.array([24.0]))[0]


@given(st.floats(0, 100), st.floats(-10, 60))
def test_a_tension_is_never_negative_nor_past_the_scale(kohm: float, celsius_: float) -> None:
    found = tension_kpa(np.array([kohm]), np.array([celsius_]))[0]
    assert 0 <= found <= HIGHEST_KPA


@given(st.floats(1.0, 7.9), st.floats(0, 40))
def test_drier_reads_higher_within_the_equation(kohm: float, celsius_: float) -> None:
    pair = tension_kpa(np.array([kohm, kohm + 0.1]), np.full(2, celsius_))
    assert pair[1] > pair[0]


def test_temperatures_are_taken_from_near_in_time_only() -> None:
    series = (np.array([0, 3600, 20 * 3600]), np.array([10.0, 11.0, 20.0]))
    found = at_times(np.array([1700, 1900, 4 * 3600, 8 * 3600]), series)
    assert found[:3].tolist() == [10.0, 11.0, 11.0] and np.isnan(found[3])
    assert np.isnan(at_times(np.array([5]), (np.empty(0, dtype=np.int64), np.empty(0)))).all()
    assert celsius(np.array([50.0]), "degF")[0] == pytest.approx(10)
    assert celsius(np.array([50.0]), "degC")[0] == 50
