"""What is said in several hundred situations stays as it was recorded, unless a change is meant.

The record holds no truth of its own: whether the rules are right is for the other tests, the published checks and the
seasons to say. It holds them still: no threshold, sign or sentence of the advice moves without somebody seeing it.
"""

import json
from functools import cache
from typing import Any

import pytest

from tests.core.advice import situations


@cache
def recorded() -> dict[str, Any]:
    return json.loads(situations.RECORD.read_text(encoding="utf-8"))  # type: ignore[no-any-return]


@cache
def made() -> dict[str, Any]:
    return situations.record()


def differences(one: Any, other: Any, where: str = "") -> list[str]:
    """Where two records differ, figures compared to one in a hundred thousand."""
    if isinstance(one, dict) and isinstance(other, dict):
        keys = sorted({*one, *other})
        return [d for k in keys for d in differences(one.get(k), other.get(k), f"{where}/{k}")]
    if isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        return [d for n, pair in enumerate(zip(one, other, strict=True)) for d in differences(*pair, f"{where}/{n}")]
    if isinstance(one, float | int) and isinstance(other, float | int):
        return [] if one == pytest.approx(other, rel=1e-5, abs=1e-9) else [f"{where}: {one} is now {other}"]
    return [] if one == other else [f"{where}: {one!r} is now {other!r}"]


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
