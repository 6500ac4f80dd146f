"""Hours, sets and rain on steps of three hours, and what was known of them at a dawn."""

import numpy as np
import pytest

from embalse.core.block_model.column import STEPS_A_DAY
from embalse.core.block_model.crop_cover import ALWAYS_GREEN, basal_coefficients
from embalse.core.block_model.record import (
    LONGEST_DAYS,
    Record,
    Season,
    at_steps,
    one_profile,
    passing_at_steps,
    rain_at_steps,
    sets_at_steps,
    sun_share,
    water_of_sets,
)
from embalse.core.crop.stages import CropCalendar
from tests.core.block_model.build import empty_record

DAY = 1000
HOURS = 86400 * DAY + 3600 * np.arange(48)


class TestAtSteps:
    def test_a_dawn_is_the_mean_of_the_four_hours_before_it(self) -> None:
        theta = np.full(48, 0.20)
        theta[2:6] = [0.201, 0.202, 0.203, 0.204]
        theta[6:] = 0.30
        assert at_steps(HOURS, theta, DAY, 2)[2] == pytest.approx(0.2025)

    def test_any_other_step_is_the_mean_of_the_hours_around_it(self) -> None:
        theta = np.full(48, 0.20)
        theta[16:20] = [0.201, 0.202, 0.203, 0.204]
        assert at_steps(HOURS, theta, DAY, 2)[6] == pytest.approx(0.2025)

    @pytest.mark.parametrize(("rise", "alone"), [(0.007 - 1e-6, False), (0.007 + 1e-6, True)])
    def test_while_water_moves_the_last_hour_counts_alone(self, rise: float, alone: bool) -> None:
        theta = np.full(48, 0.20)
        theta[5] += rise
        found = at_steps(HOURS, theta, DAY, 2)[2]
        assert found == pytest.approx(0.20 + (rise if alone else rise / 4))

    def test_hours_that_are_missing_are_left_out_and_none_is_nothing(self) -> None:
        theta = np.full(48, 0.20)
        theta[2:5] = np.nan
        theta[20:28] = np.nan
        found = at_steps(HOURS, theta, DAY, 2)
        assert found[2] == pytest.approx(0.20) and np.isnan(found[8])


class TestWater:
    def test_a_set_is_spread_over_its_hours_as_the_hour_before_a_step_reads_it(self) -> None:
        start = 86400.0 * DAY + 4 * 3600
        found = sets_at_steps([(start, start + 4 * 3600, 20.0)], DAY, 1)
        assert list(found) == pytest.approx([0, 5, 15, 0, 0, 0, 0, 0])

    def test_a_pivots_turn_comes_where_the_top_probe_rises(self) -> None:
        start = 86400.0 * DAY
        top = np.full(25, 0.20)
        top[10:] += 0.03
        found = passing_at_steps([(start, start + 60 * 3600, 16.0)], top, DAY)
        assert found[9] == 16.0 and found.sum() == 16.0

    def test_where_it_is_not_seen_it_is_spread_over_its_turn(self) -> None:
        start = 86400.0 * DAY
        found = passing_at_steps([(start, start + 60 * 3600, 16.0)], np.full(25, 0.20), DAY)
        assert found.sum() == pytest.approx(16.0) and found.max() < 1.0
        assert passing_at_steps([], np.full(25, 0.20), DAY).sum() == 0

    @pytest.mark.parametrize(("rise", "at_once"), [(0.004 - 1e-6, False), (0.004 + 1e-6, True)])
    def test_rain_falls_where_the_top_probe_rises(self, rise: float, at_once: bool) -> None:
        top = np.full(17, 0.20)
        top[5:] += rise
        found = rain_at_steps({DAY: 16.0}, top, DAY, 16)
        assert found[4] == pytest.approx(16.0 if at_once else 2.0) and found.sum() == pytest.approx(16.0)

    def test_of_a_day_that_is_not_over_only_what_was_seen_counts(self) -> None:
        top = np.full(17, 0.20)
        assert rain_at_steps({DAY + 1: 16.0}, top, DAY, 10).sum() == 0
        top[10:] += 0.02
        assert rain_at_steps({DAY + 1: 16.0}, top, DAY, 10)[9] == 16.0

    def test_rain_of_other_days_is_none_of_this_season(self) -> None:
        assert rain_at_steps({DAY - 1: 9.0, DAY + 9: 9.0, DAY: 0.0}, np.full(17, 0.2), DAY, 16).sum() == 0


def test_the_days_use_is_spread_over_daylight() -> None:
    shares = sun_share()
    assert shares.sum() == pytest.approx(1.0) and shares[:2].sum() == 0 and shares[7] == 0
    assert shares[4] == max(shares)


def season_of(days: int, **changes: object) -> Season:
    generator = np.random.default_rng(4)
    tables = tuple(0.25 + 0.02 * generator.random((days * STEPS_A_DAY + 1, 3)) for _ in range(3))
    values = dict(
        first_day=DAY, stations=tables, eto_mm=np.full(days, 5.0), kcb=np.full(days, 0.9), roots_cm=np.full(days, 60.0),
        sets=(), passes=False, rain_mm={}, ends=days * STEPS_A_DAY,
    )  # fmt: skip
    return Season(**{**values, **changes})  # type: ignore[arg-type]


