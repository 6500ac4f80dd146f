"""The Working adds up: every result follows from the lines above it, and every line says where it comes from."""

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.decision import decide, lead_days, rotation_days
from embalse.core.advice.working_ahead import means_until
from embalse.core.advice.working_line import Line
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.delivery.moving_systems import Furrows, furrow_rate_mm_h
from embalse.core.wording.formatting import to_five_minutes
from tests.core.advice import situations
from tests.core.advice.test_decision import CALENDAR, NONE, moment
from tests.core.advice.test_decision_limits import by_weather
from tests.core.build import block, readings

BY_RULE = {"days_to_refill", "timer_fraction", "start_by_days", "pulses_h", "allowable_mm"}
"""Results that follow by a rule which is not one of the four signs; each has a test of its own."""

ASIDE = {"leaching_fraction"}  # what a share below it follows from


def added_up(lines: Sequence[Line]) -> dict[str, tuple[float, float]]:
    """Every result beside what the lines above it come to, signs as they are written."""
    found: dict[str, tuple[float, float]] = {}
    total = 0.0
    for line in lines:
        value = line.value or 0.0
        if line.key in ASIDE:
            continue
        if line.result:
            found[line.key] = (value, total)
            total = to_five_minutes(value) / 60 if line.unit == "h" else value  # a reader goes on from what is shown
        elif line.op:
            total = {"+": total + value, "−": total - value, "×": total * value, "÷": total / (value or 1)}[line.op]
        else:
            total = value
    return found


@pytest.fixture(scope="module")
def written() -> dict[str, tuple[Line, ...]]:
    found = {}
    for name, given in situations.blocks():
        for sky, when in situations.SKIES.items():
            for theta in (0.31, 0.24, 0.199):
                found[f"{name}, {sky}, {theta}"] = analyse(given, readings(theta, 0.0067), NONE, when).lines
    return found


def test_every_result_follows_from_the_lines_above_it(written: dict[str, tuple[Line, ...]]) -> None:
    seen: dict[str, int] = {}
    for name, lines in written.items():
        limited = any(line.key == "uncut_net_mm" for line in lines)
        for key, (value, total) in added_up(lines).items():
            if key in BY_RULE or (key == "net_mm" and limited):
                continue
            follows = max(0.0, total) if key == "net_mm" else total
            assert value == pytest.approx(follows, abs=1e-6), f"{name}: {key}"
            seen[key] = seen.get(key, 0) + 1
    assert set(seen) >= {"depletion_mm", "use_mm_d", "net_mm", "gross_mm", "set_time_h", "all_sets_h", "shortfall_mm_d",
                         "short_mm", "season_short_mm", "season_left_mm"}  # fmt: skip


def test_every_line_says_where_it_comes_from(written: dict[str, tuple[Line, ...]]) -> None:
    for lines in written.values():
        for line in lines:
            assert line.source.title and (line.formula or line.source.kind != "computed" or line.result), line.key


def test_days_to_refill_are_what_is_left_over_use_less_rain_or_say_what_that_would_be(
    written: dict[str, tuple[Line, ...]],
) -> None:
    told = plain = 0
    for name, lines in written.items():
        value = {line.key: line.value or 0.0 for line in lines}
        line = next((one for one in lines if one.key == "days_to_refill"), None)
        if line is None or "use_factor" not in value:
            continue
        left = value["left_mm"] - value.get("drains_mm", 0.0)
        rate = value["use_mm_d"] - value.get("rain_mm_d", 0.0)
        assert not isinstance(line.formula, str | tuple)
        said = line.formula["plain_days"]
        if said is not None:
            told += 1
            assert said == pytest.approx(left / rate), name
        else:
            plain += 1
            assert rate <= 0 or math.isclose(left / rate, value["days_to_refill"], abs_tol=0.051), name
    assert told > 10 and plain > 10


def test_a_day_that_is_needed_in_part_counts_in_part() -> None:
    given = by_weather(left_mm=20.0)
    course = given.course
    assert course is not None
    eto = np.array([[4.0, 4.0, 4.0, 12.0] + [20.0] * (course.etc_mm.shape[1] - 4)])
    course = replace(course, outlook=replace(course.outlook, eto_mm=eto))
    assert means_until(course, 3.0).eto_mm_d == pytest.approx(4.0)
    assert means_until(course, 3.05).eto_mm_d == pytest.approx((12.0 + 0.05 * 12.0) / 3.05)
    assert means_until(course, 3.05).days == pytest.approx(3.05)
    assert means_until(course, 4.0).eto_mm_d == pytest.approx(6.0)
    noon = replace(course, today_share=0.5, next_dawn_days=0.75)
    assert means_until(noon, 1.75).eto_mm_d == pytest.approx(4.0) and means_until(noon, 1.75).days == pytest.approx(1.5)


class TestRotation:
    """The time to get round a block belongs to its lead time."""

    FURROWS = Furrows(1.5, 20, 1.5, 400)

    def furrow(self, entered: float = 0.0, area_ha: float = 12.0) -> object:
        given = replace(
            block(), calendar=CALENDAR, crop="tomato", area_ha=area_ha, rules=BlockRules(lead_days=entered),
            system=IrrigationSystem("furrow", furrow_rate_mm_h(self.FURROWS), 0.6, furrows=self.FURROWS),
        )  # fmt: skip
        found = analyse(given, readings(0.24, 0.0067), NONE, moment(4.0)).inputs
        assert found is not None
        return found

    def test_ten_sets_leave_the_last_one_nine_sets_late(self) -> None:
        given = self.furrow()
        advised = decide(replace(given, trigger=None)).advised  # type: ignore[type-var]
        assert given.parts == 10 and advised is not None  # type: ignore[attr-defined]
        hours = 30.0 / 0.6 / given.system.rate_mm_h  # type: ignore[attr-defined]
        assert rotation_days(given) == pytest.approx(9 * hours / 24)  # type: ignore[arg-type]

    def test_a_block_that_is_covered_at_once_has_none(self) -> None:
        assert rotation_days(self.furrow(area_ha=1.2)) == 0.0  # type: ignore[arg-type]
        assert rotation_days(by_weather()) == 0.0

    def test_the_longer_of_it_and_what_was_entered(self) -> None:
        turn = rotation_days(self.furrow())  # type: ignore[arg-type]
        assert lead_days(self.furrow(turn - 0.01)) == pytest.approx(turn)  # type: ignore[arg-type]
        assert lead_days(self.furrow(turn + 0.01)) == pytest.approx(turn + 0.01)  # type: ignore[arg-type]

    def test_it_brings_the_start_forward_and_is_said(self) -> None:
        slow = replace(by_weather(left_mm=30.0), parts=1)
        assert slow.course is not None and slow.system is not None
        hours = decide(slow).advised
        assert hours is not None and hours.set_time_h is not None
        found = decide(replace(slow, parts=20))
        plain = decide(slow)
        assert plain.start_by_days is not None and found.start_by_days is not None and plain.days == found.days
        assert found.start_by_days == max(0.0, plain.start_by_days - rotation_days(replace(slow, parts=20)))
        assert plain.group != "act" and found.group == "act"
        assert [n.code for n in found.reason if n.code == "reason.rotation"] and not plain.reason[1:]
