"""Tariffs by clock, weekday and season; energy of a cubic metre."""

from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.delivery.water_cost import Tariff, energy_kwh_m3, overlapping, price_m3
from embalse.core.errors import CoreError

MON, FRI, SAT = 0, 4, 5


def holds(tariff: Tariff, minute: int, weekday: int = MON, month_day: int = 714) -> bool:
    return bool(tariff.holds(*(np.array([v], dtype=np.int64) for v in (minute, weekday, month_day)))[0])


@pytest.mark.parametrize(("minute", "inside"), [(599, False), (600, True), (839, True), (840, False)])
def test_a_window_ends_when_it_says(minute: int, inside: bool) -> None:
    assert holds(Tariff(600, 840, 0.2), minute) is inside


@pytest.mark.parametrize(
    ("minute", "weekday", "inside"), [(1380, FRI, True), (60, SAT, True), (1380, SAT, False), (60, MON, False)]
)
def test_a_night_belongs_to_the_day_it_begins_on(minute: int, weekday: int, inside: bool) -> None:
    assert holds(Tariff(1320, 480, 0.1, weekdays=frozenset(range(5))), minute, weekday) is inside


@pytest.mark.parametrize(("day", "inside"), [(1031, False), (1101, True), (228, True), (301, False)])
def test_a_season_may_pass_the_new_year(day: int, inside: bool) -> None:
    assert holds(Tariff(0, 0, 0.1, first=(11, 1), last=(2, 28)), 0, month_day=day) is inside


def test_overlaps_are_found_by_unit() -> None:
    night, day = Tariff(1320, 480, 0.1, "kwh"), Tariff(480, 1320, 0.2, "kwh")
    assert overlapping([night, day]) is None
    assert overlapping([night, day, Tariff(475, 490, 0.3, "kwh")]) == (0, 2)
    assert overlapping([night, Tariff(0, 0, 0.05, "m3")]) is None
    assert (
        overlapping([Tariff(0, 0, 0.1, weekdays=frozenset({5, 6})), Tariff(0, 0, 0.2, weekdays=frozenset({4}))]) is None
    )


@given(
    st.lists(
        st.tuples(st.integers(0, 287), st.integers(0, 287), st.sets(st.integers(0, 6)), st.booleans()),
        min_size=2,
        max_size=4,
    )
)
def test_overlaps_are_those_of_every_five_minutes(drawn: list[tuple[int, int, set[int], bool]]) -> None:
    summer = {"first": (5, 1), "last": (9, 30)}
    tariffs = [Tariff(5 * a, 5 * b, 1.0, weekdays=frozenset(d), **(summer if s else {})) for a, b, d, s in drawn]  # type: ignore[arg-type]
    grid = np.meshgrid(np.arange(0, 1440, 5), np.arange(7), np.array([430, 501, 715, 930, 1001]), indexing="ij")
    held = [t.holds(*(g.ravel().astype(np.int64) for g in grid)) for t in tariffs]
    clash = any(bool(np.any(held[i] & held[j])) for i in range(len(held)) for j in range(i))
    assert (overlapping(tariffs) is not None) == clash


def test_price_of_water_and_of_its_energy_add() -> None:
    at = (np.array([60, 720]), np.array([0, 0]), np.array([714, 714]))
    tariffs = [Tariff(0, 480, 0.1, "kwh"), Tariff(480, 0, 0.3, "kwh"), Tariff(0, 0, 0.02, "m3")]
    assert price_m3(tariffs, 0.5, at).tolist() == pytest.approx([0.07, 0.17])
    assert price_m3(tariffs, None, at).tolist() == pytest.approx([0.02, 0.02])


@pytest.mark.published(
    source="P = rho g Q H / eta; hydraulics, from memory: 102 m of head at 100 % is 0.278 kWh a cubic metre"
)
def test_energy_of_a_head() -> None:
    assert energy_kwh_m3(102.0, 0.0, 1.0) == pytest.approx(0.278, abs=0.001)
    assert energy_kwh_m3(0.0, 1.0, 1.0) == pytest.approx(1e5 / 3.6e6)
    # 1 kW lifts 1 m3/h by 367 m: the pump maker's constant
    assert 1 / energy_kwh_m3(1.0, 0.0, 1.0) == pytest.approx(367.1, abs=0.1)


@pytest.mark.parametrize(
    ("lift", "bar", "share", "field"),
    [(-1, 0, 0.5, "lift"), (1, -1, 0.5, "pressure"), (1, 0, 0, "efficiency"), (1, 0, 1.01, "efficiency")],
)
def test_a_pump_that_cannot_be_is_refused(lift: float, bar: float, share: float, field: str) -> None:
    with pytest.raises(CoreError, match=field):
        energy_kwh_m3(lift, bar, share)


def test_weekdays_follow_the_calendar() -> None:
    assert (date(2026, 7, 14).weekday(), (date(2026, 7, 14) + timedelta(days=4)).weekday()) == (1, SAT)
