"""Supply, other days, packing, and how long cells last."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.install.bench_checks import BenchReading, PowerBudget, battery_life, bench_checks
from embalse.core.install.logger_memory import memory_state
from embalse.core.install.take_out import take_out


def found(*readings: BenchReading) -> dict[str, bool | None]:
    return {c.check: c.passes for c in bench_checks(readings, 400.0)}


@pytest.mark.parametrize(("other", "passes"), [(412.0, True), (413.0, False)])
def test_two_supplies_may_differ_by_three_per_cent_of_the_span(other: float, passes: bool) -> None:
    told = found(BenchReading("water", 400.0, 3.3, 1), BenchReading("water", other, 5.0, 1))
    assert told == {"supply": passes, "days": None, "density": None}


@pytest.mark.parametrize(("other", "passes"), [(412.0, True), (413.0, False)])
def test_other_days_may_differ_by_as_much(other: float, passes: bool) -> None:
    assert found(BenchReading("air", 400.0, 5.0, 1), BenchReading("air", other, 5.0, 9))["days"] is passes


@pytest.mark.parametrize(("other", "passes"), [(639.0, True), (641.0, False)])
def test_a_tenth_of_packing_may_move_it_by_a_twentieth(other: float, passes: bool) -> None:
    loose, packed = (
        BenchReading("soil", mean, bulk_density_g_cm3=density, theta=0.2)
        for mean, density in ((600, 1.2), (other, 1.4))
    )
    assert found(loose, packed)["density"] is passes


def test_soils_of_other_water_are_not_held_against_each_other() -> None:
    one, other = (BenchReading("soil", 600, bulk_density_g_cm3=d, theta=t) for d, t in ((1.2, 0.1), (1.4, 0.3)))
    assert found(one, other)["density"] is None


class TestCells:
    BUDGET = PowerBudget(sleep_ua=20.0, awake_ma=80.0, awake_s=10.0, every_min=60.0, capacity_mah=2500.0)

    def test_the_sum_is_done_by_hand(self) -> None:
        life = battery_life(self.BUDGET)
        draw = 0.02 * 24 * 3590 / 3600 + 80 * 10 / 3600 * 24
        assert life.draw_mah_d == pytest.approx(draw)
        assert life.days == pytest.approx(2000 / (draw + 2000 * 0.02 / 30.4))

    def test_half_the_interval_nearly_halves_the_life(self) -> None:
        quick = battery_life(PowerBudget(20.0, 80.0, 10.0, 30.0, 2500.0))
        assert 0.5 < (quick.days or 0) / (battery_life(self.BUDGET).days or 1) < 0.6

    def test_the_sun_may_make_it_good(self) -> None:
        assert battery_life(PowerBudget(20.0, 80.0, 10.0, 60.0, 2500.0, 6.0)).days is None

    def test_awake_longer_than_the_interval_is_refused(self) -> None:
        with pytest.raises(CoreError, match="shorter than the time"):
            battery_life(PowerBudget(20.0, 80.0, 60.0, 1.0, 2500.0))


@pytest.mark.parametrize(("today", "due", "left"), [(155, False, 15), (156, True, 14), (170, True, 0), (171, True, -1)])
def test_a_logger_is_named_two_weeks_before_it_writes_over_itself(today: int, due: bool, left: int) -> None:
    # 4,096 hourly readings: 170 days, as loggers of the trade hold
    state = memory_state(0, 4096, 60, today)
    assert (state.read_out_by, state.due, state.days_left) == (170, due, left)
    assert state.words.code == ("logger.wrapped" if left < 0 else "logger.read_out_by")


@pytest.mark.parametrize(("today", "state"), [(178, "later"), (179, "soon"), (193, "soon"), (194, "past")])
def test_sensors_come_out_a_week_before_the_harvester(today: int, state: str) -> None:
    told = take_out("maize grain", 200, today)
    assert (told.day, told.state) == (193, state)


def test_trees_keep_theirs_and_no_date_is_made_up() -> None:
    assert take_out("almond", 200, 195).state == "stays" and take_out("maize grain", None, 195).state == "not known"
