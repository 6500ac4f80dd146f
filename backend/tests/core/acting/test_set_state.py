"""States of a set, and what is due when."""

from itertools import pairwise

import pytest

from embalse.core.acting.set_state import FOLLOWS, OVER, STATES, Due, SetState, due_now, follows, pulse_spans, wait_s
from embalse.core.errors import CoreError

HOUR = 3600


@pytest.mark.parametrize(("before", "after"), [("withdrawn", "running"), ("done", "approved"),
                                               ("cut short", "sent"), ("failed", "approved"), ("running", "sent")])  # fmt: skip
def test_nothing_goes_back(before: SetState, after: SetState) -> None:
    with pytest.raises(CoreError, match="cannot become"):
        follows(before, after)


def test_no_state_that_is_over_is_sent_again() -> None:
    assert not any(FOLLOWS[state] & {"approved", "sent", "confirmed"} for state in OVER)
    assert set(FOLLOWS) == set(STATES)


@pytest.mark.parametrize(
    ("state", "now", "due"),
    [
        ("approved", -1, None),
        ("approved", 0, Due("open", 4 * HOUR + 120)),
        ("sent", 2 * HOUR, Due("open", 2 * HOUR + 120)),
        ("approved", 4 * HOUR - 900, Due("open", 900 + 120)),
        ("approved", 4 * HOUR - 899, Due("fail")),
        ("approved", 5 * HOUR, Due("fail")),
        ("confirmed", HOUR, None),
        ("running", 4 * HOUR - 1, None),
        ("running", 4 * HOUR, Due("close")),
        ("confirmed", 4 * HOUR, Due("close")),
        ("done", 4 * HOUR, None),
        ("withdrawn", HOUR, None),
        ("by hand", HOUR, None),
    ],
)
def test_a_set_runs_within_its_approved_hours_only(state: SetState, now: int, due: Due | None) -> None:
    assert due_now(state, 0, 4 * HOUR, now) == due


def test_a_set_shorter_than_a_quarter_of_an_hour_is_opened_until_its_end() -> None:
    assert due_now("approved", 0, 600, 0) == Due("open", 720)
    assert due_now("approved", 0, 600, 600) == Due("fail")


@pytest.mark.parametrize(("tries", "wait"), [(0, 0.0), (1, 5.0), (2, 15.0), (3, 60.0), (4, 300.0), (50, 300.0)])
def test_a_controller_is_asked_less_and_less_often(tries: int, wait: float) -> None:
    assert wait_s(tries) == wait


def test_pulses_fill_the_whole_set_and_flow_as_long_as_asked() -> None:
    spans = pulse_spans(0, 13 * HOUR, 8, 7 * HOUR)
    assert spans[0][0] == 0 and spans[-1][1] == 13 * HOUR and len(spans) == 8
    assert sum(b - a for a, b in spans) == pytest.approx(7 * HOUR, abs=8)
    pauses = {b[0] - a[1] for a, b in pairwise(spans)}
    assert max(pauses) - min(pauses) <= 1 and pulse_spans(0, HOUR, 1, HOUR) == [(0, HOUR)]


@pytest.mark.parametrize(("pulses", "flowing"), [(0, 600), (2, 0), (2, HOUR + 1)])
def test_pulses_that_cannot_be_are_refused(pulses: int, flowing: int) -> None:
    with pytest.raises(CoreError):
        pulse_spans(0, HOUR, pulses, flowing)