class TestKnownAtADawn:
    def alike(self, one: Record, other: Record) -> None:
        for name in ("theta", "eto_mm", "kcb", "roots_cm", "sets_mm", "rain_mm"):
            assert np.array_equal(getattr(one, name), getattr(other, name), equal_nan=True), name
        assert (one.first_day, one.ends) == (other.first_day, other.ends)

    @pytest.mark.parametrize("passes", [False, True])
    def test_nothing_later_changes_what_was_known(self, passes: bool) -> None:
        start = 86400.0 * (DAY + 14)
        sets = ((start, start + 60 * 3600, 16.0),)  # runs on over the dawn
        before = season_of(30, sets=sets, passes=passes, rain_mm={DAY + 15: 3.0})
        step = 15 * STEPS_A_DAY + 2
        later = tuple(t.copy() for t in before.stations)
        for table in later:
            table[step + 1 :] = 0.40
        eto = before.eto_mm.copy()
        eto[15:] = 9.0
        after = season_of(
            30, stations=later, eto_mm=eto, passes=passes, rain_mm={DAY + 15: 3.0, DAY + 17: 20.0},
            sets=(*sets, (start + 3 * 86400, start + 3.2 * 86400, 30.0)),
        )  # fmt: skip
        self.alike(before.until_dawn(DAY + 15), after.until_dawn(DAY + 15))
        assert before.until_dawn(DAY + 15).ends == step and np.isnan(before.until_dawn(DAY + 15).theta[-1]).all()

    def test_how_far_back_it_was_gathered_changes_nothing(self) -> None:
        long = season_of(LONGEST_DAYS + 40, eto_mm=np.where(np.arange(LONGEST_DAYS + 40) % 9, 5.0, np.nan))
        cut = 35
        short = season_of(
            LONGEST_DAYS + 5, first_day=DAY + cut,
            stations=tuple(t[cut * STEPS_A_DAY :] for t in long.stations), eto_mm=long.eto_mm[cut:],
        )  # fmt: skip
        day = DAY + LONGEST_DAYS + 38
        self.alike(long.until_dawn(day), short.until_dawn(day))
        assert long.until_dawn(day).first_day == day - LONGEST_DAYS

    def test_the_whole_of_it_is_cut_nowhere(self) -> None:
        found = season_of(10, sets=((86400.0 * (DAY + 9), 86400.0 * (DAY + 9) + 7200, 5.0),)).whole()
        assert found.days == 10 and found.sets_mm.sum() == pytest.approx(5.0) and np.isfinite(found.theta).all()

    def test_a_day_without_weather_has_the_mean_of_the_others(self) -> None:
        eto = np.array([4.0, np.nan, 6.0, 6.0])
        assert season_of(4, eto_mm=eto).whole().eto_mm[1] == pytest.approx(16 / 3)

    def test_it_goes_on_dry_with_the_weather_of_its_last_week(self) -> None:
        record = empty_record(10)
        record.eto_mm[-7:] = 6.0
        more = record.going_on(3)
        assert more.days == 13 and more.eto_mm[-1] == 6.0 and np.isnan(more.theta[-1]).all()
        assert len(more.sets_mm) == 13 * STEPS_A_DAY and more.sets_mm[-24:].sum() == 0


class TestWaterOfSets:
    top = np.concatenate([np.full(10, 0.20), np.full(15, 0.23)])

    @pytest.mark.parametrize(
        ("passes", "length_s", "at_once"),
        [(True, 6 * 3600 + 1, True), (True, 6 * 3600, False), (False, 20 * 3600, False)],
    )
    def test_a_long_one_of_a_system_that_passes_comes_where_it_is_seen(
        self, passes: bool, length_s: float, at_once: bool
    ) -> None:
        start = 86400.0 * DAY + 25.5 * 3600
        found = water_of_sets(((start, start + length_s, 16.0),), passes, self.top, DAY)
        assert found.sum() == pytest.approx(16.0) and (found[9] == 16.0) == at_once


class TestOneProfile:
    def test_fixed_differences_go_and_the_middle_station_counts(self) -> None:
        base = np.linspace(0.30, 0.20, 40)[:, None] * np.ones((1, 2))
        drifting = base + 0.02
        drifting[20:, 0] += np.linspace(0, 0.05, 20)
        found = one_profile([base - 0.02, base, drifting], 20)
        assert found == pytest.approx(base, abs=1e-9)

    def test_one_alone_is_itself_and_a_gap_is_filled_by_the_others(self) -> None:
        one = np.full((10, 1), 0.2)
        assert one_profile([one], 5) is one
        other = one + 0.04
        other[7:] = np.nan
        found = one_profile([one, other], 5)
        assert found == pytest.approx(0.22)

    def test_what_nobody_read_is_nothing(self) -> None:
        one = np.full((10, 1), 0.2)
        one[4] = np.nan
        assert np.isnan(one_profile([one, one + 0.01], 5)[4, 0])


class TestCrop:
    def test_a_row_crop_starts_bare_and_an_orchard_green(self) -> None:
        row = basal_coefficients(CropCalendar(0, (20, 30, 40, 30), (0.5, 1.15, 0.7)), np.array([5, 60, 119]))
        assert row == pytest.approx([0.15, 1.10, 0.66], abs=0.02)
        green = CropCalendar(0, (60, 90, 120, 95), (0.65, 0.65 + ALWAYS_GREEN, 0.65))
        assert basal_coefficients(green, np.array([5]))[0] == pytest.approx(0.60)

    def test_before_the_crop_there_is_no_use(self) -> None:
        calendar = CropCalendar(100, (20, 30, 40, 30), (0.5, 1.15, 0.7))
        assert basal_coefficients(calendar, np.array([99]))[0] == 0.0

    def test_a_cutting_brings_it_down_and_it_grows_back_in_sixteen_days(self) -> None:
        calendar = CropCalendar(0, (10, 30, 300, 25), (0.4, 1.2, 1.15))
        days = np.array([59, 60, 64, 70, 76, 90])
        assert basal_coefficients(calendar, days, [60]) == pytest.approx([1.15, 0.4, 0.4, 0.75, 1.1, 1.1])
