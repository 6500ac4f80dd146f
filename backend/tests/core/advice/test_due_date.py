"""A block due by one sensor's reading, or by days since water."""

from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.due_date import block_due, due_by_days, due_by_reading
from embalse.core.advice.soaking import NO_WATER, GivenSet, GivenWater
from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow, check_rules
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block, Sensor, SensorReadings
from tests.core.advice.test_decision import CALENDAR, moment
from tests.core.build import DAY, NOW, block, codes, readings, station

RULES = BlockRules(trigger="reading", reading_sensor="a/30", reading_value=60.0)
KPA = Sensor("a/30", 30.0, "kPa")
COUNT = Sensor("a/30", 30.0, "count")


def falling(latest: float = 40.0, step: float = 5.0, days: int = 6, **more: object) -> SensorReadings:
    """A sensor that dried by ``step`` a day to ``latest`` at dawn today."""
    numbers = np.arange(DAY - days + 1, DAY + 1)
    found = SensorReadings(NOW, latest, numbers, latest - step * (DAY - numbers))
    return replace(found, **more)  # type: ignore[arg-type]


class TestReading:
    def test_the_days_left_at_the_pace_of_the_last_dry_days(self) -> None:
        due = due_by_reading(RULES, KPA, falling(), (frozenset(), None), NOW)
        assert due.days is not None and due.days.mid == pytest.approx(4.0) and due.why_not is None

    def test_what_went_by_since_the_reading_is_taken_off(self) -> None:
        due = due_by_reading(RULES, KPA, falling(), (frozenset(), None), NOW + 86400)
        assert due.days is not None and due.days.mid == pytest.approx(3.0)

    @pytest.mark.parametrize(("latest", "now"), [(59.9, False), (60.0, True), (61.0, True)])
    def test_it_is_due_from_the_value_on(self, latest: float, now: bool) -> None:
        due = due_by_reading(RULES, KPA, falling(latest), (frozenset(), None), NOW)
        assert due.days is not None and (due.days.mid == 0) is now

    def test_a_sensor_nobody_calibrated_needs_only_the_way_it_goes(self) -> None:
        counts = falling(500.0, -20.0)
        lower = replace(RULES, reading_value=400.0, reading_drier="lower")
        due = due_by_reading(lower, COUNT, counts, (frozenset(), None), NOW)
        assert due.days is not None and due.days.mid == pytest.approx(5.0)
        untold = due_by_reading(replace(lower, reading_drier=None), COUNT, counts, (frozenset(), None), NOW)
        assert untold.days is None and untold.why_not is not None and untold.why_not.code == "due.which_way"

    @pytest.mark.parametrize(("days", "told"), [(3, False), (4, True)])
    def test_three_dry_days_make_a_pace(self, days: int, told: bool) -> None:
        due = due_by_reading(RULES, KPA, falling(days=days), (frozenset(), None), NOW)
        assert (due.days is not None) is told

    def test_days_with_water_make_no_pace(self) -> None:
        wet = frozenset(range(DAY - 4, DAY))
        due = due_by_reading(RULES, KPA, falling(), (wet, None), NOW)
        assert due.why_not is not None and due.why_not.code == "due.few_days"

    @pytest.mark.parametrize(("step", "told"), [(0.9, False), (1.1, True)])
    def test_a_reading_that_hardly_moves_gives_no_date(self, step: float, told: bool) -> None:
        # 20 are left: a twentieth of it a day is the least
        due = due_by_reading(RULES, KPA, falling(step=step), (frozenset(), None), NOW)
        assert (due.days is not None) is told

    @pytest.mark.parametrize(("after_s", "told"), [(0, True), (1, False)])
    def test_a_reading_from_before_the_last_water_tells_nothing(self, after_s: float, told: bool) -> None:
        due = due_by_reading(RULES, KPA, falling(62.0), (frozenset(), NOW + after_s), NOW + 7200)
        assert (due.days is not None) is told
        assert told or (due.why_not is not None and due.why_not.code == "due.water_since")

    def test_a_faulty_or_missing_reading_is_said(self) -> None:
        faulty = due_by_reading(RULES, KPA, falling(fault="flat"), (frozenset(), None), NOW)
        gone = block_due(RULES, [], {}, (frozenset(), None), NOW)
        assert (
            codes(faulty.why_not) == ["due.no_reading"]
            and gone is not None
            and codes(gone.why_not) == ["due.no_sensor"]
        )


