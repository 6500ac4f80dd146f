"""Water that is still on its way: when it is waited for, how much is to come, and until when."""

import math
from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.decision import binding_notice, decide
from embalse.core.advice.soaking import GivenSet, GivenWater, Seen, Soaking, seen_since, soaking, soaking_caution
from embalse.core.crop.dry_down import DawnStorage
from embalse.core.delivery.irrigation_rules import Order
from embalse.core.wording import Notice, text
from tests.core.advice.test_decision_limits import inputs
from tests.core.build import DAY, MOMENT, NOW, block, codes, readings, values_of

H = 3600.0


def left(
    ended_h_ago: float,
    soaks_h: float = 12.0,
    before_h: float = math.inf,
    seen: float | None = 0.0,
    rising: float | None = None,
) -> Soaking | None:
    last = GivenSet(NOW - (ended_h_ago + 4) * H, NOW - ended_h_ago * H, 20.0, before_h)
    return soaking(last, NOW, soaks_h, 20.0, Seen(seen, rising))


class TestHowLong:
    @pytest.mark.parametrize(("ended_h_ago", "waits"), [(11.9, True), (12.1, False)])
    def test_as_long_as_the_soil_takes(self, ended_h_ago: float, waits: bool) -> None:
        found = left(ended_h_ago)
        assert (found is not None) is waits
        if found is not None:
            assert found.wait_h == pytest.approx(12.0 - ended_h_ago) and not found.running

    @pytest.mark.parametrize(("before_h", "waits"), [(17.0, True), (15.0, False)])
    def test_no_longer_than_half_of_the_time_between_sets(self, before_h: float, waits: bool) -> None:
        assert (left(8.0, 24.0, before_h) is not None) is waits

    def test_where_water_is_given_daily_in_heavy_soil_it_is_not_held_for_good(self) -> None:
        # sets at night, twenty hours apart: by the next noon the advice is free again
        assert left(11.0, 24.0, 20.0) is None and left(9.0, 24.0, 20.0) is not None

    def test_a_set_that_runs_is_waited_for_with_its_soaking(self) -> None:
        found = left(-3.0)
        assert found is not None and found.running and found.wait_h == pytest.approx(15.0)

    def test_without_a_set_there_is_nothing_to_wait_for(self) -> None:
        assert soaking(None, NOW, 12.0, 20.0, Seen(0.0)) is None


class TestHowMuch:
    @pytest.mark.parametrize(("seen", "coming"), [(0.0, 20.0), (12.0, 8.0), (14.9, 5.1), (-3.0, 20.0)])
    def test_what_was_given_less_what_was_seen(self, seen: float, coming: float) -> None:
        found = left(2.0, seen=seen)
        assert found is not None and found.on_way_mm == pytest.approx(coming)

    def test_less_than_a_quarter_is_not_waited_for(self) -> None:
        assert left(2.0, seen=15.1) is None and left(2.0, seen=30.0) is None

    def test_where_it_cannot_be_told_it_is_waited_for(self) -> None:
        found = left(2.0, seen=None)
        assert found is not None and found.on_way_mm is None

    def test_the_gain_is_counted_from_the_dawn_before_with_the_crops_use_put_back(self) -> None:
        dawns = DawnStorage([DAY - 2, DAY - 1, DAY], [150.0, 146.0, 160.0])
        offset = MOMENT.dawn_offset_s
        at_dawn = 86400.0 * (DAY - 1) + offset
        assert seen_since(at_dawn, 160.0, dawns, offset, (NOW, 4.0)) == pytest.approx(14.0 + 4.0)
        assert seen_since(at_dawn - 1, 160.0, dawns, offset, (NOW, 4.0)) == pytest.approx(10.0 + 8.0)
        first = 86400.0 * (DAY - 2) + offset
        assert seen_since(first - 1, 160.0, dawns, offset, (NOW, 4.0)) is None

    def test_a_dawn_of_more_than_two_days_before_tells_nothing(self) -> None:
        dawns = DawnStorage([DAY - 5], [150.0])
        start = 86400.0 * (DAY - 3) + MOMENT.dawn_offset_s
        assert seen_since(start, 160.0, dawns, MOMENT.dawn_offset_s, (NOW, 4.0)) == pytest.approx(10.0 + 20.0)
        assert seen_since(start + 1, 160.0, dawns, MOMENT.dawn_offset_s, (NOW, 4.0)) is None


class TestFront:
    """Water is on its way while a probe still rises."""

    @pytest.mark.parametrize(("rising", "waits"), [(0.0031, True), (0.0029, False), (-0.01, False), (None, True)])
    def test_three_thousandths_in_three_hours(self, rising: float | None, waits: bool) -> None:
        assert (left(6.0, rising=rising) is not None) is waits

    @pytest.mark.parametrize(("ended_h_ago", "waits"), [(1.9, True), (2.1, False), (-1.0, True)])
    def test_for_two_hours_after_the_end_no_probe_need_have_answered(self, ended_h_ago: float, waits: bool) -> None:
        assert (left(ended_h_ago, rising=0.0) is not None) is waits


