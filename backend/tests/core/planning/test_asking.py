"""What a block asks of its supply: how late it is, what keeps it back."""

import pytest

from embalse.core.planning.asking import dry_days, due_in_days, told_as_late


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
