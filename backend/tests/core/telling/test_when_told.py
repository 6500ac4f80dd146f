"""When a letter is due, an alert waits, a message is tried again, and a forecast is past a limit: both sides."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.telling.when_told import (
    FORECAST_SHARE,
    GIVE_UP_S,
    MORNING_LATE_MIN,
    OPEN_LATE_S,
    RETRIES_S,
    forecast_past,
    morning_due,
    next_try_s,
    open_too_long,
    quiet_for_min,
)


@pytest.mark.parametrize(
    ("minute", "due"), [(359, False), (360, True), (360 + MORNING_LATE_MIN, True), (361 + MORNING_LATE_MIN, False)]
)
def test_a_letter_is_due_from_its_hour_on_and_not_in_the_afternoon(minute: int, due: bool) -> None:
    assert morning_due(minute, 6) == due


class TestQuietHours:
    @pytest.mark.parametrize(
        ("minute", "waits"), [(1259, 0), (1260, 540), (1439, 361), (0, 360), (359, 1), (360, 0), (720, 0)]
    )
    def test_over_midnight(self, minute: int, waits: int) -> None:
        assert quiet_for_min(minute, 21, 6) == waits

    @pytest.mark.parametrize(("minute", "waits"), [(719, 0), (720, 120), (839, 1), (840, 0)])
    def test_within_a_day(self, minute: int, waits: int) -> None:
        assert quiet_for_min(minute, 12, 14) == waits

    def test_none_where_both_are_alike(self) -> None:
        assert quiet_for_min(300, 5, 5) == 0

    def test_no_hour_of_the_day(self) -> None:
        with pytest.raises(CoreError):
            quiet_for_min(300, 24, 6)


@pytest.mark.parametrize(
    ("tries", "age", "waits"),
    [(1, 0, RETRIES_S[0]), (2, 90, RETRIES_S[1]), (4, 90, RETRIES_S[3]), (40, GIVE_UP_S, RETRIES_S[3]),
     (40, GIVE_UP_S + 1, None)],
)  # fmt: skip
def test_tries_come_further_apart_and_end(tries: int, age: float, waits: int | None) -> None:
    assert next_try_s(tries, age) == waits


@pytest.mark.parametrize(("late", "told"), [(OPEN_LATE_S, False), (OPEN_LATE_S + 1, True)])
def test_a_valve_is_open_too_long_a_quarter_of_an_hour_past_its_end(late: int, told: bool) -> None:
    assert open_too_long(1000, 1000 + late) == told


class TestForecast:
    @pytest.mark.parametrize(("cold", "told"), [(4, False), (5, True)])
    def test_half_of_the_members(self, cold: int, told: bool) -> None:
        assert FORECAST_SHARE == 0.5
        found = forecast_past([-1.0] * cold + [3.0] * (10 - cold), 0.0, "frost")
        assert (found is not None) == told and (found is None or found[0] == 0.5)

    def test_at_the_limit_counts_and_the_middle_is_told(self) -> None:
        assert forecast_past([0.0], 0.0, "frost") == (1.0, 0.0)
        assert forecast_past([38.0, 41.0, 45.0], 38.0, "heat") == (1.0, 41.0)
        assert forecast_past([37.9, 37.8], 38.0, "heat") is None

    def test_without_a_limit_or_a_temperature(self) -> None:
        assert forecast_past([1.0], None, "frost") is None and forecast_past([], 0.0, "frost") is None
