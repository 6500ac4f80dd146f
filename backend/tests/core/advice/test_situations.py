"""What is said in several hundred situations stays as it was recorded, unless a change is meant.

The record holds no truth of its own: whether the rules are right is for the other tests, the published checks and the
seasons to say. It holds them still: no threshold, sign or sentence of the advice moves without somebody seeing it.
"""

from functools import cache
from typing import Any

import pytest

from tests.core.advice import situations
from tests.core.record import differences, read


@cache
def recorded() -> dict[str, Any]:
    return read(situations.RECORD)


@cache
def made() -> dict[str, Any]:
    return situations.record()


@pytest.mark.parametrize("part", ["situations", "arithmetic"])
def test_nothing_said_has_moved(part: str) -> None:
    found = differences(recorded()[part], made()[part])
    assert found == [], f"{len(found)} differences"


def test_the_situations_reach_every_group_and_most_of_what_can_be_said() -> None:
    said = made()["situations"].values()
    assert {one["group"] for one in said} == {"act", "coming", "leave", "none"}
    kinds = {kind for one in said for kind, _ in one["notices"]}
    assert kinds >= {"capacity", "deficit", "order", "pulses", "rain", "season", "trigger", "window"}
    assert len({one["reason"] for one in said}) > 50


def test_a_figure_that_moves_by_a_thousandth_is_seen() -> None:
    assert differences({"a": [1.0, 2.0]}, {"a": [1.0, 2.002]}) == ["/a/1: 2.0 is now 2.002"]
    assert differences({"a": "dry"}, {"a": "wet"}) == ["/a: 'dry' is now 'wet'"]
    assert differences([1], [1, 2]) == [": [1] is now [1, 2]"]