class TestDays:
    @pytest.mark.parametrize(("ago", "left"), [(0.0, 2.0), (1.5, 0.5), (2.0, 0.0), (9.0, 0.0)])
    def test_days_since_the_last_water(self, ago: float, left: float) -> None:
        due = due_by_days(2.0, NOW - 86400 * ago, NOW)
        assert due.days is not None and due.days.mid == pytest.approx(left)

    def test_without_a_record_it_is_due_now(self) -> None:
        due = due_by_days(2.0, None, NOW)
        assert due.days is not None and due.days.mid == 0


class TestAdvice:
    def given(self, **rules: object) -> Block:
        return replace(block(), calendar=CALENDAR, crop="tomato", rules=BlockRules(**rules))  # type: ignore[arg-type]

    def test_light_sets_keep_a_surface_moist_while_the_root_zone_is_full(self) -> None:
        water = GivenWater(sets=(GivenSet(NOW - 3 * 86400, NOW - 3 * 86400 + 3600, 4.0),))
        given = self.given(trigger="surface", surface_days=2.0, fixed_dose_mm=5.0)
        found = analyse(given, readings(0.29, 0.001), water, moment())
        assert found.advice.group == "act" and found.advice.advised is not None
        assert found.advice.advised.net_mm == pytest.approx(5.0) and "rule.surface" in codes(found.advice.notices)

    def test_a_share_of_what_is_allowed_waters_sooner(self) -> None:
        whole = analyse(self.given(), readings(), NO_WATER, moment())
        half = analyse(self.given(trigger_share=0.5), readings(), NO_WATER, moment())
        assert whole.inputs is not None and half.inputs is not None
        assert half.inputs.trigger_mm == pytest.approx(whole.inputs.trigger_mm / 2)
        assert "rule.share" in codes(half.advice.notices)

    def test_a_single_tensiometer_without_a_described_soil_still_says_when(self) -> None:
        rules = BlockRules(trigger="reading", reading_sensor="a/30", reading_value=60.0, fixed_dose_mm=12.0)
        garden = replace(block((station(depths=(30.0,), raw_unit="kPa"),)), horizons=(), rules=rules)
        found = analyse(garden, {"a/30": falling(62.0)}, NO_WATER, moment())
        assert found.state is None and found.advice.group == "act" and codes(found.advice.reason)[0] == "due.now"
        assert found.advice.advised is not None and found.advice.advised.net_mm == pytest.approx(12.0)
        later = analyse(garden, {"a/30": falling(40.0)}, NO_WATER, moment())
        assert later.advice.group == "coming" and later.advice.days is not None
        assert later.advice.days.mid == pytest.approx(4.0)

    def garden(self, **more: object) -> Block:
        rules = BlockRules(trigger="reading", reading_sensor="a/30", reading_value=60.0, fixed_dose_mm=12.0)
        made = replace(block((station(depths=(30.0,), raw_unit="kPa"),)), horizons=(), rules=rules)
        return replace(made, **more)  # type: ignore[arg-type]

    @pytest.mark.parametrize(("ended_h_ago", "waits"), [(11.9, True), (12.1, False)])
    def test_nothing_is_given_on_a_set_that_is_still_soaking_in(self, ended_h_ago: float, waits: bool) -> None:
        end = NOW - 3600 * ended_h_ago
        water = GivenWater(sets=(GivenSet(end - 3600, end, 4.0),))
        found = analyse(self.garden(), {"a/30": falling(62.0)}, water, moment())
        assert (codes(found.advice.reason)[0] == "soak.wait") is waits
        assert (found.advice.group == "coming") is waits

    def test_a_running_set_is_waited_for(self) -> None:
        water = GivenWater(sets=(GivenSet(NOW - 3600, NOW + 3600, 4.0),))
        found = analyse(self.garden(), {"a/30": falling(62.0)}, water, moment())
        assert codes(found.advice.reason)[0] == "soak.running" and found.advice.group != "act"

    def test_bare_ground_is_not_watered_by_a_reading_or_by_days(self) -> None:
        light = BlockRules(trigger="surface", surface_days=1.0, fixed_dose_mm=4.0)
        for bare in (self.garden(bare=True), self.garden(bare=True, rules=light)):
            found = analyse(bare, {"a/30": falling(62.0)}, NO_WATER, moment())
            assert found.advice.group == "none" and found.advice.advised is None
            assert "no_advice.bare" in codes(found.advice.reason)

    @pytest.mark.parametrize(("dry_by", "held"), [(DAY, True), (DAY + 1, False)])
    def test_it_is_kept_dry_from_the_day_it_must_be(self, dry_by: int, held: bool) -> None:
        windows = (DryWindow("cutting", dry_by, dry_by + 3),)
        found = analyse(self.garden(windows=windows), {"a/30": falling(62.0)}, NO_WATER, moment())
        assert (found.advice.group == "act") is not held
        assert ("window.hold" if held else "window.unknown") in codes(found.advice.notices)

    def test_a_window_that_is_over_says_nothing(self) -> None:
        windows = (DryWindow("cutting", DAY - 4, DAY - 1),)
        found = analyse(self.garden(windows=windows), {"a/30": falling(62.0)}, NO_WATER, moment())
        assert found.advice.group == "act" and not any(c.startswith("window") for c in codes(found.advice.notices))

    def test_without_a_dose_it_gives_no_amount_and_says_so(self) -> None:
        rules = BlockRules(trigger="reading", reading_sensor="a/30", reading_value=60.0)
        garden = replace(block((station(depths=(30.0,), raw_unit="kPa"),)), horizons=(), rules=rules)
        found = analyse(garden, {"a/30": falling(62.0)}, NO_WATER, moment())
        assert found.advice.advised is None and "due.no_amount" in codes(found.advice.notices)

    def test_where_the_reading_gives_no_date_the_usual_rule_holds_and_says_why(self) -> None:
        given = self.given(trigger="reading", reading_sensor="a/99", reading_value=0.2)
        found = analyse(given, readings(), NO_WATER, moment())
        usual = analyse(self.given(), readings(), NO_WATER, moment())
        assert found.inputs is not None and usual.inputs is not None
        assert found.inputs.trigger_mm == usual.inputs.trigger_mm
        assert {"rule.instead", "due.no_sensor"} <= set(codes(found.advice.notices))


