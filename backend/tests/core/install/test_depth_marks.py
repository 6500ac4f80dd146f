"""How a farm marks depths: two schemes that contradict each other, and its own."""

import pytest

from embalse.core.errors import CoreError
from embalse.core.install.depth_marks import DepthMark, check_marks, marks_of

OWN = [DepthMark(30.0, "", "red"), DepthMark(60.0, "", "blue", 2), DepthMark(None, "C")]


def test_the_two_usual_schemes_contradict_each_other() -> None:
    down = [m.number for m in marks_of([90, 30, 60], "counted down") if m]
    up = [m.number for m in marks_of([90, 30, 60], "counted up") if m]
    assert down == ["3", "1", "2"] and up == ["1", "3", "2"]


@pytest.mark.parametrize(("depth", "colour"), [(32.5, "red"), (33.0, "")])
def test_an_own_mark_holds_within_an_inch_of_its_depth(depth: float, colour: str) -> None:
    found = marks_of([depth], "own", OWN)[0]
    assert (found.colour if found else "") == colour


def test_a_depth_without_a_mark_takes_the_one_of_its_place_or_none() -> None:
    assert [None if m is None else m.parts for m in marks_of([10, 45], "own", OWN)] == [("C", "", None), None]


def test_marks_that_look_alike_or_say_nothing_are_refused() -> None:
    with pytest.raises(CoreError, match="looks like"):
        check_marks([DepthMark(30, "1"), DepthMark(60, "1")])
    with pytest.raises(CoreError, match="a colour or knots"):
        check_marks([DepthMark(30)])
    with pytest.raises(CoreError, match="given twice"):
        check_marks([DepthMark(30, "1"), DepthMark(30, "2")])
