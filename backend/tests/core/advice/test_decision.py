"""When and how much: every rule over the one before it, each with its reason."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.decision import Advice
from embalse.core.advice.decision_inputs import filling_need_mm
from embalse.core.advice.season_end import drying_days, last_irrigation, window_advice
from embalse.core.advice.soaking import NO_WATER
from embalse.core.advice.triggers import usual_uptake_share
from embalse.core.crop.stages import CropCalendar
from embalse.core.delivery.capacity import capacity_shortfall
from embalse.core.delivery.delivery import IrrigationSystem, Supply
from embalse.core.delivery.infiltration import cycle_and_soak, wait_before_reading_h
from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow, Order, SetLimits, check_rules, check_window
from embalse.core.delivery.moving_systems import Pivot
from embalse.core.delivery.set_amount import SetRules, advised_set
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block, Moment
from embalse.core.weather.weather_outlook import Forecast, PastDay, outlook
from embalse.core.wording import Notice, text
from tests.core.build import DAY, MOMENT, block, codes, drying, notices, readings, values_of

CALENDAR = CropCalendar(DAY - 60, (10, 10, 200, 10), (0.4, 1.0, 0.5), "test")
NONE = NO_WATER


def moment(eto: float = 2.0, rain: float = 0.0, chance: float = 1.0) -> Moment:
    past = {d: PastDay(2.0, "given") for d in range(DAY - 30, DAY)}
    members = np.zeros((10, 10))
    members[: round(10 * chance), 1] = rain
    weather = outlook(past, Forecast(0.0, DAY, np.full((10, 10), eto), members, "made up"), DAY)
    return replace(MOMENT, outlook=weather)


def advise(given: Block | None = None, theta: float = 0.25, use: float = 0.0067, when: Moment | None = None) -> Advice:
    found = replace(given or block(), calendar=CALENDAR, crop="tomato")
    return analyse(found, readings(theta, use), NONE, when or moment()).advice


def with_rules(**rules: object) -> Block:
    return replace(block(), rules=BlockRules(**rules))  # type: ignore[arg-type]


def said(advice: Advice, kind: str) -> Notice | None:
    return next((n for n in advice.notices if n.kind == kind), None)


def test_the_date_comes_from_the_weather_when_it_is_known() -> None:
    # 2 mm/day over the ground is 4 in the wetted half; 30 mm of 60 are left
    usual, hot = advise(), advise(when=moment(eto=4.0))
    assert usual.days is not None and usual.days.mid == pytest.approx(7.5, abs=0.5) and usual.group == "leave"
    assert hot.days is not None and hot.days.mid == pytest.approx(3.75, abs=0.3) and hot.group == "coming"
    assert usual.not_sooner == Notice("not_sooner.forecast", until_day=DAY + 7, room_mm=pytest.approx(15))


def test_lead_time_and_caution_bring_it_forward() -> None:
    late = advise(when=moment(4.0))
    early = advise(with_rules(lead_days=3.0), when=moment(4.0))
    assert late.group == "coming" and early.group == "act" and values_of(early.reason, "reason.lead")["lead_days"] == 3
    assert early.start_by_days == pytest.approx(late.days.mid - 3)  # type: ignore[union-attr]
    careful = advise(with_rules(cautious=True, lead_days=2.3), when=moment(4.0))
    assert careful.group == "act" and "reason.cautious" in codes(careful.reason)


def test_any_layer_and_upper_tension_call_earlier_than_the_root_zone() -> None:
    given = replace(block(), calendar=CALENDAR)
    values = readings(0.27, 0.004)
    values["a/10"] = drying(0.205, 0.004)
    plain, layer = (
        analyse(replace(given, rules=BlockRules(trigger=t)), values, NONE, moment()).advice  # type: ignore[arg-type]
        for t in ("root zone", "any layer")
    )
    assert plain.days is not None and layer.days is not None and layer.days.mid < 0.5 * plain.days.mid
    assert said(layer, "trigger") == Notice("trigger.rule", trigger=Notice("rule.any_layer"))
    rules = BlockRules(trigger="upper tension", tension_kpa=30.0, tension_to_cm=20.0)
    tension = analyse(replace(given, rules=rules), values, NONE, moment()).advice
    assert tension.group == "act" and values_of(said(tension, "trigger"), "rule.upper_tension") == {
        "to_cm": 20,
        "trigger_kpa": 30,
    }
    deep = BlockRules(trigger="upper tension", tension_kpa=30.0, tension_to_cm=5.0)
    none = analyse(replace(given, rules=deep), values, NONE, moment()).advice
    assert none.trigger is not None and none.trigger.rule.code == "rule.no_upper_sensor"


@pytest.mark.published(source="common practice, no source: 40, 30, 20 and 10 % by quarters of the root depth")
def test_roots_take_more_from_above() -> None:
    shares = [usual_uptake_share(top, top + 15, 60) for top in (0, 15, 30, 45, 60)]
    assert shares == pytest.approx([0.4, 0.3, 0.2, 0.1, 0.0])


def test_a_spell_beyond_capacity_starts_it_early_and_says_so() -> None:
    small = replace(block(), system=IrrigationSystem("drip", 0.1, 1.0), supply=Supply("well", None, 20.0))
    pressed = advise(small, when=moment(eto=4.0))
    assert pressed.shortfall is not None and pressed.shortfall.shortfall_mm_d == pytest.approx(2.0, abs=0.3)
    assert pressed.group == "act" and codes(pressed.reason) == ["capacity.stress"]
    assert advise(replace(small, system=IrrigationSystem("drip", 2.0, 1.0)), when=moment(3.0)).shortfall is None


def test_a_shortfall_that_can_be_bridged_has_its_last_day() -> None:
    assert capacity_shortfall([5.0] * 5, 6.0, 0.0, 20.0) is None
    found = capacity_shortfall([6.0, 9.0, 9.0, 6.0], 7.0, 10.0, 20.0)
    assert found is not None and (found.start_day, found.stress_day) == (1, None)
    hopeless = capacity_shortfall([9.0] * 10, 2.0, 15.0, 20.0)
    assert hopeless is not None and hopeless.start_day is None and hopeless.stress_day == 0
    assert hopeless.short_mm == pytest.approx(15 + 70 - 20)


def test_rain_that_is_likely_leaves_room_and_may_do_the_work() -> None:
    act = advise(theta=0.199)
    room = advise(theta=0.199, when=moment(rain=8.0))
    assert act.advised is not None and room.advised is not None
    assert room.advised.net_mm == pytest.approx(act.advised.net_mm - 4, abs=0.1)
    assert values_of(said(room, "rain"), "rain.room")["room_mm"] == pytest.approx(4)
    unlikely = advise(theta=0.199, when=moment(rain=8.0, chance=0.3))
    assert unlikely.advised is not None and unlikely.advised.net_mm == pytest.approx(act.advised.net_mm)
    # 60 mm are missing in the wetted half: 40 mm of rain over everything bring 40 of them, not 60
    assert advise(theta=0.199, when=moment(rain=40.0)).group == "act"
    hold = advise(theta=0.199, when=moment(rain=70.0))
    assert hold.group == "coming" and values_of(hold.reason, "rain.hold")["likely_mm"] == 70
    assert codes(hold.not_sooner) == ["not_sooner.binding", "rain.hold"]
    entered = advise(with_rules(rain_room_mm=5.0), theta=0.199)
    assert entered.advised is not None and entered.advised.net_mm == pytest.approx(act.advised.net_mm - 5)


def test_windows_hold_water_back_or_bring_it_forward() -> None:
    cut = DryWindow("cutting", DAY + 2, DAY + 5, 20.0)
    held = advise(replace(block(), windows=(cut,)), theta=0.199)
    assert held.group == "coming" and codes(held.reason) == ["window.hold"]
    assert held.start_by_days == pytest.approx(6)
    assert window_advice(cut, DAY, 1, 3.0).action == "before"
    assert window_advice(cut, DAY, 1, 30.0).action == "none" and window_advice(cut, DAY + 6, 1, 3.0).notice is None
    last = replace(cut, ends_season=True)
    assert codes(advise(replace(block(), windows=(last,)), theta=0.199).reason) == ["window.hold_to_end"]
    assert drying_days(12.0, [6.0] * 10, 0.5) == 4 and drying_days(5.0, [], 0.5) == 365


def test_the_season_ends_when_store_is_enough() -> None:
    over = advise(with_rules(last_day=DAY + 4), theta=0.25)
    assert over.group == "leave" and over.advised is None and codes(over.reason) == ["season.finishes"]
    not_yet = advise(with_rules(last_day=DAY + 13, end_share=0.4), theta=0.22)
    assert codes(said(not_yet, "season")) == ["season.short"]
    exact = last_irrigation([5.0] * 10, 10.0, 20.0, 60.0)
    assert (exact.short_mm, exact.finishes, exact.last_set_day) == (0.0, True, 0)
    short = last_irrigation([5.0] * 10, 0.0, 20.0, 60.0)
    assert (short.short_mm, short.finishes) == (10.0, False)
    assert last_irrigation([5.0] * 30, 0.0, 20.0, 60.0).last_set_day == 18


def test_a_person_stands_over_the_advice() -> None:
    hold = Order("hold", DAY + 2, "the pump is being mended", "Ana")
    held = advise(replace(block(), orders=(hold,)), theta=0.19)
    assert held.group == "leave" and values_of(held.reason, "order.hold") == {
        "until_day": DAY + 2,
        "who": "Ana",
        "note": "the pump is being mended",
    }
    water = Order("water", DAY, "hot wind tomorrow", net_mm=7.0)
    ordered = advise(replace(block(), orders=(hold, water)), theta=0.28)
    assert ordered.group == "act" and ordered.advised is not None and ordered.advised.net_mm == 7.0
    over = advise(replace(block(), orders=(replace(hold, until=DAY - 1),)), theta=0.19)
    assert over.group == "act" and said(over, "order") is None


def test_an_order_stands_where_nothing_else_is_known() -> None:
    blind = replace(block(), orders=(Order("hold", DAY, "wires are being laid"),))
    held = analyse(blind, {}, NONE, MOMENT).advice
    assert held.group == "leave" and held.ordered == "hold" and codes(held.reason) == ["order.hold"]
    assert held.why_no_date == Notice("at.station", station="station a", what=Notice("missing.none_yet"))
    dosed = replace(block(), orders=(Order("water", DAY, "frost tonight", net_mm=6.0),))
    ordered = analyse(dosed, {}, NONE, MOMENT).advice
    assert ordered.group == "act" and ordered.advised is not None and ordered.advised.net_mm == 6.0


def test_amounts_keep_to_targets_doses_and_layers() -> None:
    drip = IrrigationSystem("drip", 2.0, 0.9)
    kept = advised_set(60.0, SetLimits(0.5), drip, SetRules(below_full_mm=20.0, deep_extra_mm=4.0))
    assert kept.net_mm == pytest.approx(22.0) and kept.gross_mm == pytest.approx(22 / 0.9)
    assert advised_set(60.0, SetLimits(0.5), drip, SetRules(fixed_dose_mm=9.0)).net_mm == 9.0
    assert advised_set(10.0, SetLimits(0.5), drip, SetRules(rain_room_mm=50.0)).uncut_net_mm == 0.0
    part = advise(with_rules(fill_share=0.8), theta=0.19)
    whole = advise(theta=0.19)
    assert part.advised is not None and whole.advised is not None
    assert whole.advised.net_mm - part.advised.net_mm == pytest.approx(0.2 * 120 * 0.5)


def test_water_above_full_fills_what_lies_below_it_only() -> None:
    def need(top: float, middle: float, bottom: float) -> float:
        values = {"a/10": drying(top), "a/30": drying(middle), "a/50": drying(bottom)}
        state = analyse(block(), values, NONE, MOMENT).stations[0].state
        assert state is not None
        return filling_need_mm(state.layers)

    assert need(0.35, 0.25, 0.30) == pytest.approx(0.0)
    assert need(0.25, 0.30, 0.35) == pytest.approx(10.0)
    assert need(0.25, 0.25, 0.25) == pytest.approx(30.0)


def test_leaching_takes_the_larger_loss_and_refuses_brine() -> None:
    salt = advise(with_rules(ec_water_ds_m=2.0, ec_soil_ds_m=1.5), theta=0.19)
    assert salt.advised is not None and salt.advised.kept_fraction == pytest.approx(1 - 2 / 5.5)
    mild = advise(with_rules(ec_water_ds_m=0.2), theta=0.19)
    assert mild.advised is not None and mild.advised.kept_fraction == 0.8
    assert "salty" in text(advise(with_rules(ec_water_ds_m=19.0, ec_soil_ds_m=1.0), theta=0.19).reason)


def test_pulses_where_the_rate_beats_the_soil() -> None:
    micro = replace(block(), system=IrrigationSystem("micro", 3.0, 1.0), rules=BlockRules(max_rate_mm_h=3.0))
    given = advise(micro, theta=0.19)
    assert given.advised is not None and given.advised.pulses is not None
    pulses = given.advised.pulses
    assert pulses.count * pulses.on_h == pytest.approx(given.advised.set_time_h)
    assert (
        pulses.on_h <= 1
        and pulses.pause_h == pytest.approx(pulses.on_h)
        and codes(said(given, "pulses")) == ["pulses.give"]
    )
    drip = replace(micro, system=IrrigationSystem("drip", 3.0, 1.0))
    assert advise(drip, theta=0.19).advised.pulses is None  # type: ignore[union-attr]
    assert cycle_and_soak(10, 3, 5) is None and wait_before_reading_h("clay") > wait_before_reading_h("sand")
    with pytest.raises(CoreError, match="more than 0"):
        cycle_and_soak(0, 3, 2)


def test_a_pivot_says_its_turn_and_why_not_less() -> None:
    pivot = Pivot(400, 180, 18, depth_at_full_mm=8)
    given = advise(replace(block(), system=IrrigationSystem("pivot", 8 / 18, 1.0, pivot=pivot)), theta=0.296, use=0.001)
    assert given.advised is not None
    assert given.advised.limited_by == "" and given.advised.timer_fraction == pytest.approx(8 / 30)
    small = advised_set(4.0, SetLimits(1.0), IrrigationSystem("pivot", 8 / 18, 1.0, pivot=pivot))
    assert small.limited_by == "turn" and small.timer_fraction == pytest.approx(1.0)


def test_waiting_past_the_ready_water_has_a_price() -> None:
    late = advise(replace(block(allowable=0.8)), theta=0.25)
    assert codes(said(late, "deficit")) == ["deficit.yield"] and said(advise(), "deficit") is None


@pytest.mark.parametrize(
    ("rules", "field"),
    [({"trigger": "upper tension"}, "tension_kpa"), ({"trigger": "upper tension", "tension_kpa": 30.0}, "tension_to_cm"),
     ({"lead_days": 50.0}, "lead_days"), ({"fill_share": 0.0}, "fill_share"), ({"ec_water_ds_m": -1.0}, "ec_water_ds_m"),
     ({"trigger": "feeling"}, "trigger"), ({"end_share": 1.0}, "end_share")],
)  # fmt: skip
def test_rules_that_make_no_sense_are_refused(rules: dict[str, object], field: str) -> None:
    with pytest.raises(CoreError) as refused:
        check_rules(BlockRules(**rules))  # type: ignore[arg-type]
    assert refused.value.field == field


def test_a_window_must_end_after_it_begins() -> None:
    with pytest.raises(CoreError, match="before the day"):
        check_window(DryWindow("cutting", 10, 9))


def test_the_working_of_a_date_by_weather_adds_up() -> None:
    given = replace(block(), calendar=CALENDAR, crop="tomato", rules=BlockRules(lead_days=1.0, ec_water_ds_m=2.0))
    result = analyse(given, readings(0.24, 0.0067), NONE, moment(4.0, rain=6.0, chance=0.6))
    value = {line.key: line.value for line in result.lines}
    assert value["start_by_days"] == pytest.approx(value["days_to_refill"] - 1)  # type: ignore[operator]
    ahead = value["kc"] * value["eto_mm_d"] / value["use_wetted_fraction"] * value["use_factor"]  # type: ignore[operator]
    assert ahead == pytest.approx(value["use_mm_d"]) == pytest.approx(8.0, rel=0.12)
    assert value["gross_mm"] == pytest.approx(value["net_mm"] / given.system.efficiency_fraction)  # type: ignore[union-attr,operator]
    line = next(line for line in result.lines if line.key == "days_to_refill")
    assert {n["cause"] for n in notices(line.source.detail) if n.code == "detail.width"} >= {"weather", "calibration"}
