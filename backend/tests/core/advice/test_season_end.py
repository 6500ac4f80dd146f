"""The end of a season and dry windows, on both sides of every number."""

from dataclasses import replace

import pytest

from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.decision import DecisionInputs, decide
from embalse.core.advice.season_end import drying_days, last_irrigation, window_advice
from embalse.core.advice.triggers import Trigger
from embalse.core.crop.dry_down import DailyUse
from embalse.core.delivery.irrigation_rules import DryWindow
from embalse.core.wording import Notice
from tests.core.advice.test_decision import NONE, said
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
