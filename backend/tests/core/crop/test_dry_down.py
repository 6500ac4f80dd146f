import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.crop.dry_down import DailyUse, DawnStorage, NoTrend, daily_use, days_to_refill, dry_spells


def test_a_steady_dry_down_is_its_slope() -> None:
    use = daily_use(DawnStorage(range(10, 16), [100 - 5.0 * i for i in range(6)]))
    assert (use.low_mm_d, use.mid_mm_d, use.high_mm_d) == (5, 5, 5)
    assert use.current and use.steps == 5


def test_a_logged_set_parts_the_spells_even_when_the_probe_shows_nothing() -> None:
    assert dry_spells([1, 2, 3, 4], [50, 45, 40, 35], frozenset({2})) == [[0, 1], [2, 3]]


def test_an_unlogged_rise_parts_the_spells() -> None:
    assert dry_spells([1, 2, 3, 4, 5], [50, 45, 60, 55, 50], frozenset()) == [[0, 1], [2, 3, 4]]


def test_a_missing_dawn_parts_the_spells() -> None:
    assert dry_spells([1, 2, 4, 5], [50, 45, 40, 35], frozenset()) == [[0, 1], [2, 3]]


def test_short_spells_are_pooled_and_wettings_do_not_count_as_use() -> None:
    days, storage = [], []
    for spell in range(4):
        for step in range(2):
            days.append(10 + 2 * spell + step)
            storage.append(100 - 7.0 * step)
    use = daily_use(DawnStorage(days, storage))
    assert not use.current
    assert use.mid_mm_d == pytest.approx(7)


def test_drainage_above_full_is_not_taken_for_use() -> None:
    storage = [160, 130, 110, 105, 100, 95, 90]
    assert daily_use(DawnStorage(range(7), storage, full_mm=112)).mid_mm_d == pytest.approx(5)
    with pytest.raises(NoTrend, match="above full"):
        daily_use(DawnStorage(range(7), storage, full_mm=50))


@pytest.mark.parametrize(
    ("days", "storage", "words"),
    [
        ([], [], "only 0 dry days"),
        ([1, 2], [10, 9], "only 1 dry day "),
        (range(6), [10, 10.1, 10.2, 10.3, 10.4, 10.5], "did not go down"),
    ],
)
def test_no_trend_says_why(days: list[int], storage: list[float], words: str) -> None:
    with pytest.raises(NoTrend, match=words):
        daily_use(DawnStorage(days, storage))


def test_only_the_last_two_weeks_count() -> None:
    old, new = [200 - 20.0 * i for i in range(10)], [100 - 4.0 * i for i in range(8)]
    use = daily_use(DawnStorage([*range(10), *range(30, 38)], old + new))
    assert use.mid_mm_d == pytest.approx(4)


@given(st.floats(-20, 60), st.floats(0, 10), st.floats(0.5, 6), st.floats(0, 3), st.floats(0, 3))
def test_low_mid_high_are_in_order(left: float, error: float, mid: float, down: float, up: float) -> None:
    use = DailyUse(mid, max(0.0, mid - down), mid + up, 5, 0, 5, True)
    days = days_to_refill(left, error, use)
    assert 0 <= days.low <= days.mid + 1e-9
    assert days.mid <= days.high + 1e-9


@given(st.floats(1, 60), st.floats(0, 10), st.floats(0.1, 5))
def test_more_error_never_narrows_the_range(left: float, error: float, more: float) -> None:
    use = DailyUse(5, 4, 6, 5, 0, 5, True)
    narrow, wide = days_to_refill(left, error, use), days_to_refill(left, error + more, use)
    assert wide.low <= narrow.low and wide.high >= narrow.high


def test_use_that_may_be_nil_has_no_latest_day() -> None:
    assert math.isinf(days_to_refill(10, 1, DailyUse(2, 0, 4, 5, 0, 5, True)).high)