class TestAdvice:
    def test_no_water_is_advised_on_top_of_it(self) -> None:
        found = decide(replace(inputs(-5.0), soaking=Soaking(8.0, False, 20.0), clock_h=6.0))
        assert found.group == "coming" and found.start_by_days == pytest.approx(8 / 24)
        [reason] = found.reason
        assert (reason.code, reason["until_clock_h"], reason["on_way_mm"]) == ("soak.wait", 14.0, 10.0)
        assert binding_notice(found) == reason and found.advised is not None
        assert text(reason).startswith("Wait until 14:00, then read again")

    @pytest.mark.parametrize(("on_way_mm", "group"), [(9.9, "act"), (10.1, "coming")])
    def test_where_all_of_it_would_not_lift_the_block_over_refill_the_rest_is_for_today(
        self, on_way_mm: float, group: str
    ) -> None:
        found = decide(replace(inputs(-10.0), soaking=Soaking(8.0, False, on_way_mm), clock_h=6.0))
        assert found.group == group and found.advised is not None
        if group == "act":
            counted = values_of(found.notices, "on_way.counted")
            assert counted["strip_mm"] == on_way_mm and counted["on_way_mm"] == pytest.approx(on_way_mm / 2)
            plain = decide(inputs(-10.0)).advised
            assert plain is not None and found.advised.rules.on_way_mm == on_way_mm
            assert found.advised.uncut_net_mm == pytest.approx(plain.uncut_net_mm - on_way_mm / 2)
            assert binding_notice(found) is None

    def test_a_set_that_runs_is_waited_for_however_short_the_block_is(self) -> None:
        assert decide(replace(inputs(-40.0), soaking=Soaking(8.0, True, 1.0), clock_h=6.0)).group == "coming"
        assert decide(replace(inputs(-40.0), soaking=Soaking(8.0, False, None), clock_h=6.0)).group == "coming"

    def test_it_never_brings_more_than_the_set_asks_for(self) -> None:
        found = decide(replace(inputs(-5.0), soaking=Soaking(8.0, False, 900.0)))
        assert found.advised is not None and found.reason[0]["on_way_mm"] == found.advised.net_mm

    def test_a_block_that_is_not_due_says_nothing_of_it(self) -> None:
        found = decide(replace(inputs(40.0), soaking=Soaking(8.0, False, 20.0)))
        assert found.group == "leave" and "soak.wait" not in codes(found.notices)

    def test_a_turn_that_still_runs_is_waited_for(self) -> None:
        [reason] = decide(replace(inputs(-5.0), soaking=Soaking(30.0, True, None), clock_h=6.0)).reason
        assert text(reason) == "A set is running. Wait until 12:00 tomorrow for its water to soak in, then read again."

    def test_a_person_stands_over_it(self) -> None:
        order = Order("water", DAY + 1, "hot wind tomorrow", "Ana")
        found = decide(replace(inputs(-5.0, today=DAY), soaking=Soaking(8.0, False, 20.0), orders=(order,)))
        assert found.group == "act" and found.ordered == "water"

    def test_a_block_whose_probes_stand_still_is_not_kept_waiting(self) -> None:
        last = GivenWater(frozenset(), (GivenSet(NOW - 10 * H, NOW - 5 * H, 30.0),))

        def group(earlier: float) -> str:
            given = {k: replace(v, earlier_raw=earlier) for k, v in readings(0.19, 0.0).items()}
            return analyse(block(), given, last, MOMENT).advice.group

        assert group(0.19) == "act" and group(0.186) == "coming"

    def analysed(self, ended_h_ago: float, gross_mm: float = 30.0) -> BlockAnalysis:
        last = GivenSet(NOW - (ended_h_ago + 5) * H, NOW - ended_h_ago * H, gross_mm)
        return analyse(block(), readings(0.19, 0.0), GivenWater(frozenset(), (last,)), replace(MOMENT, clock_h=6.0))

    def test_from_a_block_and_its_last_set(self) -> None:
        waits, free = self.analysed(2.0), self.analysed(13.0)
        assert waits.advice.group == "coming" and codes(waits.cautions)[-1] == "caution.soaking"
        assert free.advice.group == "act" and "caution.soaking" not in codes(free.cautions)
        assert waits.inputs is not None and waits.inputs.soaking is not None
        # 30 mm gross, 0.8 of it stays, on half of the ground: 48 mm in the strip, none of it seen
        assert waits.inputs.soaking.on_way_mm == pytest.approx(48.0, abs=0.5)


def test_the_caution_says_how_long() -> None:
    assert soaking_caution(Soaking(3.0, False, 5.0)) == Notice("caution.soaking", wait_h=3.0)
    assert soaking_caution(Soaking(3.0, True, 5.0)).code == "caution.set_running"
