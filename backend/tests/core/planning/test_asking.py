"""What a block asks of its supply: parts on both sides of each limit, how late it is, what keeps it back."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.planning.asking import dry_days, due_in_days, parts_of, told_as_late


@pytest.mark.parametrize(("flow", "parts"), [(100.0, 1), (99.9, 2), (50.0, 2), (49.9, 3), (None, 1)])
def test_by_area_where_the_block_draws_more_than_the_supply_gives(flow: float | None, parts: int) -> None:
    found = parts_of(600.0, 360, (flow, None))
    assert [(p.number, p.of) for p in found] == [(n + 1, parts) for n in range(parts)]
    assert all(p.minutes == 360 and p.depth_share == 1.0 for p in found)
    assert sum(p.flow_m3_h for p in found) == pytest.approx(100.0)


@pytest.mark.parametrize(("runs_h", "parts", "each"), [(20.0, 1, 1200), (19.9, 2, 600), (10.0, 2, 600), (9.9, 3, 400)])
def test_by_time_where_it_takes_longer_than_the_supply_runs_a_day(runs_h: float, parts: int, each: int) -> None:
    found = parts_of(2000.0, 1200, (None, runs_h))
    assert [p.minutes for p in found] == [each] * parts
    assert all(p.depth_share == pytest.approx(1 / parts) for p in found)
    over = parts_of(2000.0, 1200, (None, runs_h), goes_over=True)
    assert len(over) == parts and all(p.depth_share == 1.0 for p in over)


@pytest.mark.parametrize(("minutes", "parts"), [(1440, 1), (1445, 2)])
def test_furrow_sets_are_a_day_of_them_at_a_stretch(minutes: int, parts: int) -> None:
    found = parts_of(900.0, minutes, (None, None), sets=17)
    assert len(found) == parts and all(p.depth_share == 1.0 for p in found)
    assert len(parts_of(900.0, minutes, (None, None))) == 1


def test_the_water_is_given_in_all_whatever_the_parts() -> None:
    found = parts_of(3000.0, 1230, (90.0, 9.0))
    given = sum(p.flow_m3_h * p.minutes / 60 for p in found)
    assert given == pytest.approx(3000.0, rel=0.02) and len(found) == 2 * 3
    with pytest.raises(CoreError, match="minutes"):
        parts_of(3000.0, 0, (None, None))


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
