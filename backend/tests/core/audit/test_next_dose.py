"""One correction from both kinds of evidence: bounded, drawn by its error, never from one set, never twice."""

from dataclasses import replace

import pytest

from embalse.core.audit.next_dose import (
    Correction,
    DoseEvidence,
    Used,
    correction,
    lower_evidence,
    moved,
    set_evidence,
    water_evidence,
)
from embalse.core.audit.set_audit import SetAudit
from embalse.core.errors import CoreError

SET = SetAudit("too little", 20.0, 16.0, 0.8, 60.0, 0.0, 4.0, None, 1)


def sets(*delivered: float, lower: float | None = None) -> list[DoseEvidence]:
    return [DoseEvidence(n, d, 1.0, 0.02, lower) for n, d in enumerate(delivered)]


def test_water_that_fell_short_asks_for_more_in_its_share() -> None:
    found = water_evidence(SET, 20.0)
    assert found is not None and found.delivered == 1.25 and found.useful == 1.0 and found.error == 0.05
    # whatever was advised: the share is of what set-up expects, so a correction in force is not added to itself
    again = water_evidence(replace(SET, expected_mm=25.0, gained_mm=20.0), 20.0, Used(1.25))
    assert again is not None and again.delivered == 1.25 and again.useful == 1.0


@pytest.mark.parametrize(("below", "useful"), [(4.1, 0.795), (3.9, 1.0)])
def test_a_leak_beyond_its_limit_and_error_asks_for_less(below: float, useful: float) -> None:
    leak = replace(SET, verdict="too much", gained_mm=20.0, below_mm=below, below_error_mm=1.0)
    found = water_evidence(leak, 20.0)
    assert found is not None and found.useful == pytest.approx(useful) and found.delivered == 1.0


def test_a_leak_of_more_than_was_asked_for_is_not_the_advices_fault() -> None:
    leak = replace(SET, verdict="too much", expected_mm=30.0, gained_mm=30.0, below_mm=10.0)
    found = water_evidence(leak, 20.0)
    assert found is not None and found.useful == 1.0
    assert water_evidence(leak, None).useful == pytest.approx(20 / 30)  # type: ignore[union-attr]


@pytest.mark.parametrize(("expected", "useful"), [(17.0, 0.6), (16.9, 1 - 5 / 16.9)])
def test_a_partial_set_is_not_held_against_the_whole_need(expected: float, useful: float) -> None:
    leak = replace(SET, verdict="too much", expected_mm=expected, gained_mm=expected, below_mm=5.0)
    assert water_evidence(leak, 20.0).useful == pytest.approx(useful)  # type: ignore[union-attr]


def test_without_a_leak_what_was_in_force_against_it_stays() -> None:
    found = water_evidence(replace(SET, verdict="right", gained_mm=20.0), 20.0, Used(0.9, 0.9))
    assert found is not None and found.useful == 0.9


@pytest.mark.parametrize(
    "told",
    [
        replace(SET, verdict="cannot tell"),
        replace(SET, verdict="too fast"),
        replace(SET, verdict="not all of the block"),
        replace(SET, floor=True),
        replace(SET, doubted=("a",)),
        replace(SET, gained_mm=None),
        replace(SET, gained_mm=0.0),
    ],
)
def test_sets_that_do_not_tell(told: SetAudit) -> None:
    assert water_evidence(told, 20.0) is None


def test_where_the_rate_beats_the_soil_more_only_runs_off() -> None:
    found = water_evidence(replace(SET, rate_beats_soil=True), 20.0)
    assert found is not None and found.delivered == 1.0


@pytest.mark.published(source="common practice, no source: a tenth at a time")
def test_lower_sensors_ask_for_a_tenth() -> None:
    assert lower_evidence("lengthen", Used(1.05)) == pytest.approx(1.155) and lower_evidence("shorten") == 0.9
    assert lower_evidence("right", Used(0.9)) == 0.9 and lower_evidence("cannot tell") is None


def test_one_set_alone_corrects_nothing() -> None:
    one = correction(sets(1.3))
    assert (one.factor, one.why_not, one.water_sets) == (1.0, "few", 1)
    two = correction(sets(1.3, 1.3))
    assert two.factor == 1.15 and two.bound and two.wanted > 1.25


@pytest.mark.parametrize(("most", "factor"), [(0.15, 1.15), (0.05, 1.05), (0.3, 1.1935)])
def test_it_is_bounded_as_the_manager_chose(most: float, factor: float) -> None:
    assert correction(sets(1.2, 1.2, 1.2), most).factor == pytest.approx(factor, abs=0.01)


def test_it_is_drawn_to_nothing_by_its_error() -> None:
    sure, unsure = correction(sets(1.1, 1.1, 1.1, 1.1)), correction(sets(1.3, 0.9, 1.25, 0.95))
    assert 1.07 < sure.factor < 1.09
    assert unsure.wanted - 1 < 0.07 < sure.wanted - 1


@pytest.mark.parametrize(("delivered", "factor"), [(1.044, 1.0), (1.05, 1.024)])
def test_what_is_not_worth_setting_a_timer_for_is_left(delivered: float, factor: float) -> None:
    found = correction(sets(*[delivered] * 6))
    assert found.factor == pytest.approx(factor, abs=0.002) and (found.why_not == "small") is (factor == 1.0)


