"""Two ways on one farm, a landscape's coefficient, and a controller's rule."""

import pytest

from embalse.core.audit.rule_score import AimedSet, rule_score
from embalse.core.crop.landscape import landscape_coefficient
from embalse.core.errors import CoreError
from embalse.core.field.two_ways import Way, compare

NONE = [None] * 20


def way(name: str, given: list[float], dry: float = 0.0, yields: float | None = None) -> Way:
    return Way(name, given, NONE[: len(given)], [dry] * len(given), yields)


def test_a_difference_beyond_its_doubt_is_told_apart() -> None:
    habit = way("Old", [40, 42, 38, 41, 40, 39, 40, 41], yields=9.0)
    found = compare(habit, way("New", [30, 33, 28, 31, 30, 29, 31, 30], yields=9.2))
    water = found.differences[0]
    assert water.mid == pytest.approx(79) and water.told_apart and water.low > 0
    assert [w.code for w in found.words] == ["two_ways.less", "two_ways.yield", "two_ways.two_soils"]


def test_what_the_meters_may_be_wrong_by_is_in_it() -> None:
    # 320 against 310 mm: 5 % of each meter is more than the ten between them, however even the weeks
    found = compare(way("Old", [40.0] * 8), way("New", [38.75] * 8))
    assert not found.differences[0].told_apart and found.words[0].code == "two_ways.alike"


@pytest.mark.parametrize(("weeks", "told"), [(3, False), (4, True)])
def test_four_weeks_make_a_difference(weeks: int, told: bool) -> None:
    assert bool(compare(way("Old", [40.0] * weeks), way("New", [30.0] * weeks)).differences) is told


@pytest.mark.published(source="Costello, Matheny & Clark (2000), landscape coefficients; recalled")
def test_landscape_coefficients() -> None:
    # a mixed planting of moderate species, high density, full sun on paving: 0.5 × 1.2 × 1.25
    found = landscape_coefficient("moderate", "high", "high")
    assert found.mid == pytest.approx(0.75) and (found.low, found.high) == (pytest.approx(0.484), pytest.approx(1.092))
    with pytest.raises(CoreError):
        landscape_coefficient("thirsty", "low", "low")


@pytest.mark.parametrize(
    ("after", "code"), [(11.5, "rule_score.good"), (11.6, "rule_score.over"), (8.4, "rule_score.under")]
)
def test_a_rule_hits_within_fifteen_per_cent(after: float, code: str) -> None:
    assert rule_score([AimedSet(10.0, after)] * 5, 12.0).words.code == code


def test_read_too_soon_it_would_have_seemed_far_off() -> None:
    # trade: a controller that read again after minutes mis-watered by about 70 %
    told = rule_score([AimedSet(10.0, 10.5, 3.0)] * 6, 12.0)
    assert told.error_share == pytest.approx(0.05) and told.soon_error_share == pytest.approx(0.7)


@pytest.mark.parametrize(("sets", "told"), [(4, False), (5, True)])
def test_five_sets_make_a_score(sets: int, told: bool) -> None:
    assert (rule_score([AimedSet(10.0, 10.0)] * sets, 12.0).error_share is not None) is told
