"""Stages by the names of the trade, and calendars moved to what was seen."""

import pytest

from embalse.core.crop.stage_names import check_stage_name, install_words, seen_calendar, stage_named, stage_names
from embalse.core.crop.stages import STAGES, CropCalendar
from embalse.core.errors import CoreError
from embalse.core.tables import table_rows
from tests.core.build import codes

MAIZE = CropCalendar(100, (30, 40, 50, 30), (0.3, 1.2, 0.6), "test")


def seen(*pairs: tuple[str, int]) -> tuple[float, ...]:
    found = [(stage_named("maize grain", name), day) for name, day in pairs]
    assert all(name is not None for name, _ in found)
    return seen_calendar(MAIZE, found).lengths_days  # type: ignore[arg-type]


def test_every_crop_names_its_stages_in_order_and_begins_each_once() -> None:
    for crop in {row["crop"] for row in table_rows("stage_names.csv")}:
        names = stage_names(crop)
        places = [STAGES.index(n.stage) for n in names]
        assert places == sorted(places), crop
        begun = [n.stage for n in names if n.begins]
        assert len(begun) == len(set(begun)) == len({n.stage for n in names}), crop


def test_a_crop_without_names_has_the_four_of_the_book() -> None:
    assert [n.name for n in stage_names("moss")] == list(STAGES)


def test_a_name_that_begins_a_stage_sets_its_first_day_earlier_or_later() -> None:
    assert seen(("tasselling", 160)) == (30, 30, 50, 30)
    assert seen(("tasselling", 180)) == (30, 50, 50, 30)


def test_another_name_only_sees_to_it_that_its_stage_holds() -> None:
    assert seen(("milk (R3)", 200)) == MAIZE.lengths_days
    assert seen(("milk (R3)", 160)) == (30, 30, 50, 30)
    assert seen(("milk (R3)", 225)) == (30, 40, 56, 30)


def test_a_stage_far_ahead_takes_from_more_than_one() -> None:
    assert seen(("tasselling", 120)) == (19, 1, 50, 30)


def test_what_was_seen_before_planting_is_passed_over() -> None:
    assert seen(("tasselling", 99)) == MAIZE.lengths_days


def test_the_calendar_says_where_it_is_from() -> None:
    name = stage_named("maize grain", "tasselling")
    assert name is not None and "source.stage_seen" in codes(seen_calendar(MAIZE, [(name, 160)]).source)


def test_an_unknown_name_is_refused_with_those_that_are_known() -> None:
    with pytest.raises(CoreError) as refused:
        check_stage_name("cotton", "tasselling")
    assert refused.value.field == "stage" and "first square" in str(refused.value.reason)


@pytest.mark.parametrize(
    ("crop", "name", "state"),
    [
        ("maize grain", "coming up", "early"),
        ("maize grain", "first leaf (V1)", "open"),
        ("maize grain", "fourth leaf (V4)", "open"),
        ("maize grain", "sixth leaf (V6)", "closed"),
        ("cotton", "first square", "open"),
        ("cotton", "first flower", "closed"),
    ],
)
def test_sensors_go_in_by_the_leaf_and_not_by_the_day(crop: str, name: str, state: str) -> None:
    assert install_words(crop, name)[0] == state