def test_only_the_last_six_count() -> None:
    assert correction(sets(1.5, 1.5, *[1.1] * 6)) == correction(sets(*[1.1] * 6))


def test_two_kinds_that_agree_are_one_correction_and_two_that_do_not_are_none() -> None:
    both = correction(sets(1.2, 1.2, 1.2, lower=1.1))
    assert both.by_water is not None and both.by_lower == pytest.approx(0.1)
    assert both.wanted - 1 == pytest.approx((both.by_water + 0.1) / 2)
    against = correction(sets(1.2, 1.2, 1.2, lower=0.9))
    assert (against.factor, against.why_not) == (1.0, "disagree")


def test_the_lower_sensors_alone_will_do() -> None:
    found = correction([DoseEvidence(n, lower=1.1) for n in range(2)])
    assert found.factor == pytest.approx(1.1) and found.by_water is None and found.useful == 1.0


def test_a_bias_of_the_calibration_moves_it_by_no_more_than_itself() -> None:
    true, low = correction(sets(*[1.12] * 6), 0.5), correction(sets(*[1.12 / 0.9] * 6), 0.5)
    assert 0 < low.factor / true.factor - 1 <= 1 / 0.9 - 1 + 0.01


def test_a_correction_in_force_settles_and_does_not_swing() -> None:
    """A system that brings 0.88 of what set-up expects, sets corrected one after another."""
    used, evidence = Used(), []
    factors = []
    for number in range(20):
        told = replace(SET, expected_mm=20 * used.factor, gained_mm=20 * used.factor * 0.88, start_at=number)
        one = water_evidence(told, 20.0, used)
        assert one is not None
        evidence.append(one)
        found = correction(evidence)
        used = Used(found.factor, found.useful)
        factors.append(found.factor)
    assert factors[0] == 1.0 and 1.08 < factors[3] < 1.14
    assert max(factors[4:]) - min(factors[4:]) < 0.02


def test_a_bound_that_is_no_share_is_refused() -> None:
    with pytest.raises(CoreError):
        correction([], 0.6)


def test_one_burst_hose_among_right_sets_corrects_nothing() -> None:
    found = correction(sets(1.0, 1.0, 3.3, 1.0, 1.0, 1.0))
    assert (found.factor, found.by_water) == (1.0, 0.0)
    assert correction(sets(1.0, 3.3)).factor == 1.0  # the middle lies far off, but only one set asks for it
    assert correction(sets(1.2, 3.3)).factor > 1.02


def test_one_strong_answer_of_the_lower_sensors_corrects_nothing() -> None:
    votes = [DoseEvidence(n, lower=v) for n, v in enumerate((1.0, 0.9, 1.0, 1.0))]
    assert correction(votes).factor == 1.0
    assert correction([*votes, DoseEvidence(5, lower=0.9), DoseEvidence(6, lower=0.9)]).factor < 0.98


@pytest.mark.parametrize(("used", "told"), [(1.081, None), (1.059, 1.08), (1.099, None), (1.101, 1.08)])
def test_what_is_applied_moves_only_by_what_is_worth_setting(used: float, told: float | None) -> None:
    found = Correction(1.08, 1.08, 1.0, 0.08, 6, None, 0)
    assert moved(found, Used(used)) == told


def test_what_is_applied_stays_while_too_few_sets_tell_and_goes_where_they_disagree() -> None:
    few = Correction(1.0, 1.0, 1.0, None, 1, None, 0, why_not="few")
    assert moved(few, Used(1.1)) is None
    assert moved(replace(few, why_not="disagree"), Used(1.1)) == 1.0
    over = Correction(1.15, 1.4, 1.0, 0.4, 6, None, 0, bound=True)
    assert moved(over, Used(1.15)) is None and moved(over, Used(1.0)) == 1.15


def test_the_lower_sensors_do_not_lengthen_what_runs_off_and_nothing_is_told_by_a_doubted_probe() -> None:
    assert set_evidence(SET, 20.0, "lengthen").lower == pytest.approx(1.1)
    fast = replace(SET, rate_beats_soil=True)
    assert set_evidence(fast, 20.0, "lengthen").lower is None and set_evidence(fast, 20.0, "shorten").lower == 0.9
    for told in (replace(SET, doubted=("a",)), replace(SET, verdict="not all of the block")):
        found = set_evidence(told, 20.0, "shorten")
        assert found.lower is None and found.delivered is None


def test_two_odd_sets_of_six_correct_nothing_by_the_water() -> None:
    found = correction(sets(1.0, 3.3, 1.0, 3.3, 1.0, 1.0))
    assert (found.factor, found.by_water) == (1.0, 0.0)


def test_five_sets_that_agree_are_not_drowned_by_one_that_does_not() -> None:
    found, five = correction(sets(1.1, 1.1, 3.3, 1.1, 1.1, 1.1)), correction(sets(*[1.1] * 6))
    assert found.factor == pytest.approx(five.factor, abs=0.01) and found.factor > 1.06
