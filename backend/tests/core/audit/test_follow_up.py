"""Which faults of sets have to be seen, and for how long."""

from dataclasses import replace

import pytest

from embalse.core.audit.follow_up import OpenFault, SetFault, fault_of, open_faults
from embalse.core.audit.set_audit import SetAudit, SetFacts

DAY = 86400
FACTS = SetFacts(6.0, 6.0, 20.0)
RIGHT = SetAudit("right", 20.0, 20.0, 1.0, 60.0, 0.0, 0.0, None, 1)


@pytest.mark.parametrize(
    ("facts", "told", "fault"),
    [
        (FACTS, RIGHT, None),
        (FACTS, replace(RIGHT, verdict="too much"), None),
        (FACTS, replace(RIGHT, verdict="too little"), None),
        (FACTS, replace(RIGHT, verdict="too little", dry=("a",)), "nothing came"),
        (FACTS, replace(RIGHT, verdict="not all of the block", dry=("a",)), "some dry"),
        (replace(FACTS, ran_h=5.39), RIGHT, "cut short"),
        (replace(FACTS, ran_h=5.4), RIGHT, None),
        (replace(FACTS, ran_h=0.0), replace(RIGHT, verdict="did not run"), "did not run"),
    ],
)
def test_what_has_to_be_seen(facts: SetFacts, told: SetAudit, fault: SetFault | None) -> None:
    assert fault_of(facts, told) == fault


@pytest.mark.parametrize(("days", "found"), [(7.0, (OpenFault(0, 1),)), (7.01, ())])
def test_a_fault_is_open_for_a_week(days: float, found: tuple[OpenFault, ...]) -> None:
    assert open_faults([("did not run", 0)], {}, round(days * DAY)) == found


@pytest.mark.parametrize(("seen", "is_open"), [(-1, True), (0, False), (1, False)])
def test_a_fault_seen_before_it_came_is_not_seen(seen: int, is_open: bool) -> None:
    assert bool(open_faults([("did not run", 0)], {"did not run": seen}, DAY)) is is_open
    assert open_faults([("did not run", 0)], {"cut short": 1}, DAY)


@pytest.mark.parametrize(("ago", "times"), [(30.0, 2), (30.01, 1)])
def test_the_same_again_within_a_month_is_named(ago: float, times: int) -> None:
    now = 40 * DAY
    [one] = open_faults([("cut short", now - round(ago * DAY)), ("cut short", now)], {}, now)
    assert one == OpenFault(1, times)
