"""Crop coefficients in the farm's own climate."""

import pytest

from embalse.core.crop.climate_kc import DayClimate, climate_days, climate_kc, crop_height_m, in_climate
from embalse.core.crop.stages import CropCalendar
from embalse.core.tables import crops
from embalse.core.wording.formatting import text
from embalse.services.reader import reading_as, say

BEANS = CropCalendar(0, (25.0, 25.0, 30.0, 20.0), (0.15, 1.15, 0.35), "beans")


def days(first: int, count: int, wind: float = 2.2, dry: float = 30.0) -> list[DayClimate]:
    return [DayClimate(first + n, wind, dry) for n in range(count)]


@pytest.mark.published(
    source="FAO-56 (Allen et al. 1998), Example 28: maize at Taipei and Mocha; recalled, high confidence"
)
@pytest.mark.parametrize(("wind", "dry", "kc"), [(1.3, 75, 1.07), (4.6, 44, 1.30)])
def test_maize_in_two_climates(wind: float, dry: float, kc: float) -> None:
    assert climate_kc(1.20, wind, dry, 2.0) == pytest.approx(kc, abs=0.005)


@pytest.mark.published(
    source="FAO-56 (Allen et al. 1998), Box 15: dry beans at Kimberly, Idaho; recalled, high confidence"
)
def test_dry_beans_at_kimberly() -> None:
    """RHmin 30 %, wind 2.2 m/s, 0.4 m tall: Kc mid 1.19; Kc end 0.35 stays, being below 0.45."""
    height = crop_height_m("bean dry")
    assert height == 0.4
    found = in_climate(BEANS, height, days(50, 50), 100, (True, True))
    assert found.kc[1] == pytest.approx(1.19, abs=0.005)
    assert found.kc[0] == 0.15 and found.kc[2] == 0.35


@pytest.mark.parametrize(
    ("outside", "edge"),
    [((0.2, 45, 2), (1, 45, 2)), ((9, 45, 2), (6, 45, 2)), ((2, 5, 2), (2, 20, 2)), ((2, 95, 2), (2, 80, 2)),
     ((4, 45, 14), (4, 45, 10)), ((4, 45, 0.02), (4, 45, 0.1))],
)  # fmt: skip
def test_beyond_its_limits_the_formula_stands_still(
    outside: tuple[float, float, float], edge: tuple[float, float, float]
) -> None:
    assert climate_kc(1.1, *outside) == climate_kc(1.1, *edge)
    inside = tuple(0.9 * e + 0.1 * m for e, m in zip(edge, (3, 50, 1), strict=True))
    assert climate_kc(1.1, *edge) != climate_kc(1.1, *inside)


@pytest.mark.parametrize(("kc_end", "moved"), [(0.44, False), (0.45, True)])
def test_the_end_follows_from_0_45_on(kc_end: float, moved: bool) -> None:
    calendar = CropCalendar(0, (25.0, 25.0, 30.0, 20.0), (0.15, 1.15, kc_end))
    found = in_climate(calendar, 2.0, days(80, 20), 100, (True, True))
    assert (found.kc[2] != kc_end) == moved


@pytest.mark.parametrize(("count", "moved"), [(9, False), (10, True)])
def test_fewer_than_ten_days_tell_no_climate(count: int, moved: bool) -> None:
    assert (in_climate(BEANS, 0.4, days(50, count), 80, (True, True)).kc[1] != 1.15) == moved


@pytest.mark.parametrize(("today", "span"), [(59, (29, 58)), (60, (50, 59)), (75, (50, 74)), (95, (50, 79))])
def test_the_days_of_the_stage_tell_it_once_it_is_ten_days_old(today: int, span: tuple[int, int]) -> None:
    assert climate_days(BEANS, today)[0] == span


def test_where_it_comes_from_is_said_in_the_readers_units() -> None:
    found = in_climate(BEANS, 0.4, days(50, 30), 80, (True, True)).source
    assert text(found).endswith(
        "Kc mid 1.19 in this climate (FAO-56 Eq. 62): wind 2.2 m/s, air 30 % at its driest, over 30 days"
    )
    with reading_as("us"):
        assert "wind 4.9 mph" in say(found)


def test_what_a_person_entered_is_left() -> None:
    assert in_climate(BEANS, 0.4, days(50, 50), 100, (False, False)) == BEANS


def test_every_crop_of_the_library_has_a_height() -> None:
    assert [c for c in crops() if crop_height_m(c) is None] == []
