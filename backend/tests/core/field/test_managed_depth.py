"""The depth to manage: proposed where water does not reach the lower roots, on both sides of each number."""

from collections.abc import Sequence

import pytest

from embalse.core.field.managed_depth import managed_depth
from embalse.core.field.uptake import LayerUptake, Uptake
from embalse.core.field.wetting import Wetting
from embalse.core.soil.layers import Layer

ROOTS_CM = 110.0
LAYERS = tuple(Layer(d, t, b, max(0.0, min(b, ROOTS_CM) - t), 0.30, 0.22, 0.14, 0.45)
               for d, t, b in ((15, 0, 30), (45, 30, 60), (75, 60, 90), (105, 90, 120), (135, 120, 150)))  # fmt: skip
DRY = (0.29, 0.26, 0.20, 0.18, 0.20)


def reaching(*depths: float) -> list[Wetting]:
    return [Wetting(86400 * n, 86400 * n + 3600, (), 8.0, float(cm), None, None) for n, cm in enumerate(depths)]


def proposed(
    depths: Sequence[float], theta: Sequence[float | None] = DRY, uptake: Uptake | None = None, roots: float = ROOTS_CM
) -> float | str:
    found = managed_depth(LAYERS, theta, reaching(*depths), roots, uptake)
    return found.words.code if found.depth_cm is None else found.depth_cm


def test_it_is_the_lower_limit_of_the_deepest_layer_water_reaches() -> None:
    found = managed_depth(LAYERS, DRY, reaching(*[45.0] * 8), ROOTS_CM)
    assert found.depth_cm == 60.0 and found.words.code == "managed.none_passed"
    assert found.below_lacks_mm == pytest.approx(300 * 0.10 + 200 * 0.12)
    assert (found.words["passed"], found.words["wettings"]) == (0, 8)


@pytest.mark.parametrize(("deep", "depth"), [(2, 60.0), (3, 90.0)])
def test_one_wetting_in_three_keeps_a_layer_refilled(deep: int, depth: float) -> None:
    assert proposed([45.0] * (9 - deep) + [75.0] * deep) == depth
    words = managed_depth(LAYERS, DRY, reaching(*[45.0] * 7, 75.0, 75.0), ROOTS_CM).words
    assert words.code == "managed.proposed" and words["passed"] == 2


@pytest.mark.parametrize(("count", "said"), [(5, "managed.few"), (6, 60.0)])
def test_six_wettings_make_a_habit(count: int, said: float | str) -> None:
    assert proposed([45.0] * count) == said


def test_where_water_reaches_the_roots_or_nothing_nothing_is_proposed() -> None:
    assert proposed([105.0] * 6) == "managed.whole"
    assert proposed([5.0] * 6) == "managed.nothing"
    assert proposed([45.0] * 6, roots=61.0) == "managed.whole" and proposed([45.0] * 6, roots=61.1) == 60.0


@pytest.mark.parametrize(("lacks", "said"), [(0.0354, 60.0), (0.0350, "managed.full_below")])
def test_soil_below_that_lacks_little_calls_for_nothing(lacks: float, said: float | str) -> None:
    # a tenth of 1100 mm × 0.16 are 17.6 mm, over 500 mm of soil below
    assert proposed([45.0] * 6, (0.29, 0.26, 0.30 - lacks, 0.30 - lacks, 0.30)) == said


def test_a_depth_without_a_reading_is_left_out_of_what_is_lacking() -> None:
    assert proposed([45.0] * 6, (0.29, 0.26, 0.20, None, None)) == 60.0
    assert proposed([45.0] * 6, (0.29, 0.26, 0.29, None, None)) == "managed.full_below"


def test_where_the_next_depth_is_not_read_water_may_reach_it_unseen() -> None:
    assert proposed([45.0] * 6, (0.29, 0.26, None, 0.18, 0.20)) == "managed.unread"


def test_the_share_drunk_from_below_is_told() -> None:
    layers = tuple(
        LayerUptake(x.depth_cm, mm, 0.1, mm / 4, True) for x, mm in zip(LAYERS, (2.0, 1.2, 0.6, 0.2, 0.0), strict=True)
    )
    found = managed_depth(LAYERS, DRY, reaching(*[45.0] * 6), ROOTS_CM, Uptake(layers, 5, 120.0))
    assert found.below_share == pytest.approx(0.2) and found.words["below_fraction"] == pytest.approx(0.2)
