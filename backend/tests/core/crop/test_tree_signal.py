"""Trunks and fruit against their plan, and what that does to a date."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.soaking import NO_WATER
from embalse.core.crop.growth import FruitState, TrunkDay
from embalse.core.crop.tree_signal import (
    TreeDay,
    TreeEvidence,
    TreePlan,
    TreeSignal,
    against_plan,
    tree_days,
    tree_signal,
)
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.wording import Notice
from tests.core.advice.test_decision import CALENDAR, moment
from tests.core.build import DAY, block, codes, readings

PLAN = TreePlan(1.3)
BOTH = TreePlan(1.3, fruit=True)


def signal(intensity: float = 1.0, half: float = 0.1, growth: float | None = 0.05) -> TreeSignal:
    return TreeSignal(intensity, intensity - half, intensity + half, 3, DAY - 1, growth, 0.01)


def fruit(behind: float, error: float = 0.5, day: int = DAY - 2) -> FruitState:
    return FruitState(day, 50.0 - behind, error, 20, 50.0, behind, Notice("fruit.on_path"))


class TestDays:
    def test_a_day_counts_where_more_than_half_of_the_trees_gave_it(self) -> None:
        one = [TrunkDay(5, 1.0, 0.9, 0.10, 0.02), TrunkDay(6, 1.0, 0.8, 0.20, 0.02)]
        two = [TrunkDay(5, 1.0, 0.9, 0.30, None)]
        found = tree_days([one, two, []])
        assert [(d.day, d.trees) for d in found] == [(5, 2)]
        assert found[0].shrinkage_mm == pytest.approx(0.2) and found[0].growth_mm is None


class TestSignal:
    def days(self, stressed: float) -> list[TreeDay]:
        return [TreeDay(d, 0.05 * 5 if d < DAY - 6 else 0.05 * 5 * stressed, 0.04, 3) for d in range(DAY - 20, DAY)]

    ETO = {d: 5.0 for d in range(DAY - 20, DAY)}

    def test_shrinkage_over_that_of_the_same_trees_with_the_soil_full(self) -> None:
        found = tree_signal(self.days(1.6), self.ETO, frozenset(range(DAY - 20, DAY - 6)), DAY)
        assert isinstance(found, TreeSignal)
        assert found.intensity == pytest.approx(1.6) and found.growth_mm_d == pytest.approx(0.04)
        # three trees that differ by a quarter: 1.28 × 0.25 ÷ √3 of it on either side
        assert found.high - found.intensity == pytest.approx(1.2816 * 0.25 / 3**0.5 * 1.6, rel=1e-3)

    @pytest.mark.parametrize(("full", "told"), [(4, False), (5, True)])
    def test_five_days_with_the_soil_full_make_a_reference(self, full: int, told: bool) -> None:
        found = tree_signal(self.days(1.2), self.ETO, frozenset(range(DAY - 20, DAY - 20 + full)), DAY)
        assert isinstance(found, TreeSignal) is told

    def test_dull_days_say_nothing(self) -> None:
        dull = {d: 1.4 if d >= DAY - 6 else 5.0 for d in self.ETO}
        found = tree_signal(self.days(1.6), dull, frozenset(range(DAY - 20, DAY - 6)), DAY)
        assert isinstance(found, Notice) and found.code == "trees.few_days"


class TestPlan:
    @pytest.mark.parametrize(("low", "word"), [(1.29, "on plan"), (1.31, "stressed")])
    def test_stressed_beyond_the_error(self, low: float, word: str) -> None:
        found = against_plan(TreeEvidence(signal(low + 0.1)), PLAN, DAY)
        assert found is not None and found.word == word

    @pytest.mark.parametrize(
        ("high", "growth", "word"), [(1.29, 0.05, "ahead"), (1.31, 0.05, "on plan"), (1.2, 0.04, "on plan")]
    )
    def test_ahead_where_they_shrink_less_and_grow_as_planned(self, high: float, growth: float, word: str) -> None:
        found = against_plan(TreeEvidence(signal(high - 0.1, growth=growth)), TreePlan(1.3, 0.05), DAY)
        assert found is not None and found.word == word

    @pytest.mark.parametrize(
        ("behind", "word"), [(1.1, "stressed"), (0.9, "on plan"), (-1.1, "ahead"), (-0.9, "on plan")]
    )
    def test_fruit_off_its_path_beyond_twice_its_error(self, behind: float, word: str) -> None:
        found = against_plan(TreeEvidence(Notice("trees.few_days", days=0, wanted=3), fruit(behind)), BOTH, DAY)
        assert found is not None and found.word == word

    @pytest.mark.parametrize(("ago", "heard"), [(14, True), (15, False)])
    def test_a_sample_speaks_for_two_weeks(self, ago: int, heard: bool) -> None:
        found = against_plan(TreeEvidence(signal(1.3), fruit(3.0, day=DAY - ago)), TreePlan(None, fruit=True), DAY)
        assert (found is not None) is heard

    def test_trees_and_fruit_that_disagree_move_nothing(self) -> None:
        found = against_plan(TreeEvidence(signal(1.6), fruit(-3.0)), BOTH, DAY)
        assert found is not None and found.word == "apart"
        alone = against_plan(TreeEvidence(signal(1.6), fruit(-3.0)), PLAN, DAY)
        assert alone is not None and alone.word == "stressed"
        assert against_plan(TreeEvidence(signal(1.6), fruit(-3.0)), None, DAY) is None

    def test_no_signal_is_said(self) -> None:
        found = against_plan(TreeEvidence(Notice("trees.no_shrinkage")), PLAN, DAY)
        assert found is not None and found.word == "not known" and "trees.no_shrinkage" in codes(found.notice)


class TestAdvice:
    def advised(self, theta: float, intensity: float, **rules: object) -> BlockAnalysis:
        given = replace(block(), calendar=CALENDAR, crop="tomato", rules=BlockRules(shrinkage_most=1.3, **rules))  # type: ignore[arg-type]
        return analyse(
            replace(given, trees=TreeEvidence(signal(intensity))), readings(theta, 0.0067), NO_WATER, moment()
        )

    def test_stressed_trees_bring_water_forward(self) -> None:
        assert self.advised(0.25, 1.35).advice.group == "leave"
        found = self.advised(0.25, 1.6).advice
        assert found.group == "act" and found.reason[0].code == "trees.sooner" and found.advised is not None

    @pytest.mark.parametrize(("share", "group"), [(0.29, "leave"), (0.31, "act")])
    def test_but_not_where_the_soil_is_nearly_full(self, share: float, group: str) -> None:
        # 120 mm of available water in 60 cm, half of it allowed: the trigger is 60 mm
        found = self.advised(0.30 - share * 60 / 600, 1.6).advice
        assert found.group == group
        assert ("trees.soil_full" in codes(found.notices)) is (group == "leave")

    def test_growth_ahead_of_plan_holds_water(self) -> None:
        assert self.advised(0.198, 1.3).advice.group == "act"
        found = self.advised(0.198, 1.0).advice
        assert found.group == "coming" and found.reason[0].code == "trees.hold"
        assert found.not_sooner is not None and "trees.hold" in codes(found.not_sooner)

    @pytest.mark.parametrize(("past", "group"), [(0.09, "coming"), (0.11, "act")])
    def test_but_not_longer_than_a_tenth_of_the_water_past_its_trigger(self, past: float, group: str) -> None:
        assert self.advised(0.30 - (60 + past * 120) / 600, 1.0).advice.group == group