@pytest.mark.parametrize(
    ("rules", "field"),
    [
        ({"trigger": "reading", "reading_value": 3.0}, "reading_sensor"),
        ({"trigger": "reading", "reading_sensor": "a/b/c"}, "reading_value"),
        ({"trigger": "surface", "fixed_dose_mm": 4.0}, "surface_days"),
        ({"trigger": "surface", "surface_days": 1.0}, "fixed_dose_mm"),
        ({"trigger_share": 0.19}, "trigger_share"),
        ({"trigger_share": 1.01}, "trigger_share"),
    ],
)
def test_rules_that_lack_something_name_it(rules: dict[str, object], field: str) -> None:
    with pytest.raises(CoreError) as refused:
        check_rules(BlockRules(**rules))  # type: ignore[arg-type]
    assert refused.value.field == field


def test_every_kind_of_notice_a_decision_may_carry_can_be_sent() -> None:
    from pathlib import Path
    from re import findall

    from embalse.core.advice import block_analysis, decision, season_end
    from embalse.services.load.schemas import NoticeOut

    sources = "".join(Path(m.__file__).read_text(encoding="utf-8") for m in (decision, block_analysis, season_end))
    carried = {"order", "season", "window", "capacity", "soak", "on_way", "rain", "trees", "due", "amount", "pulses"}
    assert carried <= set(findall(r'"([a-z_]+)\.[a-z_{]', sources))
    assert carried <= set(NoticeOut.model_fields["kind"].annotation.__args__)  # type: ignore[union-attr]
