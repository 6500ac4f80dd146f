"""What came of past dates, to the tenth of a day, and where nothing can be said."""

from dataclasses import replace

import pytest

from embalse.core.advice.forecast_skill import Call, Skill, outcome, skill, skill_notice
from embalse.core.wording import Notice, text

CALL = Call(0, 3.0, 5.0, 7.0, 30.0, 4.5)
DRY = frozenset[int]()


def falling(per_day: float, days: int, start: float = 10.0) -> dict[int, float]:
    return {n: start + per_day * n for n in range(days)}


def test_the_day_is_read_between_two_dawns() -> None:
    assert outcome(CALL, falling(4.0, 9), DRY).days == pytest.approx(5.0)
    assert outcome(CALL, falling(3.0, 9), DRY).days == pytest.approx(20 / 3)
    assert outcome(replace(CALL, day=2), falling(4.0, 9), DRY).days == pytest.approx(3.0)


def test_a_dawn_past_the_trigger_already_is_no_time_at_all() -> None:
    assert outcome(CALL, {0: 31.0, 1: 33.0}, DRY).days == 0.0
    assert outcome(CALL, {0: 33.0, 1: 31.0}, DRY).days == 0.0


def test_what_has_not_come_yet_and_what_was_never_read_say_so() -> None:
    waiting = outcome(CALL, falling(2.0, 5), DRY)
    assert (waiting.days, waiting.why_not) == (None, Notice("skill.not_come"))
    blind = outcome(CALL, {}, DRY)
    assert (blind.days, blind.why_not) == (None, Notice("skill.no_reading"))


@pytest.mark.parametrize(("wet_day", "judged"), [(1, False), (2, False), (3, True), (4, True)])
def test_water_before_three_days_in_five_were_gone_ends_the_judging(wet_day: int, judged: bool) -> None:
    found = outcome(CALL, falling(2.5, 9), frozenset({wet_day}))
    assert (found.days is not None) is judged
    if judged:
        assert found.days == pytest.approx(8.0) and found.why_not == Notice("skill.by_pace")
    else:
        assert found.why_not == Notice("skill.overtaken")


def test_three_dry_days_are_wanted_however_short_the_call() -> None:
    short = replace(CALL, mid_days=2.0)
    assert outcome(short, falling(2.5, 9), frozenset({2})).days is None
    assert outcome(short, falling(2.5, 9), frozenset({3})).days == pytest.approx(8.0)


def test_a_block_that_got_wetter_has_no_pace() -> None:
    for pace in (-1.0, 0.0):
        assert outcome(CALL, falling(pace, 9), frozenset({4})).days is None


def test_only_calls_four_to_six_days_ahead_are_counted() -> None:
    mids = (3.9, 4.0, 5.0, 5.9, 6.0)
    found = skill([outcome(replace(CALL, mid_days=mid), falling(4.0, 9), DRY) for mid in mids])
    assert (found.judged, found.within_a_day, found.inside) == (3, 3, 3)
    assert found.error_days == pytest.approx((1.0 + 0.0 + 0.9) / 3)
    assert found.straight_error_days == pytest.approx(0.5)
    assert len(found.outcomes) == 5


def test_a_miss_of_just_over_a_day_is_a_miss_and_the_range_counts_its_ends() -> None:
    late = outcome(CALL, falling(20 / 6.01, 12), DRY)
    assert skill([late]).within_a_day == 0 and skill([late]).inside == 1
    edge = outcome(replace(CALL, high_days=6.0), falling(20 / 6.01, 12), DRY)
    assert skill([edge]).inside == 0
    none = skill([])
    assert (none.judged, none.error_days, none.straight_error_days) == (0, None, None)


@pytest.mark.parametrize(
    ("kept", "judged", "within", "said"),
    [
        (0, 0, 0, "No past refill dates yet. Each morning's date is kept from the day the farm was set up."),
        (4, 0, 0, "No refill date called five days ahead has come true or failed yet: water always came before."),
        (9, 7, 5, "Of the last 7 refill dates called five days ahead, 5 came within a day."),
    ],
)
def test_what_is_said_of_past_dates(kept: int, judged: int, within: int, said: str) -> None:
    assert text(skill_notice(Skill(judged, within, 0, None, None, ()), kept)) == said


def test_skill_is_the_mean_of_those_called_about_five_days_ahead() -> None:
    came = outcome(CALL, falling(4.0, 9), DRY)
    late = replace(came, call=replace(CALL, mid_days=4.2, straight_days=9.0))
    overtaken = outcome(CALL, falling(4.0, 9), frozenset({1}))
    found = skill([came, overtaken, late])
    assert (found.judged, found.within_a_day, found.inside) == (2, 2, 2)
    assert found.error_days == pytest.approx(0.4) and found.straight_error_days == pytest.approx((0.5 + 4.0) / 2)
    assert skill([]).error_days is None and skill([]).straight_error_days is None


@pytest.mark.parametrize(("mid", "judged"), [(3.99, 0), (4.0, 1), (5.99, 1), (6.0, 0)])
def test_only_calls_of_four_to_six_days_are_judged(mid: float, judged: int) -> None:
    assert skill([replace(outcome(CALL, falling(4.0, 9), DRY), call=replace(CALL, mid_days=mid))]).judged == judged


@pytest.mark.parametrize(("mid", "within"), [(4.0, 1), (5.0, 1), (5.99, 1), (4.001, 1)])
def test_a_day_off_is_still_within_a_day(mid: float, within: int) -> None:
    came = outcome(CALL, falling(4.0, 9), DRY)
    assert came.days == pytest.approx(5.0)
    assert skill([replace(came, call=replace(CALL, mid_days=mid))]).within_a_day == within


@pytest.mark.parametrize(("low", "high", "inside"), [(5.0, 7.0, 1), (5.1, 7.0, 0), (3.0, 5.0, 1), (3.0, 4.9, 0)])
def test_the_ends_of_the_band_are_inside(low: float, high: float, inside: int) -> None:
    came = replace(outcome(CALL, falling(4.0, 9), DRY), days=5.0)
    assert skill([replace(came, call=replace(CALL, low_days=low, high_days=high))]).inside == inside


@pytest.mark.parametrize(("wet_day", "judged"), [(4, False), (5, True)])
def test_three_fifths_of_a_longer_call_must_be_gone_too(wet_day: int, judged: bool) -> None:
    long = replace(CALL, mid_days=8.0)
    assert (outcome(long, falling(2.5, 12), frozenset({wet_day})).days is not None) is judged
