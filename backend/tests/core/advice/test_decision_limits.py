"""Decisions on both sides of every number, from inputs set by hand: what is missing, what is used, what is ahead."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import LEAST_FRACTION, MOST_FRACTION, analyse
from embalse.core.advice.decision import Advice, DecisionInputs, binding_notice, decide, rain_ahead, rain_room_mm
from embalse.core.advice.triggers import Trigger
from embalse.core.crop.dry_down import DailyUse
from embalse.core.delivery.capacity import Capacity
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.errors import CoreError
from embalse.core.sources import Source, Sourced
from embalse.core.wording import Notice
from tests.core.advice.test_decision import CALENDAR, NONE, moment, said
from tests.core.build import DAY, MOMENT, block, readings

USE = DailyUse(4.0, 3.0, 5.0, 6, DAY - 7, DAY, True)


def inputs(
    left_mm: float = 40.0, use_mm_d: float = 4.0, depletion_mm: float | None = None, **more: object
) -> DecisionInputs:
    """A block of 120 mm available, its trigger so far ahead, without weather: 0.5 of the ground is wetted."""
    found = analyse(block(), readings(0.25, 0.0067), NONE, MOMENT).inputs
    assert found is not None
    state = found.state if depletion_mm is None else replace(found.state, depletion_mm=depletion_mm)
    use = replace(USE, mid_mm_d=use_mm_d, low_mm_d=0.75 * use_mm_d, high_mm_d=1.25 * use_mm_d)
    trigger = Trigger(state.depletion_mm + left_mm, Notice("rule.root_zone"))
    return replace(found, state=state, use=use, trigger=trigger, **more)  # type: ignore[arg-type]


def by_weather(left_mm: float = 40.0, when: object = None, **more: object) -> DecisionInputs:
    found = analyse(
        replace(block(), calendar=CALENDAR, crop="tomato"),
        readings(0.25, 0.0067),
        NONE,
        when or moment(),  # type: ignore[arg-type]
    ).inputs
    assert found is not None and found.course is not None
    trigger = Trigger(found.state.depletion_mm + left_mm, Notice("rule.root_zone"))
    return replace(found, trigger=trigger, **more)  # type: ignore[arg-type]


class TestGroups:
    @pytest.mark.parametrize(
        ("left", "group"),
        [(-0.1, "act"), (0.0, "act"), (3.9, "act"), (4.1, "coming"), (27.8, "coming"), (28.2, "leave")],
    )
    def test_due_within_a_day_is_now_and_within_seven_is_coming(self, left: float, group: str) -> None:
        assert decide(inputs(left)).group == group

    @pytest.mark.parametrize(("lead", "group"), [(0.0, "coming"), (3.9, "coming"), (4.1, "act")])
    def test_lead_time_is_taken_off(self, lead: float, group: str) -> None:
        found = decide(inputs(20.0, rules=BlockRules(lead_days=lead)))
        assert found.group == group and found.start_by_days == pytest.approx(max(0.0, 5.0 - lead))
        if group == "act":
            assert any(r.code == "reason.lead" for r in found.reason)

    def test_a_cautious_rule_goes_by_the_early_end(self) -> None:
        plain, cautious = decide(inputs(4.5)), decide(inputs(4.5, rules=BlockRules(cautious=True)))
        assert plain.group == "coming" and cautious.group == "act"
        assert any(r.code == "reason.cautious" for r in cautious.reason)
        assert plain.days == cautious.days and cautious.start_by_days is not None
        assert plain.days is not None and cautious.start_by_days == plain.days.low

    def test_how_far_past_it_is_said_from_half_a_millimetre(self) -> None:
        assert decide(inputs(-0.4)).reason[0].code == "reason.at_refill"
        past = decide(inputs(-0.6)).reason[0]
        assert past.code == "reason.past_refill"
        assert past["over_mm"] == pytest.approx(0.3) and past["strip_mm"] == pytest.approx(0.6)

    @pytest.mark.parametrize(("depletion", "code"), [(-0.4, "reason.above_refill"), (-0.6, "reason.above_full")])
    def test_above_full_is_said_from_half_a_millimetre(self, depletion: float, code: str) -> None:
        found = decide(inputs(40.0, depletion_mm=depletion))
        assert found.reason[0].code == code

    def test_a_hair_above_it_is_not_past_it(self) -> None:
        assert decide(inputs(0.5)).reason[0].code == "reason.above_refill"

    def test_the_strip_is_named_only_where_part_of_the_ground_is_wetted(self) -> None:
        whole = inputs(-5.0)
        assert decide(whole).reason[0]["strip_mm"] == pytest.approx(5.0)
        said_whole = decide(replace(whole, limits=replace(whole.limits, wetted_fraction=1.0))).reason[0]
        assert said_whole["strip_mm"] is None and said_whole["over_mm"] == pytest.approx(5.0)

    def test_use_is_said_over_the_block(self) -> None:
        assert decide(inputs(40.0)).reason[0]["use_mm_d"] == pytest.approx(2.0)
        assert decide(by_weather()).reason[0]["use_mm_d"] == pytest.approx(2.0, rel=0.1)

    def test_without_use_there_is_no_date_and_above_full_none_is_needed(self) -> None:
        none = CoreError("use", Notice("no_advice.station"))
        unknown = decide(inputs(use_mm_d=4.0, depletion_mm=10.0).__class__(**{**vars(inputs()), "use": none}))
        assert (unknown.group, unknown.days) == ("none", None)
        wet = replace(inputs(depletion_mm=-3.0), use=none)
        assert (
            decide(wet).group == "leave"
            and decide(replace(wet, state=replace(wet.state, depletion_mm=0.0))).group == "none"
        )


class TestRain:
    @pytest.mark.parametrize(("mm", "chance"), [(1.9, 0.0), (3.0, 1.0)])
    def test_two_millimetres_count_as_rain(self, mm: float, chance: float) -> None:
        found = rain_ahead(by_weather(when=moment(eto=0.5, rain=mm)).course)
        assert found is not None and found.chance == chance

    def test_a_member_of_just_two_millimetres_counts(self) -> None:
        course = by_weather(when=moment(rain=5.0)).course
        assert course is not None
        sums = (2.0, 1.99, 2.01, 0.0)
        found = rain_ahead(replace(course, means=replace(course.means, rain_sums_mm=sums, dry=False)))
        assert found is not None and found.chance == 0.5
        assert found.chance_of(2.0) == 0.5 and found.chance_of(2.005) == 0.25

    @pytest.mark.parametrize(("chance", "room"), [(0.5, 5.0), (0.4, 0.0)])
    def test_room_is_left_where_rain_is_as_likely_as_not(self, chance: float, room: float) -> None:
        given = by_weather()
        ahead = rain_ahead(given.course)
        assert ahead is not None
        assert rain_room_mm(given, replace(ahead, chance=chance, likely_mm=10.0)) == room
        entered = replace(given, rules=BlockRules(rain_room_mm=7.0))
        assert rain_room_mm(entered, replace(ahead, chance=0.0, likely_mm=10.0)) == 7.0
        assert rain_room_mm(given, None) == 0.0

    @pytest.mark.parametrize(("room", "told"), [(0.5, False), (0.6, True)])
    def test_room_is_spoken_of_above_half_a_millimetre(self, room: float, told: bool) -> None:
        given = by_weather(left_mm=-1.0, when=moment(rain=0.3), rules=BlockRules(rain_room_mm=room))
        assert (said(decide(given), "rain") is not None) is told

    def test_rain_that_is_sure_and_enough_does_the_work_of_a_set(self) -> None:
        sure = by_weather(left_mm=-1.0, when=moment(rain=90.0))
        held = decide(sure)
        assert held.group == "coming" and held.reason[0].code == "rain.hold"
        assert decide(replace(sure, rules=BlockRules(cautious=True))).group == "act"
        assert decide(by_weather(left_mm=-1.0, when=moment(rain=20.0))).group == "act"


class TestPressed:
    @pytest.mark.parametrize(("capacity", "said_so"), [(5.0, False), (1.0, True)])
    def test_a_system_that_keeps_up_is_not_spoken_of(self, capacity: float, said_so: bool) -> None:
        given = by_weather(capacity=Capacity(capacity, Notice("capacity.hours")))
        assert (said(decide(given), "capacity") is not None) is said_so

    def test_one_that_falls_behind_today_brings_the_start_forward(self) -> None:
        given = by_weather(left_mm=8.0, capacity=Capacity(0.5, Notice("capacity.hours")))
        found = decide(given)
        assert found.group == "act" and found.start_by_days == 0.0
        assert found.shortfall is not None and found.reason[0].kind == "capacity"
        assert binding_notice(found) == found.reason[0]


def deep(extra_mm: float) -> Advice:
    given = inputs(-5.0)
    return decide(replace(given, set_rules=replace(given.set_rules, deep_extra_mm=extra_mm)))


def test_deep_layers_are_spoken_of_from_more_than_a_millimetre() -> None:
    assert said(deep(1.0), "amount") is None
    found = said(deep(1.1), "amount")
    assert found is not None and found["extra_mm"] == pytest.approx(1.1)


@pytest.mark.parametrize(
    ("allowed_mm", "share"), [(1.0, LEAST_FRACTION), (2.5, 2.5 / 120), (60.0, 0.5), (119.0, MOST_FRACTION)]
)
def test_a_depletion_in_millimetres_becomes_a_share_within_bounds(allowed_mm: float, share: float) -> None:
    given = replace(block(), allowable_mm=Sourced(allowed_mm, Source("entry", "test")), allowable=None)
    state = analyse(given, readings(0.25, 0.0067), NONE, MOMENT).state
    assert state is not None and state.marks.allowable_mm == pytest.approx(share * state.marks.taw_mm)
