import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.decision import Group
from embalse.core.advice.projection import layer_water_mm, layers_ahead_mm, shown_days, storage_fan, storage_ticks_mm
from embalse.core.advice.ranking import day_notices, urgency
from embalse.core.advice.soaking import NO_WATER, GivenWater
from embalse.core.advice.what_if import what_if
from embalse.core.delivery.delivery import Emitters, application_rate_mm_h, gross_mm, set_time_h
from embalse.core.delivery.irrigation_rules import SetLimits, check_limits
from embalse.core.delivery.set_amount import advised_set
from embalse.core.errors import CalibrationError, CoreError, DeliveryError
from embalse.core.root_zone.block import Block, SensorReadings
from embalse.core.sensors.calibration import calibration_at, calibration_source, check_calibration, linear
from embalse.core.wording import Notice, sentences
from tests.core.build import DAY, DEPTHS, MOMENT, NOW, block, codes, drying, readings, station, values_of

NONE = NO_WATER


def advise(given: Block, values: dict[str, SensorReadings]):  # type: ignore[no-untyped-def]
    return analyse(given, values, NONE, MOMENT)


def test_the_working_adds_up_line_by_line() -> None:
    result = advise(block(), readings(0.22, 0.004))
    value = {line.key: line.value for line in result.lines}
    assert value["full_mm"] == pytest.approx(180) and value["storage_mm"] == pytest.approx(132)
    assert value["depletion_mm"] == pytest.approx(value["full_mm"] - value["storage_mm"])
    assert value["allowable_mm"] == pytest.approx(value["taw_mm"] * value["allowable_fraction"])
    assert value["left_mm"] == pytest.approx(value["allowable_mm"] - value["depletion_mm"])
    assert value["days_to_refill"] == pytest.approx(value["left_mm"] / value["use_mm_d"])
    assert value["net_mm"] == pytest.approx(value["start_depletion_mm"] * value["wetted_fraction"])
    assert value["gross_mm"] == pytest.approx(value["net_mm"] / value["efficiency_fraction"])
    assert value["set_time_h"] == pytest.approx(value["gross_mm"] / value["rate_mm_h"])
    assert all(line.source.title for line in result.lines)


@pytest.mark.parametrize(
    ("theta", "use", "group"),
    [(0.19, 0.004, "act"), (0.203, 0.006, "act"), (0.22, 0.005, "coming"), (0.28, 0.002, "leave")],
)
def test_groups_follow_the_days(theta: float, use: float, group: str) -> None:
    assert advise(block(), readings(theta, use)).advice.group == group


def test_today_refills_what_is_gone_and_later_what_may_go() -> None:
    today, later = advise(block(), readings(0.18)).advice.advised, advise(block(), readings(0.22, 0.004)).advice.advised
    assert today is not None and later is not None
    assert today.start_depletion_mm == pytest.approx(72)
    assert later.start_depletion_mm == pytest.approx(60)


def test_practical_limits_cut_the_set_and_say_so() -> None:
    large = advise(block(limits=SetLimits(0.5, 5, 20)), readings(0.15))
    assert large.advice.advised is not None
    assert (large.advice.advised.net_mm, large.advice.advised.limited_by) == (20, "largest")
    assert values_of(large.advice.reason, "reason.after_largest")["left_mm"] == pytest.approx(25)
    small = advised_set(4, SetLimits(0.5, 5, 20), None)
    assert (small.net_mm, small.limited_by, small.set_time_h) == (5, "smallest", None)


def test_stale_readings_stop_the_advice_and_say_since_when() -> None:
    old = {f"a/{d:g}": drying(age_h=91) for d in DEPTHS}
    result = advise(block(), old)
    assert result.advice.group == "none"
    assert codes(result.advice.reason) == ["reason.no_advice", "at.station", "missing.silent"]
    assert values_of(result.advice.reason, "missing.silent")["ago_days"] == pytest.approx(91 / 24)
    assert result.last_reading_at == NOW - 91 * 3600


def test_uncalibrated_signals_are_an_index_and_not_water() -> None:
    counts = {f"a/{d:g}": drying(600.0, 5) for d in DEPTHS}
    result = advise(block((station(raw_unit="count"),)), counts)
    assert values_of(result.advice.reason, "missing.not_calibrated") == {"unit": "count"}


