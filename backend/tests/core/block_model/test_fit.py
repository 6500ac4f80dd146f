"""The fit on seasons whose soil is known because this very column wrote them, and its edges."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.block_model import findings
from embalse.core.block_model.column import STEPS_A_DAY
from embalse.core.block_model.findings import (
    below_roots_mm,
    goes_on_until,
    holds_water_up,
    modelled_uptake,
)
from embalse.core.block_model.fit import FEWEST_WINDOWS, fit, samples
from embalse.core.block_model.ground import entry_layer, ground_of, modelled_stations
from embalse.core.block_model.parameters import DEMAND, MOST_DEMAND, Prior, demand_log, root_shares
from embalse.core.block_model.replay import replay, through_mm
from embalse.core.block_model.windows import half_days_of, windows_of
from embalse.core.errors import CoreError
from embalse.core.field.wetting import Water, Wetting
from embalse.core.root_zone.block import Sensor, Station
from tests.core.block_model.build import LOAM, empty_record, grown_record, loam_ground, loam_prior

DAYS = 40


def thirsty(prior: Prior) -> np.ndarray:
    """Unknowns of a crop that takes a fifth more, over a soil that drains at more water than its texture says."""
    x = np.zeros(prior.names.count)
    x[prior.names.knots.start] = 1.0
    x[prior.names.layer("ref")] = 0.4
    return x


class TestFit:
    def test_it_finds_the_demand_and_the_uptake_of_a_season_it_could_have_written(self) -> None:
        prior = loam_prior()
        truth = thirsty(prior)
        record = grown_record(prior, truth, DAYS)
        found = fit(prior, record, 1000 + DAYS - 1)
        assert found is not None and found.windows > 25
        said, true = (float(np.exp(demand_log(prior, x[:, None], np.zeros(1)))[0, 0]) for x in (found.x, truth))
        assert said == pytest.approx(true, rel=0.06)
        halves = fit(prior, record, 1000 + DAYS - 1, found.x, half_days=True)
        assert halves is not None
        told = modelled_uptake(prior, record, halves, 1000 + DAYS - 1)
        retraced = replay(prior, record, type(found)(truth, found.lower, 0, 0, found.misses), (2, 2 + 8 * 30))
        assert told is not None and told.layers[0].mm_d > told.layers[-1].mm_d
        a_day = retraced.taken_mm.sum() / 30
        assert sum(layer.mm_d for layer in told.layers) == pytest.approx(a_day, rel=0.1)

    def test_it_misses_next_to_nothing_of_it_a_day_ahead(self) -> None:
        prior = loam_prior()
        found = fit(prior, grown_record(prior, thirsty(prior), DAYS), 1000 + DAYS - 1)
        assert found is not None
        assert float(np.nanmedian(np.abs(found.misses[0]))) < 0.0004

    def test_it_starts_where_the_last_one_ended(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, thirsty(prior), DAYS)
        cold = fit(prior, record, 1000 + DAYS - 1)
        assert cold is not None
        warm = fit(prior, record, 1000 + DAYS - 1, cold.x)
        assert warm is not None and warm.cost <= cold.cost * 1.001

    def test_a_few_mornings_are_too_few(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), DAYS)
        assert fit(prior, record, 1000 + FEWEST_WINDOWS - 1) is None
        assert fit(prior, record, 1000 + FEWEST_WINDOWS) is not None

    def test_facts_that_give_no_finite_answer_make_no_model(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), DAYS)
        record.eto_mm[20] = np.nan
        assert fit(prior, record, 1000 + DAYS - 1) is None

    def test_one_probe_alone_has_a_model_too(self) -> None:
        prior = loam_prior((30.0,))
        record = grown_record(prior, np.zeros(prior.names.count), DAYS)
        found = fit(prior, record, 1000 + DAYS - 1, half_days=True)
        assert found is not None and float(np.nanmedian(np.abs(found.misses[0]))) < 0.0005

    def test_one_wild_reading_does_not_carry_it_away(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, thirsty(prior), DAYS)
        record.theta[record.dawn(1020), 1] += 0.05
        found = fit(prior, record, 1000 + DAYS - 1)
        assert found is not None
        said, true = (float(demand_log(prior, x[:, None], np.zeros(1))[0, 0]) for x in (found.x, thirsty(prior)))
        assert said == pytest.approx(true, abs=0.08)

    def test_the_samples_are_the_same_each_time_and_as_wide_as_the_fit_is_unsure(self) -> None:
        prior = loam_prior()
        found = fit(prior, grown_record(prior, thirsty(prior), DAYS), 1000 + DAYS - 1)
        assert found is not None
        drawn = samples(found, 200)
        assert (drawn == samples(found, 200)).all()
        sure, unsure = prior.names.layer("ref").start, prior.names.layer("through").start
        assert drawn[unsure].std() > 3 * drawn[sure].std()


class TestWindows:
    def test_every_dawn_of_four_weeks_begins_one_and_before_them_every_third(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 70)
        found = windows_of(record, 1068)
        assert found is not None
        days = 1000 + (found.steps - 2) // STEPS_A_DAY
        lately = days[days >= 1068 - 28]
        assert list(lately) == list(range(1068 - 28, 1068))
        assert set(days[days < 1068 - 28] % 3) == {0}

    def test_a_dawn_with_a_sensor_missing_begins_none_but_may_end_one(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20)
        record.theta[record.dawn(1010), 2] = np.nan
        found = windows_of(record, 1019)
        assert found is not None and record.dawn(1010) not in found.steps
        before = list(found.steps).index(record.dawn(1009))
        assert np.isnan(found.read[0, 2, before]) and np.isfinite(found.read[0, 0, before])

    def test_half_days_leave_the_top_layer_out(self) -> None:
        prior = loam_prior()
        found = half_days_of(grown_record(prior, np.zeros(prior.names.count), 20), 1019)
        assert found is not None and np.isnan(found.read[:, 0]).all() and np.isfinite(found.read[:, 1]).any()

    @pytest.mark.parametrize(("mm", "hours", "settled"), [(3.99, 6, True), (4.0, 6, False), (40.0, 9, True)])
    def test_none_begins_or_is_read_while_water_is_on_its_way_to_the_probes(
        self, mm: float, hours: int, settled: bool
    ) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20, set_mm=0.0)
        record.sets_mm[record.dawn(1010) - hours // 3] = mm
        found = windows_of(record, 1019)
        assert found is not None and (record.dawn(1010) in found.steps) == settled
        before = list(found.steps).index(record.dawn(1009))
        assert np.isfinite(found.read[0, 0, before]) == settled

    def test_nothing_read_makes_no_windows(self) -> None:
        assert windows_of(empty_record(20), 1019) is None and half_days_of(empty_record(20), 1019) is None

    @pytest.mark.parametrize(("mm", "dry"), [(0.99, True), (1.0, False)])
    def test_misses_are_counted_as_long_as_no_water_came(self, mm: float, dry: bool) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20, set_mm=0.0)
        record.sets_mm[record.dawn(1015) + 1] = mm
        found = fit(prior, record, 1019)
        assert found is not None
        days = 1000 + (windows_of(record, 1019).steps - 2) // STEPS_A_DAY  # type: ignore[union-attr]
        assert np.isfinite(found.misses[0, :, list(days).index(1015)]).all() == dry


class TestBelowTheRoots:
    def test_it_is_what_the_soil_that_wrote_the_season_let_through(self) -> None:
        prior = loam_prior()
        truth = thirsty(prior)
        record = grown_record(prior, truth, DAYS, set_mm=70.0)
        found = fit(prior, record, 1000 + DAYS - 1)
        assert found is not None
        span = (record.dawn(1022), record.dawn(1027))
        knows = type(found)(truth, found.lower, 0, 0, found.misses)
        true = below_roots_mm(prior, record, knows, span, 60.0)
        said = below_roots_mm(prior, record, found, span, 60.0)
        assert true is not None and said is not None and true > 5
        assert said == pytest.approx(true, abs=max(2.0, 0.25 * true))

    def test_without_a_probe_for_the_soil_below_there_is_no_figure(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20)
        found = fit(prior, record, 1019)
        assert found is not None
        bottom = float(prior.ground.limits_cm[-1])
        span = (record.dawn(1008), record.dawn(1012))
        assert below_roots_mm(prior, record, found, span, bottom - 1) is None
        assert below_roots_mm(prior, record, found, span, bottom - 1.1) is not None

    @pytest.mark.parametrize(("slower", "pan"), [(10.01, True), (9.99, False)])
    def test_over_a_layer_that_holds_water_up_there_is_none(self, slower: float, pan: bool) -> None:
        ks = np.array([15.0, 15.0, 15.0 / slower, 15.0])
        prior = replace(loam_prior(), ground=replace(loam_ground(), ks_mm_h=ks))
        assert holds_water_up(prior.ground) == pan
        record = grown_record(prior, np.zeros(prior.names.count), 20)
        found = fit(prior, record, 1019)
        assert found is not None
        mm = below_roots_mm(prior, record, found, (record.dawn(1008), record.dawn(1012)), 60.0)
        assert (mm is None) == pan

    def test_water_that_rises_is_no_loss(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20, set_mm=0.0)
        found = fit(prior, record, 1019)
        assert found is not None
        told = replay(prior, record, found, (record.dawn(1010), record.dawn(1018)))
        assert through_mm(prior, told, 30.0).sum() < through_mm(prior, told, 83.0).sum() + 1e-9
        assert below_roots_mm(prior, record, found, (record.dawn(1010), record.dawn(1012)), 60.0) is not None

    @pytest.mark.parametrize(("mm", "days"), [(0.99, 3), (1.0, 1)])
    def test_uptake_leaves_out_a_day_with_water_on_it_or_the_day_before(self, mm: float, days: int) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20, set_mm=0.0)
        found = fit(prior, record, 1019)
        assert found is not None
        record.sets_mm[record.dawn(1016) + 3] = mm
        told = modelled_uptake(prior, record, found, 1019, last_days=3)
        assert told is not None and told.days == days

    @pytest.mark.parametrize(("share", "told"), [(0.29, True), (0.31, False)])
    def test_soon_after_water_layers_are_told_apart_only_where_little_drains(
        self, share: float, told: bool, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20, set_mm=8.0, every=2)
        found = fit(prior, record, 1019)
        assert found is not None
        monkeypatch.setattr(findings, "through_mm", lambda prior, retraced, cm: share * retraced.taken_mm.sum(axis=1))
        uptake = modelled_uptake(prior, record, found, 1019)
        assert uptake is not None and bool(uptake.layers) == told

    def test_one_day_is_too_few_for_uptake(self) -> None:
        prior = loam_prior()
        record = grown_record(prior, np.zeros(prior.names.count), 20)
        found = fit(prior, record, 1019)
        assert found is not None
        assert modelled_uptake(prior, record, found, 1019, last_days=1) is None
        assert modelled_uptake(prior, record, found, 1019, last_days=2) is not None


class TestHowLongAWettingIsFollowed:
    def wetting(self, start: int, *ends: int) -> Wetting:
        waters = tuple(Water("set", start, end, 10.0) for end in ends)
        return Wetting(start, start + 3600, (), 10.0, 60.0, None, None, waters)

    def test_five_days_after_its_last_water(self) -> None:
        assert goes_on_until(self.wetting(0, 3600, 7200), None) == 7200 + 120 * 3600

    def test_one_nobody_logged_is_taken_to_have_lasted_half_a_day(self) -> None:
        assert goes_on_until(self.wetting(0), None) == (12 + 120) * 3600

    @pytest.mark.parametrize(
        ("later", "until"), [(7200 + 120 * 3600 - 1, 7200 + 120 * 3600 - 1), (10**7, 7200 + 120 * 3600)]
    )
    def test_or_until_the_next(self, later: int, until: int) -> None:
        assert goes_on_until(self.wetting(0, 7200), self.wetting(later, later + 60)) == until


def test_the_profile_is_made_of_the_stations_most_alike() -> None:
    def station(key: str, *depths: float) -> Station:
        return Station(key, key, tuple(Sensor(f"{key}/{d:g}", d, "m3/m3") for d in depths))

    a, b, c, bare = station("a", 10, 30), station("b", 20, 40, 60), station("c", 10, 30), station("d")
    assert modelled_stations([a, b, c, bare]) == [a, c]
    assert modelled_stations([a, b]) == [b]
    assert modelled_stations([bare]) == []


class TestGround:
    def test_a_loam_lets_two_millimetres_a_day_through_at_0_314(self) -> None:
        # Saxton & Rawls (2006), Eq. 17, by hand: 0.459 · (0.0833 / 15.48)^(1 / 13.7)
        assert loam_ground().ref == pytest.approx(0.459 * (2 / 24 / 15.48) ** (1 / 13.7), abs=0.002)

    def test_the_last_layer_reaches_the_end_of_the_roots(self) -> None:
        assert ground_of([10, 30], [LOAM], None, 90.0).limits_cm[-1] == 90.0
        assert ground_of([10, 30], [LOAM], 60.0, 40.0).limits_cm[-1] == 60.0

    def test_without_soil_there_is_none(self) -> None:
        with pytest.raises(CoreError):
            ground_of([10, 30], [])

    def test_a_buried_line_waters_the_layer_that_rises_first(self) -> None:
        theta = np.full((40, 3), 0.2)
        sets = np.zeros(39)
        sets[8], sets[24] = 5.0, 5.0
        theta[10:14, 1] = theta[26:30, 1] = 0.24
        theta[11:14, 0] = 0.21
        assert entry_layer(theta, sets) == 1
        assert entry_layer(theta, np.zeros(39)) == 0


class TestPrior:
    def test_root_shares_add_up_to_one_and_end_with_the_roots(self) -> None:
        shares = root_shares(np.array([0.0, 20, 40, 80]), np.array([40.0, 80.0]), np.array([0.4, 0.4]))
        assert shares.sum(axis=0) == pytest.approx(1.0)
        assert shares[2, 0] == 0.0 and shares[2, 1] > 0

    def test_demand_in_a_wetted_strip_is_that_of_the_whole_ground_up_to_a_limit(self) -> None:
        prior = loam_prior()
        half, narrow = (Prior(prior.ground, share, prior.wettest) for share in (0.5, 0.3))
        x = np.zeros((prior.names.count, 1))
        assert np.exp(demand_log(half, x, np.zeros(1)))[0, 0] == pytest.approx(DEMAND / 0.5)
        assert np.exp(demand_log(narrow, x, np.zeros(1)))[0, 0] == pytest.approx(MOST_DEMAND)

    def test_demand_moves_by_weeks_and_stays_before_the_first(self) -> None:
        prior = loam_prior()
        x = np.zeros((prior.names.count, 1))
        x[prior.names.knots.stop - 1] = 1.0
        now, half, week, long_ago = demand_log(prior, x, np.array([0.0, 3.5, 7.0, 90.0]))[:, 0]
        assert now - week == pytest.approx(0.12) and half == pytest.approx((now + week) / 2) and week == long_ago
