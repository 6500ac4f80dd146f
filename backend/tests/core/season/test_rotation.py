"""What is proposed to come after a planting."""

from datetime import date

import pytest

from embalse.core.season.plantings import Planting
from embalse.core.season.rotation import EPOCH, is_cut, next_anniversary, propose, stays


def day(text: str) -> int:
    return date.fromisoformat(text).toordinal() - EPOCH


def planted(*crops: tuple[str, str]) -> list[Planting]:
    return [Planting(f"p{n}", crop, day(on)) for n, (crop, on) in enumerate(crops)]


AFTER = day("2026-09-10")


def test_nothing_planted_proposes_nothing() -> None:
    assert propose([], [], AFTER) is None


def test_a_crop_that_stays_comes_again_on_its_day() -> None:
    found = propose(planted(("tomato", "2024-05-01"), ("almond", "2026-02-20")), [], AFTER)
    assert found is not None and found.how == "stays"
    assert found.like.crop == "almond" and found.first_day == day("2027-02-20")


def test_what_followed_here_before_comes_first() -> None:
    own = planted(("tomato", "2023-05-01"), ("wheat winter", "2023-11-10"), ("maize grain", "2025-04-10"),
                  ("tomato", "2026-05-01"))  # fmt: skip
    others = [planted(("tomato", "2025-05-01"), ("onion dry", "2026-03-01"))] * 3
    found = propose(own, others, AFTER)
    assert found is not None and (found.how, found.like.crop) == ("rotation", "wheat winter")
    assert found.first_day == day("2026-11-10")


def test_the_latest_time_it_was_followed_counts() -> None:
    own = planted(("tomato", "2022-05-01"), ("onion dry", "2023-03-01"), ("tomato", "2024-05-01"),
                  ("maize grain", "2025-04-10"), ("tomato", "2026-05-01"))  # fmt: skip
    found = propose(own, [], AFTER)
    assert found is not None and found.like.crop == "maize grain"


def test_two_crops_take_turns() -> None:
    found = propose(planted(("maize grain", "2025-04-10"), ("tomato", "2026-05-01")), [], AFTER)
    assert found is not None and found.why.code == "next.turns" and found.like.crop == "maize grain"


def test_other_blocks_are_asked_where_this_one_has_no_past() -> None:
    others = [planted(("tomato", "2024-05-01"), ("onion dry", "2025-03-01")),
              planted(("tomato", "2024-05-01"), ("maize grain", "2025-04-10"), ("tomato", "2025-09-01"),
                      ("onion dry", "2026-03-01"))]  # fmt: skip
    found = propose(planted(("tomato", "2026-05-01")), others, AFTER)
    assert found is not None and (found.how, found.like.crop) == ("other blocks", "onion dry")
    assert found.why["times"] == 2 and found.first_day == day("2027-03-01")


def test_the_same_again_is_said_to_be_no_rotation() -> None:
    found = propose(planted(("tomato", "2026-05-01")), [], AFTER)
    assert found is not None and found.how == "same" and found.why.code == "next.same"
    assert found.first_day == day("2027-05-01")


@pytest.mark.parametrize(
    ("on", "after", "then"),
    [("2024-02-29", "2026-01-01", "2026-02-28"), ("2024-02-29", "2027-03-01", "2028-02-29"),
     ("2025-05-01", "2026-04-30", "2026-05-01"), ("2025-05-01", "2026-05-01", "2027-05-01")],
)  # fmt: skip
def test_the_day_of_the_year_comes_again(on: str, after: str, then: str) -> None:
    assert next_anniversary(day(on), day(after)) == day(then)


def test_what_stays_and_what_is_cut() -> None:
    assert [c for c in ("almond", "alfalfa", "pasture rotated grazing", "tomato") if stays(c)] == [
        "almond", "alfalfa", "pasture rotated grazing"]  # fmt: skip
    assert [c for c in ("almond", "alfalfa", "turf warm season", "tomato") if is_cut(c)] == [
        "alfalfa",
        "turf warm season",
    ]