def test_an_impossible_water_content_is_kept_out() -> None:
    values = readings()
    values["a/30"] = drying(0.95)
    result = advise(block(), values)
    assert values_of(result.cautions, "caution.filled_in")["depth_cm"] == 30
    assert values_of(result.cautions, "impossible.above") == {"theta": 0.95}
    assert result.state is not None


def test_a_station_without_readings_is_named_and_widens_the_answer() -> None:
    two = block((station("a"), station("b")))
    both, one = advise(two, readings(stations=("a", "b"))), advise(two, readings(stations=("a",)))
    assert both.state is not None and one.state is not None
    assert one.state.error_mm > both.state.error_mm
    assert values_of(one.cautions, "caution.left_out") == {"station": "station b", "why": Notice("missing.none_yet")}


def test_stations_that_disagree_are_named() -> None:
    values = readings(0.28, stations=("a",)) | readings(0.20, stations=("b",))
    assert "caution.disagree" in codes(advise(block((station("a"), station("b"))), values).cautions)


def test_without_dawns_there_is_a_level_but_no_date() -> None:
    values = {f"a/{d:g}": SensorReadings(NOW, 0.25) for d in DEPTHS}
    result = advise(block(), values)
    assert result.advice.group == "none" and result.state is not None
    assert values_of(result.advice.why_no_date, "no_trend.few_days")["steps"] == 0


def test_what_is_not_given_is_named() -> None:
    from dataclasses import replace

    assert "no_advice.root_depth" in codes(advise(replace(block(), roots=None), readings()).advice.reason)
    assert "no_advice.allowable" in codes(advise(replace(block(), allowable=None), readings()).advice.reason)
    assert "no_advice.station" in codes(advise(replace(block(), stations=()), readings()).advice.reason)
    assert "no_advice.soil" in codes(advise(replace(block(), horizons=()), readings()).advice.reason)
    assert "caution.no_system" in codes(advise(replace(block(), system=None), readings()).cautions)


def test_a_wet_day_is_not_use() -> None:
    values = {f"a/{d:g}": drying(0.25, 0.01, days=8) for d in DEPTHS}
    dry = analyse(block(), values, NONE, MOMENT)
    wet = analyse(block(), values, GivenWater(frozenset(range(DAY - 8, DAY))), MOMENT)
    assert dry.use is not None and wet.use is None


def test_what_if_changes_what_follows_and_keeps_the_rest() -> None:
    before, after = (
        advise(block(), readings(0.18)),
        advise(what_if(block(), {"efficiency_fraction": 0.4}), readings(0.18)),
    )
    assert before.advice.advised is not None and after.advice.advised is not None
    assert after.advice.advised.gross_mm == pytest.approx(2 * before.advice.advised.gross_mm)
    assert after.state == before.state
    line = next(line for line in after.lines if line.key == "efficiency_fraction")
    assert (line.source.title, line.source.detail) == ("what if", "instead of 0.8")


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"efficiency_fraction": 0.0}, "efficiency_fraction"),
        ({"efficiency_fraction": 1.2}, "efficiency_fraction"),
        ({"allowable_depletion_fraction": 1.0}, "allowable_depletion_fraction"),
        ({"rate_mm_h": -1.0}, "rate_mm_h"),
        ({"area_ha": 3.0}, "area_ha"),
    ],
)
def test_what_if_refuses_what_makes_no_sense(changes: dict[str, float], field: str) -> None:
    with pytest.raises(CoreError) as refused:
        what_if(block(), changes)
    assert refused.value.field == field


def test_every_change_reaches_the_working() -> None:
    changes = {
        "root_depth_cm": 40.0,
        "allowable_depletion_fraction": 0.3,
        "wetted_fraction": 0.7,
        "rate_mm_h": 3.0,
        "max_set_mm": 12.0,
    }
    result = advise(what_if(block(), changes), readings(0.18))
    values = {line.key: line.value for line in result.lines}
    assert values["root_depth_cm"] == 40 and values["allowable_fraction"] == 0.3
    assert values["wetted_fraction"] == 0.7 and values["rate_mm_h"] == 3 and values["net_mm"] == 12


