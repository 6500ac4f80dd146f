"""Batches, procedures, channels, settling, siting, instruments, windows."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.advice.cautions import supply_cautions
from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.moving_systems import Pivot, pivot_area_ha, pivot_rate_mm_h
from embalse.core.delivery.set_amount import advised_set
from embalse.core.delivery.uniformity import UniformityError, uniformity
from embalse.core.errors import CoreError
from embalse.core.install.access_tubes import tube_cuts
from embalse.core.install.batch_test import BatchError, BatchLimits, batch_test, best_batch
from embalse.core.install.boundary import OutlineError, area_caution, area_ha, checked_ring
from embalse.core.install.channel_check import Touch, channel_check, moved_channel, swaps
from embalse.core.install.install_window import install_window, window_sentence
from embalse.core.install.instruments import PlanBasis, instrument_choices
from embalse.core.install.procedures import Done, SensorPlace, procedure, procedures, run_state, step_ids
from embalse.core.install.siting import Replicate, Zone, replicate_cautions, rules_for, spot_verdict, zone_cautions
from embalse.core.quality.settling import SettlingRule, settling, wet_ends
from embalse.core.wording import Notice, text
from tests.core.build import codes, values_of

GOOD = ([820, 821, 822], [380, 381, 382])
NOISY = ([820, 870, 790], [380, 381, 382])
SHORT = ([620, 621, 622], [480, 481, 482])


class TestBatch:
    def test_each_sensor_gets_its_reasons(self) -> None:
        found = batch_test("b", {"good": GOOD, "noisy": NOISY, "short": SHORT})
        by_name = {s.sensor: s for s in found.sensors}
        assert by_name["good"].accepted and by_name["good"].reasons == ()
        assert "scatters in air" in by_name["noisy"].reasons[0]
        assert "span 140 is under 80 %" in by_name["short"].reasons[0]
        assert not found.accepted and found.words == "1 of 3 pass; 50 % are wanted"

    def test_widest_span_with_least_scatter_wins(self) -> None:
        wide = batch_test("wide", {"1": GOOD, "2": GOOD})
        narrow = batch_test("narrow", {"1": SHORT, "2": SHORT})
        bad = batch_test("bad", {"1": NOISY, "2": NOISY})
        assert best_batch([narrow, wide, bad]) == "wide"
        assert best_batch([bad]) is None

    def test_a_sensor_that_drifted_in_water_is_refused(self) -> None:
        found = batch_test("b", {"1": GOOD, "2": GOOD}, None, {"1": 381.0, "2": 400.0})
        assert [s.accepted for s in found.sensors] == [True, False]
        assert "came back 19" in found.sensors[1].reasons[0]

    def test_too_few_repeats_are_named(self) -> None:
        with pytest.raises(BatchError) as refused:
            batch_test("b", {"1": ([820, 821], [380, 381, 382])})
        assert refused.value.field == "1.air" and "at least 3" in refused.value.reason

    def test_the_same_in_air_and_water_is_no_sensor(self) -> None:
        found = batch_test("b", {"1": ([500] * 3, [500] * 3)})
        assert not found.accepted and "the same in air and in water" in found.sensors[0].reasons[0]

    @given(st.floats(1.0, 60.0))
    def test_more_scatter_never_helps(self, factor: float) -> None:
        loose = ([821 + factor * (v - 821) for v in GOOD[0]], GOOD[1])
        limits = BatchLimits(sd_share=0.02)
        worse = batch_test("b", {"1": loose, "2": GOOD}, limits).sensors[0]
        assert not worse.accepted or batch_test("b", {"1": GOOD, "2": GOOD}, limits).sensors[0].accepted
        assert worse.accepted == (factor <= 0.02 * 440 + 1e-9) or worse.air.sd == pytest.approx(8.8, rel=0.01)


class TestProcedures:
    PLACES = (SensorPlace("20", 20), SensorPlace("50", 50))

    def entries(self, name: str, places: tuple[SensorPlace, ...] = ()) -> dict[str, Done]:
        done = {}
        for id_, step, place in ((s.id, s.step, s.sensor) for s in step_ids(procedure(name), places)):
            value: float | str | None = None
            if step.step == "depth" and place:
                value = place.depth_cm
            elif step.entry == "number":
                value = step.low if step.low else min(step.high or 5.0, 5.0)
            elif step.entry == "text":
                value = id_
            done[id_] = Done(value, 0.0, "x")
        return done

    @pytest.mark.parametrize("name", list(procedures()))
    def test_every_procedure_can_be_finished(self, name: str) -> None:
        places = self.PLACES if procedure(name).subject == "station" else ()
        state = run_state(procedure(name), places, self.entries(name, places))
        assert state.gaps == () and state.verdict == "ready" and state.next_id is None
        assert all(step.source and step.why for step in procedure(name).steps)

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_no_installation_closes_with_a_depth_unmeasured(self, name: str) -> None:
        done = self.entries(name, self.PLACES)
        del done["50:depth"]
        state = run_state(procedure(name), self.PLACES, done)
        assert state.verdict == "open" and state.gaps[0] == Notice("run.no_depth", depth_cm=50)

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_no_installation_closes_with_a_channel_shared(self, name: str) -> None:
        done = self.entries(name, self.PLACES)
        done["50:channel"] = done["20:channel"] = Done("SM1")
        state = run_state(procedure(name), self.PLACES, done)
        assert state.verdict == "open" and text(state.gaps[0]) == "channel 'sm1' is given to 50 cm and 20 cm"

    @pytest.mark.parametrize("name", [n for n, p in procedures().items() if p.kind == "install"])
    def test_digging_carries_its_caution(self, name: str) -> None:
        cautions = " ".join(step.caution for step in procedure(name).steps)
        assert "buried services" in cautions and "lightning" in cautions.lower()
        assert "local" in cautions

    def test_the_deepest_sensor_comes_first(self) -> None:
        order = [s.sensor.key for s in step_ids(procedure("pit"), self.PLACES) if s.sensor and s.step.step == "depth"]
        assert order == ["50", "20"]

    def test_a_value_outside_its_limits_is_a_failure_in_words(self) -> None:
        done = self.entries("condition-a") | {"read_dry1": Done(120.0)}
        state = run_state(procedure("condition-a"), (), done)
        assert state.verdict == "not ready"
        assert text(state.failures) == "Read it dry: 120 kPa, 150 kPa or more wanted"

    def test_a_depth_off_the_plan_is_pointed_out(self) -> None:
        done = self.entries("pit", self.PLACES) | {"50:depth": Done(44.0)}
        state = run_state(procedure("pit"), self.PLACES, done)
        assert state.notices == (Notice("run.depth_differs", measured_cm=44, planned_cm=50),)

    def test_an_unknown_procedure_is_named(self) -> None:
        with pytest.raises(CoreError, match="'dig' is no procedure"):
            procedure("dig")


class TestChannels:
    BEFORE = {"a": 20.0, "b": 21.0, "c": 22.0}

    def touch(self, sensor: str, channel: str, moved: str) -> Touch:
        return Touch(sensor, channel, self.BEFORE, {k: v + (9 if k == moved else 0.3) for k, v in self.BEFORE.items()})

    def test_a_crossed_pair_is_found(self) -> None:
        found = channel_check([self.touch("20", "a", "a"), self.touch("40", "b", "c"), self.touch("60", "c", "b")])
        assert [v.agrees for v in found] == [True, False, False]
        assert swaps(found) == [("40", "60")]
        assert "c moved, b is written" in found[1].words

    def test_no_swap_where_only_one_is_wrong(self) -> None:
        assert swaps(channel_check([self.touch("40", "b", "c"), self.touch("60", "c", "c")])) == []

    def test_nothing_is_said_when_nothing_stands_out(self) -> None:
        assert moved_channel(self.BEFORE, {"a": 25.0, "b": 24.0, "c": 22.0}) is None
        assert moved_channel(self.BEFORE, self.BEFORE) is None


class TestSettling:
    DAY = 86400.0

    def test_days_alone_settle(self) -> None:
        assert settling(0, 14 * self.DAY, [np.empty(0)]).settled
        young = settling(0, 3 * self.DAY, [np.empty(0)])
        assert not young.settled and young.said["left_days"] == 11

    def test_two_wettings_that_agree_settle_sooner(self) -> None:
        agreeing = np.array([0.20, 0.30, 0.27, 0.24, 0.31, 0.28])
        differing = np.array([0.20, 0.26, 0.24, 0.22, 0.33, 0.30])
        assert settling(0, 6 * self.DAY, [agreeing]).settled
        assert not settling(0, 6 * self.DAY, [differing]).settled
        assert settling(0, 6 * self.DAY, [agreeing, differing]).settled
        assert not settling(0, 6 * self.DAY, [agreeing, differing, differing]).settled

    def test_a_rise_over_two_dawns_is_one_wetting(self) -> None:
        assert wet_ends([0.20, 0.24, 0.29, 0.291, 0.27, np.nan, 0.25, 0.30], 0.015) == [0.291, 0.30]

    def test_the_rule_can_be_set(self) -> None:
        assert settling(0, 5 * self.DAY, [], SettlingRule(days=5)).settled


class TestSiting:
    DRIP = {
        "edge_m": 60.0, "row_end_m": 50.0, "level_ground": True, "no_runoff": True, "majority_soil": True,
        "average_yield": True, "full_stand": True, "no_wheel_track": True, "in_reach": True, "emitter_cm": 8.0,
        "not_midway": True, "typical_plant": True,
    }  # fmt: skip

    def test_words_follow_the_rules(self) -> None:
        rules = rules_for("drip")
        assert spot_verdict(rules, self.DRIP).word == "good"
        assert spot_verdict(rules, {**self.DRIP, "emitter_cm": 25.0}).word == "usable"
        refused = spot_verdict(rules, {**self.DRIP, "edge_m": 20.0})
        assert refused.word == "not here"
        assert "20 m, wanted 45 m or more" in text(next(v.words for v in refused.rules if v.outcome == "no"))
        assert spot_verdict(rules, {}).word == "not looked at"

    def test_rules_depend_on_the_system(self) -> None:
        assert {r.rule for r in rules_for("pivot")} >= {"first_span", "last_span", "access"}
        assert "emitter" not in {r.rule for r in rules_for("pivot")}
        assert {r.rule for r in rules_for("furrow")} >= {"run", "wheel_furrow"}

    def test_limits_of_the_farm_take_over_and_say_so(self) -> None:
        rules = rules_for("drip", {"edge": (15.0, None)})
        assert spot_verdict(rules, {**self.DRIP, "edge_m": 20.0}).word == "good"
        assert next(r for r in rules if r.rule == "edge").source.startswith("set on this farm")
        with pytest.raises(CoreError, match="no rule with limits"):
            rules_for("drip", {"landform": (1.0, None)})

    @given(st.sets(st.sampled_from(sorted(DRIP))))
    def test_knowing_less_never_makes_a_spot_worse(self, unknown: set[str]) -> None:
        order = ("not here", "usable", "good", "not looked at")
        bad = {**self.DRIP, "emitter_cm": 30.0, "edge_m": 10.0}
        known = {k: v for k, v in bad.items() if k not in unknown}
        word = spot_verdict(rules_for("drip"), known).word
        assert order.index(word) >= order.index(spot_verdict(rules_for("drip"), bad).word)

    def test_replicates_are_alike_where_they_must_be(self) -> None:
        found = replicate_cautions([Replicate("a", 6, "12", 60), Replicate("b", 10, "12", 62)])
        assert len(found) == 3 and codes(found) == ["replicate.offset", "replicate.row", "replicate.inlet"]
        assert replicate_cautions([Replicate("a", 8, "12", 60), Replicate("b", 9, "31", 180)]) == []

    def test_zones_that_differ_are_named(self) -> None:
        home = Zone("Home", "loam", "almond", 1.0, 1.4, "drip")
        other = Zone("Slope", "clay", "almond", 9.0, 2.0, "drip")
        [found] = zone_cautions(home, [other])
        assert codes(found) == ["zone.differs", "zone.soil", "zone.slope", "zone.rate"]
        assert zone_cautions(home, [Zone("Same", "loam", "almond", 2.0, 1.45, "drip")]) == []


class TestInstruments:
    def test_choices_say_what_they_tell(self) -> None:
        choices = {c.choice: c for c in instrument_choices(PlanBasis(90, 150))}
        assert choices["profile"].watch_cm == 100 and choices["middles"].watch_cm == 105
        assert any("how much" in t for t in choices["middles"].tells)
        assert any("how much" in t for t in choices["pairs"].cannot_tell)
        assert choices["profile"].sensors == 11 and choices["pairs"].sensors == 6

    def test_costs_can_be_replaced(self) -> None:
        plain = {c.choice: c.total for c in instrument_choices(PlanBasis(90, 150))}
        own = {c.choice: c.total for c in instrument_choices(PlanBasis(90, 150), {"profile probe": {"buy": 0.0}})}
        assert plain["profile"] - own["profile"] == pytest.approx(700)
        assert plain["middles"] == own["middles"]
        with pytest.raises(CoreError, match="must not be negative"):
            instrument_choices(PlanBasis(90, 150), {"profile probe": {"buy": -1.0}})

    def test_more_seasons_cost_the_yearly_part_more(self) -> None:
        one, five = ({c.choice: c for c in instrument_choices(PlanBasis(90, 150, seasons=s))} for s in (1.0, 5.0))
        for choice, before in one.items():
            assert five[choice].total - before.total == pytest.approx(4 * before.later_years)

    @given(st.floats(10, 300), st.floats(20, 400))
    def test_depths_stay_within_the_described_soil(self, roots: float, soil: float) -> None:
        for choice in instrument_choices(PlanBasis(roots, soil)):
            assert all(0 < d <= soil for d in choice.depths_cm)
            assert list(choice.depths_cm) == sorted(choice.depths_cm)


def test_windows_open_and_close() -> None:
    maize = install_window("maize grain")
    assert maize is not None
    assert window_sentence(maize, 3)[0] == "early"
    assert window_sentence(maize, 20) == ("open", "Closes in 10 days: first to fourth leaf; small plants recover.")
    assert window_sentence(maize, 50)[0] == "closed"
    assert window_sentence(maize, None)[0] == "unknown"
    almond = install_window("almond")
    assert almond is not None and window_sentence(almond, None)[0] == "open"
    assert install_window("moss") is None


class TestOutline:
    SQUARE = [(-15.2, 38.4), (-15.19, 38.4), (-15.19, 38.41), (-15.2, 38.41)]

    def test_a_closed_ring_is_the_same_ring(self) -> None:
        assert checked_ring([*self.SQUARE, self.SQUARE[0]]) == self.SQUARE

    @pytest.mark.parametrize(
        ("ring", "reason"),
        [
            ([(0, 0), (1, 1)], "three corners"),
            ([(0, 0), (1, 1), (1, 0), (0, 1)], "side 1 crosses side 3"),
            ([(0, 0), (200, 0), (0, 1)], "degrees"),
            ([(0, 0), (1e-6, 0), (0, 1e-6)], "less than 10 m²"),
        ],
    )
    def test_what_is_no_outline_is_refused(self, ring: list[tuple[float, float]], reason: str) -> None:
        with pytest.raises(OutlineError, match=reason):
            area_ha(ring)

    def test_an_area_that_differs_is_pointed_out(self) -> None:
        assert area_caution(10.4, 10, 0.05) is None
        assert text(area_caution(12, 10, 0.05) or "") == "12.0 ha is entered, 20 % more than the 10.0 ha of the outline"


class TestPivot:
    PIVOT = Pivot(400, 180, 18, depth_at_full_mm=8)
    SYSTEM = IrrigationSystem("pivot", pivot_rate_mm_h(PIVOT), 0.8, pivot=PIVOT)

    def test_a_set_is_a_turn_at_a_timer_setting(self) -> None:
        found = advised_set(12.8, SetLimits(), self.SYSTEM)
        assert found.gross_mm == pytest.approx(16) and found.timer_fraction == pytest.approx(0.5)
        assert found.set_time_h == pytest.approx(36)

    def test_less_than_the_fastest_turn_is_not_possible(self) -> None:
        found = advised_set(2.0, SetLimits(), self.SYSTEM)
        assert found.limited_by == "turn" and found.net_mm == pytest.approx(6.4) and found.timer_fraction == 1

    def test_rings_left_dry_take_area_away(self) -> None:
        assert pivot_area_ha(Pivot(400, 180, 18, 50, 10)) < pivot_area_ha(Pivot(400, 180, 18))
        with pytest.raises(CoreError, match="no area"):
            pivot_area_ha(Pivot(400, 180, 18, 300, 150))


def test_a_supply_that_gives_less_is_named() -> None:
    found = supply_cautions(Supply("well", 100.0, 10.0), 1.5, 10.0, 12.0)
    assert values_of(found, "caution.supply_flow") == {
        "supply": "well", "needs_m3_h": 150, "gives_m3_h": 100, "parts": 2, "each_h": 12, "total_h": 24
    }  # fmt: skip
    assert found[1] == Notice("caution.supply_hours", supply="well", runs_h=10)
    assert supply_cautions(Supply("well", 150.0, 12.0), 1.5, 10.0, 12.0) == []
    assert supply_cautions(None, 1.5, 10.0, 12.0) == []


def test_tubes_refuse_what_cannot_be_pulled() -> None:
    with pytest.raises(CoreError, match="stick out"):
        tube_cuts([30.0], stick_out_cm=10.0)
    with pytest.raises(CoreError, match="same depth"):
        tube_cuts([30.0, 30.0])


def test_uniformity_refuses_what_is_no_test() -> None:
    for catches, reason in (([1, 2, 3], "at least 4"), ([1, 2, 3, -1], "negative"), ([0, 0, 0, 0], "all are 0")):
        with pytest.raises(UniformityError, match=reason):
            uniformity(catches)
