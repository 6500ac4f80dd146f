"""The days ahead by a fitted model, and dates from them."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.block_model.fit import Fitted, fit
from embalse.core.block_model.paths import (
    AHEAD_DAYS,
    MEMBERS,
    MISS_WIDENED,
    UNKNOWN_MISS,
    Ahead,
    _no_brake_unseen,
    driest_dawn,
    loss_paths,
    own_miss_mm,
    still_true,
    weathers,
)
from embalse.core.crop.crop_use_factor import crop_use
from embalse.core.crop.depletion_forecast import (
    OFF_TRACK_SHARE,
    Course,
    LossPaths,
    Start,
    course,
    days_until,
    middle_path_mm,
    stressed_fan_mm,
    width_causes,
)
from embalse.core.weather.weather_outlook import PastDay, outlook
from tests.core.block_model.build import empty_record, grown_record, loam_prior
from tests.core.crop.test_depletion_forecast import CALENDAR, TODAY, dawns, sky

DRY = np.full(4, 0.15)
ROOTED = np.array([175.0, 175.0, 225.0, 25.0])
DAYS = AHEAD_DAYS + 1


def ahead(eto: float = 5.0, rain: float = 0.0) -> Ahead:
    return Ahead(np.full((4, DAYS), eto), np.full((4, DAYS), rain), np.full(DAYS, 0.9), np.full(DAYS, 60.0))


@pytest.fixture(scope="module")
def fitted() -> Fitted:
    prior = loam_prior()
    found = fit(prior, grown_record(prior, np.zeros(prior.names.count), 30), 1029)
    assert found is not None
    return found


class TestLossPaths:
    def test_a_dry_week_takes_what_the_crop_asks(self, fitted: Fitted) -> None:
        theta = np.full(4, 0.26)
        found = loss_paths(loam_prior(), fitted, (theta, ROOTED, DRY), ahead())
        assert found.lost_mm.shape == (MEMBERS, AHEAD_DAYS * 8 - 2 + 1) and (found.lost_mm[:, 0] == 0).all()
        week = float(np.median(found.at(np.array([7.0]))))
        assert week == pytest.approx(7 * 0.9 * 0.9 * 5.0, rel=0.2)

    def test_twice_the_demand_of_the_air_takes_more_and_rain_gives_back(self, fitted: Fitted) -> None:
        theta = np.full(4, 0.24)

        def week(weather: Ahead) -> float:
            found = loss_paths(loam_prior(), fitted, (theta, ROOTED, DRY), weather)
            return float(np.median(found.at(np.array([4.0]))))

        assert week(ahead(eto=8.0)) > 1.3 * week(ahead(eto=4.0))
        assert week(ahead(rain=6.0)) < 0

    def test_from_the_evening_on_the_day_takes_no_more(self, fitted: Fitted) -> None:
        theta = np.full(4, 0.24)
        found = loss_paths(loam_prior(), fitted, (theta, ROOTED, DRY), ahead(), from_step=7)
        assert float(np.median(found.at(np.array([0.3])))) < 0.8

    def test_water_above_full_goes_by_the_soils_own_drainage(self, fitted: Fitted) -> None:
        wet, moist = (
            loss_paths(loam_prior(), fitted, (np.full(4, theta), ROOTED, DRY), ahead()).at(np.array([1.0]))
            for theta in (0.36, 0.27)
        )
        assert np.median(wet) > np.median(moist) + 5


class TestABrakeNobodySaw:
    def test_beyond_the_driest_that_was_seen_it_goes_on_as_the_day_before(self, fitted: Fitted) -> None:
        theta, days = np.full(4, 0.22), np.array([8.0, 13.0])
        seen, unseen = (
            loss_paths(loam_prior(), fitted, (theta, ROOTED, np.full(4, dry)), ahead()).at(days)[0]
            for dry in (0.10, 0.20)
        )
        assert seen[1] - seen[0] < 10 < unseen[1] - unseen[0]

    def test_the_days_course_goes_on_within_it(self) -> None:
        day = np.array([0.0, 0.0, 0.0, 1.0, 2.0, 3.0, 4.0, 4.0])
        path = np.concatenate([day, 4 + day, 8 + 0 * day, [8.0]])[None]
        found = _no_brake_unseen(path.copy(), 7.5)[0]
        assert found[16] == 8.0 and found[24] == pytest.approx(12.0)
        assert (np.diff(found) >= -1e-9).all() and np.count_nonzero(np.diff(found[14:23]) == 0) >= 2

    @pytest.mark.parametrize("seen", [99.0, -5.0])
    def test_what_was_seen_or_never_dry_is_left_as_it_is(self, seen: float) -> None:
        path = np.linspace(0, 9, 30)[None]
        assert _no_brake_unseen(path.copy(), seen) == pytest.approx(path)

    def test_the_driest_dawn_is_the_one_with_the_least_in_the_roots(self) -> None:
        record = empty_record(4)
        assert (driest_dawn(record, ROOTED) == 1.0).all()
        for day, top in enumerate((0.30, 0.20, 0.25)):
            record.theta[record.dawn(1000 + day)] = [top, 0.25, 0.25, 0.25]
        record.theta[record.dawn(1003)] = [0.05, np.nan, 0.05, 0.05]
        assert driest_dawn(record, ROOTED)[0] == 0.20


class TestOwnMisses:
    def misses(self, size: float, count: int) -> Fitted:
        table = np.full((5, 4, count), np.nan)
        table[0] = size
        return Fitted(np.zeros(3), np.eye(3), 0.0, count, table)

    @pytest.mark.parametrize(("count", "known"), [(7, False), (8, True)])
    def test_with_too_few_of_them_a_middling_one_is_taken(self, count: int, known: bool) -> None:
        found = own_miss_mm(self.misses(0.01, count), np.full(4, 100.0), np.array([1.0, 4.0]))
        one_day = MISS_WIDENED * (4.0 if known else UNKNOWN_MISS * 400)
        assert found == pytest.approx([one_day, 2 * one_day])

    def test_a_set_nobody_logged_is_one_miss_and_not_the_measure(self) -> None:
        plain = self.misses(0.001, 20)
        plain.misses[0, :, 3] = 0.2
        found = own_miss_mm(plain, np.full(4, 100.0), np.ones(1))[0]
        assert found < 2.0 * MISS_WIDENED * 0.4


class TestStillTrue:
    paths = LossPaths(np.arange(5.0), np.arange(5.0) * np.ones((3, 1)))

    @pytest.mark.parametrize(("off", "still"), [(3.0, True), (-3.0, True), (3.01, False)])
    def test_until_the_root_zone_holds_other_water(self, off: float, still: bool) -> None:
        assert still_true(self.paths, 2.0, 2.0 + off) == still

    def test_paths_that_differ_widely_bear_more(self) -> None:
        wide = LossPaths(np.arange(5.0), np.arange(5.0) * np.array([[0.2], [1.0], [4.0]]))
        assert still_true(wide, 2.0, 2.0 + 2 * 3.0 / 1.5)


class TestWeathers:
    def test_a_forecast_is_taken_as_it_is(self) -> None:
        eto, rain = weathers(sky(6.0, 2.0), TODAY)
        assert eto.shape == rain.shape == (3, DAYS) and rain[0, 0] == 2.0

    def test_without_one_the_last_weeks_go_on_in_their_own_order(self) -> None:
        past = {TODAY - n: PastDay(float(n), "given") for n in range(1, 22)}
        found = outlook(past, None, TODAY)
        assert found is not None
        eto, rain = weathers(found, TODAY)
        assert eto.shape == (21, DAYS) and not rain.any()
        assert list(eto[0, :3]) == [21.0, 20.0, 19.0] and list(eto[20, :3]) == [1.0, 21.0, 20.0]


def by_model(rate: float = 5.0, paths: int = 9, spread: float = 0.0, **said: float) -> Course:
    """A course whose model loses so much a day along every path."""
    base = course(sky(), CALENDAR, crop_use(dawns(), {d: 6.0 for d in range(TODAY - 30, TODAY)}), 1.0)
    assert base is not None
    rates = rate + spread * np.linspace(-1, 1, paths)
    times = np.arange(0, 14.1, 0.125)
    return replace(base, paths=LossPaths(times, rates[:, None] * times, **said))  # type: ignore[arg-type]


class TestDatesByThePaths:
    def test_the_day_is_where_the_paths_cross(self) -> None:
        days = days_until(by_model(5.0), Start(10.0, sensor_error_mm=20.0), 30.0)
        assert days.low == days.mid == days.high == pytest.approx(4.0)

    def test_what_a_calibration_is_wrong_by_is_no_doubt_of_it_but_unlike_stations_are(self) -> None:
        days = days_until(by_model(5.0), Start(10.0, 20.0, spread_error_mm=5.0), 30.0)
        assert days.mid == pytest.approx(4.0) and days.high - days.low > 2.0

    def test_beyond_the_paths_they_go_on_as_in_their_last_week(self) -> None:
        assert days_until(by_model(1.0), Start(0.0), 20.0).mid == pytest.approx(20.0)

    def test_where_it_is_past_already_it_is_now(self) -> None:
        assert days_until(by_model(), Start(40.0), 30.0).mid == 0.0

    def test_the_middle_and_the_fan_go_by_them(self) -> None:
        found = by_model(5.0, spread=2.0)
        assert middle_path_mm(found, Start(-8.0), 3) == pytest.approx([-3.0, 2.0, 7.0])
        fan = stressed_fan_mm(found, Start(0.0), (100.0, 50.0), 4)
        assert fan[0] == (0.0, 0.0, 0.0) and fan[4][1] == pytest.approx(20.0)
        assert fan[4][0] < 16 and fan[4][2] > 24

    def test_its_width_is_told_by_cause(self) -> None:
        found = width_causes(by_model(5.0, spread=2.0), Start(10.0, 20.0), 30.0)
        assert found["weather, crop use and soil"] > 1 and found["unlike stations"] == 0


class TestLater:
    def test_the_losses_are_counted_from_then(self) -> None:
        later = by_model(4.0).paths.later(1.5)  # type: ignore[union-attr]
        assert later is not None and later.times_days[0] == 0
        assert later.at(np.array([0.0, 1.0]))[0] == pytest.approx([0.0, 4.0])

    def test_when_they_are_over_there_are_none(self) -> None:
        paths = by_model().paths
        assert paths is not None
        assert paths.later(14.0) is None and paths.later(13.8) is not None and paths.later(0.0) is paths


@pytest.mark.parametrize(
    ("miss", "rate", "off"),
    [
        (2.0, 3.0, True),
        (1.99, 1.0, False),
        (OFF_TRACK_SHARE * 8.0, 8.0, True),
        (OFF_TRACK_SHARE * 8.0 - 0.01, 8.0, False),
    ],
)
def test_a_model_is_off_its_track_when_a_day_ahead_it_is_off_by_half_a_day(miss: float, rate: float, off: bool) -> None:
    paths = by_model(rate, miss_mm=miss).paths
    assert paths is not None and paths.off_track == off