@pytest.mark.parametrize(
    "call",
    [
        lambda: gross_mm(10, 0),
        lambda: gross_mm(10, 1.01),
        lambda: set_time_h(10, 0),
        lambda: application_rate_mm_h(Emitters(0, 1, 1)),
        lambda: check_limits(SetLimits(0.0)),
        lambda: check_limits(SetLimits(0.5, 30, 10)),
        lambda: check_calibration(linear(0, 0, 0.1)),
        lambda: check_calibration(linear(0, 1, 0.1, 0.5)),
    ],
)
def test_stated_limits_are_checked(call) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(CoreError) as refused:
        call()
    assert isinstance(refused.value, DeliveryError | CalibrationError | CoreError)
    assert refused.value.reason


def test_calibrations_hold_from_their_day() -> None:
    old, new = linear(100, 1, 0), linear(200, 2, 0, 0.01, "weighed")
    assert calibration_at([new, old], "count", 99) is None
    assert calibration_at([new, old], "count", 150) is old
    assert calibration_at([new, old], "count", 200) is new
    finished = calibration_at([], "%", 0)
    assert finished is not None and finished.theta(23.4) == pytest.approx(0.234)
    assert "weighed" in calibration_source(new).detail
    assert values_of(calibration_source(finished).detail, "calibration.error_assumed") == {"error_theta": 0.03}


def test_the_round_puts_the_most_urgent_first() -> None:
    blocks = [advise(block(), readings(t, 0.004)) for t in (0.29, 0.15, 0.22, 0.19)]
    depletions = [a.state.depletion_mm for a in sorted(blocks, key=urgency) if a.state]
    assert depletions == sorted(depletions, reverse=True)


def test_the_day_in_words() -> None:
    def said(blocks: list[tuple[str, Group]], cautioned: int = 0, to_see: int = 0) -> str:
        return sentences(day_notices(blocks, cautioned, to_see))

    assert said([]) == "No blocks yet."
    assert said([("Mesa", "act"), ("Vega", "coming")]) == "Water Mesa today."
    many: list[tuple[str, Group]] = [("Mesa", "act"), ("Vega", "act"), ("Bajo", "none")]
    assert said(many, 2) == (
        "2 blocks need water today, Mesa first. 1 block without advice. Check 2 blocks before you trust the advice."
    )
    assert said([("Mesa", "leave")], 1, 3) == "No block needs water today. 3 stations to visit."


def test_the_future_is_drawn_down_to_its_limits() -> None:
    result = advise(block(), readings(0.25, 0.01))
    assert result.state is not None and result.use is not None and result.advice.days is not None
    assert result.inputs is not None
    ticks = storage_ticks_mm(result.inputs, result.use)
    assert len(ticks) == 4 and all(t > result.state.marks.refill_mm for t in ticks)
    fan = storage_fan(result.inputs, result.use)
    assert all(step.low_mm <= step.mid_mm <= step.high_mm for step in fan)
    assert shown_days(result.advice.days) == pytest.approx(5)
    states = [(s.layer, s.theta) for s in result.stations[0].state.layers] if result.stations[0].state else []
    before = sum(layer_water_mm(*one) for one in states)
    days = layers_ahead_mm(states, [6.0, 6.0, 500.0], 60)
    assert sum(days[0]) == pytest.approx(before - 6) and sum(days[1]) == pytest.approx(before - 12)
    lost = [layer_water_mm(*one) - left for one, left in zip(states, days[0], strict=True)]
    assert lost == sorted(lost, reverse=True) and days[2] == pytest.approx([0.0] * len(states))
    full = layers_ahead_mm(states, [-500.0], 60)[0]
    assert full == pytest.approx([layer_water_mm(layer, layer.theta_full) for layer, _ in states])


def test_a_wet_top_over_a_dry_subsoil_is_named() -> None:
    from embalse.core.advice.cautions import uneven_caution

    values = readings(0.15, 0.002) | {"a/10": drying(0.29, 0.002)}
    result = advise(block(), values)
    assert values_of(result.cautions, "caution.dry_below") == {"from_cm": 20}
    assert "caution.dry_below" not in codes(advise(block(), readings(0.15)).cautions)
    assert result.stations[0].state is not None
    assert uneven_caution(result.stations[0].state.layers[:1]) is None
