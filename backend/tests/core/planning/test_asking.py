"""What a block asks of its supply: how late it is, what keeps it back."""

import numpy as np
import pytest

from embalse.core.planning.asking import (
    at_night,
    dry_days,
    due_in_days,
    further_due_days,
    parts_promised,
    told_as_late,
)


@pytest.mark.parametrize(("depletion", "due"), [(50.0, 1.5), (50.1, -0.02), (60.0, -2.0)])
def test_a_block_past_its_trigger_is_overdue_by_its_use(depletion: float, due: float) -> None:
    assert due_in_days(1.5, depletion, 50.0, 5.0) == pytest.approx(due)
    assert due_in_days(1.5, None, 50.0, 5.0) == due_in_days(1.5, 60.0, None, 5.0) == 1.5


def test_hardly_any_use_does_not_make_it_overdue_for_ever() -> None:
    assert due_in_days(0.0, 51.0, 50.0, 0.0) == pytest.approx(-10.0)


def test_keep_dry_periods_by_what_the_advice_says() -> None:
    told = [
        ("window.before", {"last_day": 5, "until_day": 9}),
        ("window.ahead", {"last_day": 7}),
        ("window.hold", {"until_day": 3}),
        ("window.hold_to_end", {}),
        ("rain.room", {"room_mm": 4.0}),
    ]
    assert dry_days(told) == [(5, 9), (7, None), (None, 3), (None, None)]


@pytest.mark.parametrize(("late_h", "told"), [(11.9, False), (12.0, True)])
def test_half_a_day_is_late(late_h: float, told: bool) -> None:
    assert told_as_late(late_h) == told


@pytest.mark.parametrize(("days", "due"), [(4.5, [0.5, 2.5]), (4.6, [0.5, 2.5, 4.5])])
def test_the_next_sets_are_due_as_each_is_used_up_within_the_plan(days: float, due: list[float]) -> None:
    """12 mm over the block are 20 mm where it is wetted: two days at 10 mm a day."""
    assert further_due_days(0.5, 12.0, 10.0, 0.6, days) == due


def test_sets_far_ahead_are_six_at_the_most_and_no_depth_asks_for_one_only() -> None:
    assert len(further_due_days(0.0, 1.0, 10.0, 1.0, 10.0)) == 6
    assert further_due_days(3.0, 0.0, 10.0, 1.0, 10.0) == [3.0]


def test_hardly_any_use_or_ground_does_not_divide_by_nothing() -> None:
    assert further_due_days(0.0, 1.0, 0.0, 1.0, 10.1) == [0.0, 10.0]
    assert further_due_days(0.0, 1.0, 2.0, 0.0, 10.1) == [0.0, 10.0]


@pytest.mark.parametrize(("minute", "night"), [(1199, False), (1200, True), (0, True), (479, True), (480, False)])
def test_the_night_is_from_eight_to_eight(minute: int, night: bool) -> None:
    assert at_night(np.array([minute])).tolist() == [night]


@pytest.mark.parametrize(("to_come", "parts"), [(0.0, 1), (149.0, 1), (151.0, 2), (249.0, 2), (251.0, 3)])
def test_what_is_promised_stands_for_parts_by_the_water_still_to_come(to_come: float, parts: int) -> None:
    assert parts_promised(to_come, 100.0) == parts
    assert parts_promised(to_come, 0.0) == 1
