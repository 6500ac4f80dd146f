"""Decisions on both sides of every number, from inputs set by hand: what is missing, what is used, what is ahead."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import LEAST_FRACTION, MOST_FRACTION, analyse
from embalse.core.advice.cautions import supply_cautions
from embalse.core.advice.decision import Advice, DecisionInputs, binding_notice, decide, rain_ahead, rain_room_mm
from embalse.core.advice.season_end import drying_days, last_irrigation, window_advice
from embalse.core.advice.triggers import Trigger, usual_uptake_share
from embalse.core.advice.what_if import what_if
from embalse.core.crop.dry_down import DailyUse
from embalse.core.delivery.capacity import Capacity
from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow, SetLimits
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


class TestSupply:
    def of(self, flow: float | None, hours: float | None, set_h: float | None = 5.0) -> list[str]:
        return [n.code for n in supply_cautions(Supply("well", flow, hours), 2.0, 10.0, set_h)]

    def test_two_percent_over_the_flow_is_rounding(self) -> None:
        # 2 mm/h over 10 ha are 200 m³/h
        assert self.of(196.2, None) == [] and self.of(195.9, None) == ["caution.supply_flow"]
        assert self.of(200.0, None) == [] and self.of(None, None) == []

    def test_the_parts_it_takes_and_their_hours(self) -> None:
        [found] = supply_cautions(Supply("well", 90.0, None), 2.0, 10.0, 5.0)
        assert (found["parts"], found["each_h"], found["total_h"]) == (3, 5.0, 15.0)
        [unknown] = supply_cautions(Supply("well", 90.0, None), 2.0, 10.0, None)
        assert unknown["total_h"] is None

    @pytest.mark.parametrize(("hours", "codes"), [(5.0, []), (4.9, ["caution.supply_hours"])])
    def test_a_set_may_last_as_long_as_the_supply_runs(self, hours: float, codes: list[str]) -> None:
        assert self.of(None, hours) == codes and self.of(None, hours, None) == []


class TestSeasonEnd:
    def test_a_need_that_is_just_stored_finishes(self) -> None:
        assert last_irrigation([5.0] * 10, 0.0, 50.0, 100.0).finishes
        short = last_irrigation([5.0] * 10, 0.0, 50.1, 100.0)
        assert not short.finishes and short.short_mm == pytest.approx(0.1)
        assert last_irrigation([5.0] * 10, 10.0, 60.0, 100.0).finishes
        assert last_irrigation([5.0] * 10, 0.0, 120.0, 100.0).stored_mm == 0.0

    @pytest.mark.parametrize(("may_use", "last"), [(30.0, 4), (29.9, 5), (50.0, 0), (4.9, 10)])
    def test_the_day_from_which_a_full_root_zone_is_enough(self, may_use: float, last: int) -> None:
        assert last_irrigation([5.0] * 10, 0.0, 0.0, may_use).last_set_day == last

    def test_it_is_said_within_two_weeks_or_when_the_last_set_is_a_week_off(self) -> None:
        def told(days: int, last_set_day: int) -> bool:
            season = replace(last_irrigation([5.0] * days, 0.0, 90.0, 100.0), last_set_day=last_set_day)
            return said(decide(inputs(season=season)), "season") is not None

        assert told(14, 12) and told(40, 7) and not told(15, 8)

    def test_rain_is_named_from_half_a_millimetre(self) -> None:
        def rain(mm: float) -> float | None:
            season = last_irrigation([1.0] * 20, mm, 10.0, 100.0)
            notice = said(decide(inputs(season=season)), "season")
            assert notice is not None
            return notice["rain_mm"]  # type: ignore[return-value]

        assert rain(0.98) is None and rain(1.02) == pytest.approx(0.51)

    @pytest.mark.parametrize(("available", "days"), [(12.0, 4), (12.1, 5), (3.0, 1), (40.0, 14)])
    def test_the_top_dries_at_its_share_of_the_use(self, available: float, days: int) -> None:
        assert drying_days(available, [6.0] * 10, 0.5) == days

    def test_a_top_nothing_draws_from_never_dries(self) -> None:
        assert drying_days(5.0, []) == 365 and drying_days(5.0, [0.0, 0.0]) == 2 + 365


class TestWindows:
    WINDOW = DryWindow("harvest", DAY + 10, DAY + 14, 30.0)

    @pytest.mark.parametrize(
        ("dry_days", "refill_days", "action"),
        [(10, 5.0, "before"), (11, 5.0, "hold"), (4, 6.0, "none"), (4, 6.1, "before"), (4, 15.0, "before"),
         (4, 15.1, "none")],
    )  # fmt: skip
    def test_what_it_asks(self, dry_days: int, refill_days: float, action: str) -> None:
        assert window_advice(self.WINDOW, DAY, dry_days, refill_days).action == action

    def test_one_that_is_over_says_nothing(self) -> None:
        assert window_advice(self.WINDOW, DAY + 14, 1, 5.0).notice is not None
        assert window_advice(self.WINDOW, DAY + 15, 1, 5.0).notice is None

    @pytest.mark.parametrize(("until", "group"), [(5, "coming"), (6, "leave")])
    def test_held_for_less_than_a_week_is_coming(self, until: int, group: str) -> None:
        window = DryWindow("spraying", DAY, DAY + until, 30.0)
        found = decide(inputs(-5.0, today=DAY, windows=((window, 3),)))
        assert found.group == group and found.start_by_days == until + 1

    @pytest.mark.parametrize(("dry_days", "group"), [(9, "act"), (8, "coming")])
    def test_a_set_before_it_is_for_today_when_tomorrow_is_the_last_day(self, dry_days: int, group: str) -> None:
        found = decide(inputs(20.0, today=DAY, windows=((self.WINDOW, dry_days),)))
        assert found.group == group and said(found, "window") is not None


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


@pytest.mark.parametrize(
    ("top", "bottom", "share"), [(0, 15, 0.4), (15, 30, 0.3), (30, 45, 0.2), (45, 60, 0.1), (0, 60, 1.0), (60, 90, 0.0)]
)
def test_roots_take_forty_thirty_twenty_and_ten_percent_by_quarters(top: float, bottom: float, share: float) -> None:
    assert usual_uptake_share(top, bottom, 60.0) == pytest.approx(share)


@pytest.mark.parametrize(
    ("name", "right", "wrong"),
    [
        ("efficiency_fraction", (0.01, 1.0), (0.0, 1.01)),
        ("wetted_fraction", (0.01, 1.0), (0.0, 1.01)),
        ("allowable_depletion_fraction", (0.01, 0.99), (0.0, 1.0)),
        ("rain_room_mm", (0.0, 199.0), (-0.1, 200.0)),
        ("lead_days", (0.0, 199.0), (-0.1, 200.0)),
        ("root_depth_cm", (1.0, 999.0), (0.0, 1000.0)),
        ("rate_mm_h", (0.1, 999.0), (0.0, 1000.0)),
        ("max_set_mm", (0.1, 999.0), (0.0, 1000.0)),
    ],
)
def test_what_may_be_tried_lies_between_its_ends(name: str, right: tuple[float, ...], wrong: tuple[float, ...]) -> None:
    given = block(system=IrrigationSystem("drip", 2.0, 0.8), limits=SetLimits(0.5))
    for value in right:
        what_if(given, {name: value})
    for value in wrong:
        with pytest.raises(CoreError) as refused:
            what_if(given, {name: value})
        assert refused.value.field == name


def test_nothing_else_may_be_tried() -> None:
    with pytest.raises(CoreError, match="cannot be changed"):
        what_if(block(), {"area_ha": 3.0})
    with pytest.raises(CoreError, match="no irrigation system"):
        what_if(replace(block(), system=None), {"rate_mm_h": 3.0})
    assert np.isclose(what_if(block(), {"wetted_fraction": 0.7}).limits.wetted_fraction, 0.7)
