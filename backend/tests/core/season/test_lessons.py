"""What a season taught, and from where on it is a lesson."""

from dataclasses import replace

import pytest

from embalse.core.season.lessons import (
    TRIGGER_MARGIN,
    Learned,
    SensorSeason,
    efficiency_lesson,
    sensor_lessons,
    trigger_lesson,
)
from embalse.core.season.water_account import water_account
from tests.core.season.test_water_account import season

TOLD = water_account(season())


@pytest.mark.parametrize(("days", "taught"), [(4, False), (5, True)])
def test_a_trigger_is_late_where_there_was_stress(days: int, taught: bool) -> None:
    told = replace(TOLD, stress_days=days)
    assert (trigger_lesson(told, 60.0, 40.0, 100.0) is not None) == taught


@pytest.mark.parametrize(("allowable", "taught"), [(40 * TRIGGER_MARGIN, False), (40 * TRIGGER_MARGIN + 0.1, True)])
def test_a_trigger_within_what_is_readily_taken_up_is_not_to_blame(allowable: float, taught: bool) -> None:
    found = trigger_lesson(replace(TOLD, stress_days=9), allowable, 40.0, 100.0)
    assert (found is not None) == taught
    assert found is None or found.value == 0.4


@pytest.mark.parametrize(("set_up", "taught"), [(0.69, True), (0.70, False), (0.79, False), (0.80, True)])
def test_an_efficiency_outside_what_the_sets_show_is_a_lesson(set_up: float, taught: bool) -> None:
    found = efficiency_lesson(Learned(0.74, 0.70, 0.79, set_up, 6))
    assert (found is not None) == taught
    assert found is None or found.value == 0.74
    assert efficiency_lesson(None) is None


def test_sensors_left_out_on_a_tenth_of_the_days_are_named_the_worst_first() -> None:
    told = [SensorSeason("a", 10, 9, 100), SensorSeason("a", 30, 10, 100), SensorSeason("a", 50, 60, 100),
            SensorSeason("new", 10, 0, 0)]  # fmt: skip
    assert [(one.notice["depth_cm"], one.notice["out_days"]) for one in sensor_lessons(told)] == [
        (50, 60.0),
        (30, 10.0),
    ]
