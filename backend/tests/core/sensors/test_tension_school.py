"""Time too wet, uppers and lowers as means, bands by stage; curves and the soils they are not for."""

import numpy as np
import pytest

from embalse.core.crop.crop_library import asks_local_practice, library, library_crop
from embalse.core.sensors.soils_meant import curve_cautions
from embalse.core.sensors.tension_school import band_of, tension_bands, upper_and_lower, wet_share
from embalse.core.sensors.wetness_index import class_limits, index_word, wetness_index

HOURS = np.arange(100, dtype=np.int64) * 3600


@pytest.mark.parametrize(("kpa", "share"), [(9.9, 1.0), (10.0, 0.0)])
def test_below_ten_is_too_wet(kpa: float, share: float) -> None:
    assert wet_share(HOURS, np.full(100, kpa), None).share == share


@pytest.mark.parametrize(("wet", "said"), [(10, False), (11, True)])
def test_more_than_a_tenth_of_the_time_is_said(wet: int, said: bool) -> None:
    assert wet_share(HOURS, np.where(np.arange(100) < wet, 5.0, 40.0), None).too_wet is said


@pytest.mark.parametrize(("hours", "told"), [(47, False), (48, True)])
def test_two_days_make_a_share(hours: int, told: bool) -> None:
    assert (wet_share(HOURS[:hours], np.full(hours, 5.0), None).share is not None) is told


def test_the_first_cycles_are_not_believed() -> None:
    kpa = np.where(np.arange(100) < 40, 2.0, 30.0)
    assert wet_share(HOURS, kpa, None).share == pytest.approx(0.4)
    assert wet_share(HOURS, kpa, 40 * 3600.0).share == 0.0


def test_both_sides_of_a_line_are_one_mean_and_gaps_stay_gaps() -> None:
    left, right = (20.0, HOURS[:3], np.array([10.0, 20.0, 30.0])), (20.0, HOURS[1:3], np.array([40.0, np.nan]))
    low = (50.0, HOURS[:2], np.array([8.0, 8.0]))
    found = upper_and_lower([left, right, low], 60.0)
    assert found.upper_kpa.tolist() == [10.0, 30.0, 30.0] and found.uppers == 2 and found.lowers == 1
    assert found.lower_kpa[:2].tolist() == [8.0, 8.0] and np.isnan(found.lower_kpa[2])


@pytest.mark.parametrize(("depth", "uppers"), [(30.0, 2), (31.0, 1)])
def test_uppers_stand_in_the_upper_half_of_the_roots(depth: float, uppers: int) -> None:
    one, other = (10.0, HOURS[:1], np.array([5.0])), (depth, HOURS[:1], np.array([5.0]))
    assert upper_and_lower([one, other], 60.0).uppers == uppers


@pytest.mark.published(source="Taylor & Ashcroft (1972), Physical Edaphology; recalled")
def test_bands_by_stage() -> None:
    band = band_of("broccoli", "initial")
    assert band is not None and (band.low_kpa, band.high_kpa) == (45, 55)
    assert band_of("maize grain", "late").low_kpa == 800  # type: ignore[union-attr]
    assert band_of("maize grain", "mid") is None and tension_bands("olive") == ()


def test_every_crop_has_a_tension_or_asks_local_practice() -> None:
    for crop in library():
        known = crop.value("tension_low_kpa") is not None
        assert known is not asks_local_practice(crop.crop), crop.crop
    olive = library_crop("olive")
    assert olive is not None and asks_local_practice("olive")


@pytest.mark.parametrize(
    ("not_for", "soil", "codes"),
    [
        ("clay", (0.40, 1.0, None), ["curve.clay"]), ("clay", (0.39, 1.0, None), []),
        ("saline", (0.1, 1.0, 4.0), ["curve.saline"]), ("saline", (0.1, 1.0, 3.9), []), ("saline", (0.1, 1.0, None), []),
        ("organic", (0.1, 20.0, None), ["curve.organic"]), ("organic", (0.1, 19.9, None), []),
    ],
)  # fmt: skip
def test_a_curve_used_in_a_soil_it_is_not_for_says_so(
    not_for: str, soil: tuple[float, float, float | None], codes: list[str]
) -> None:
    assert [n.code for n in curve_cautions([not_for], *soil)] == codes
    assert curve_cautions([], *soil) == []


def test_class_limits_are_where_the_index_changes_its_word() -> None:
    for word, first, last in class_limits(820.0, 380.0):
        middle = wetness_index(np.array([(first + last) / 2]), 820.0, 380.0)[0]
        assert index_word(middle) == word
