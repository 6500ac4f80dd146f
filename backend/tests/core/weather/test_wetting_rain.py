import pytest

from embalse.core.weather.wetting_rain import mornings_touched, wets_the_soil, wetting_days


@pytest.mark.parametrize(("depth_mm", "counts"), [(0.0, False), (1.99, False), (2.0, True), (30.0, True)])
def test_rain_counts_from_two_millimetres(depth_mm: float, counts: bool) -> None:
    assert wets_the_soil(depth_mm) is counts


@pytest.mark.published(source="FAO-56 (Allen et al. 1998), chapter 8: rain below 0.2 of reference ET is left out")
def test_the_limit_is_a_fifth_of_the_hottest_day_s_reference_et() -> None:
    hottest_eto_mm_d = 10.0
    assert not wets_the_soil(0.2 * hottest_eto_mm_d - 0.01)
    assert wets_the_soil(0.2 * hottest_eto_mm_d)


def test_a_day_s_rain_may_have_fallen_before_or_after_its_dawn() -> None:
    assert wetting_days([(5, 1.0), (6, 4.0), (9, 2.0)]) == [6, 9]
    assert mornings_touched([6, 9]) == {5, 6, 8, 9}
