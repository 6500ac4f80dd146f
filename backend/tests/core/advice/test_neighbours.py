"""A block's use against its neighbours': on both sides of each number."""

import pytest

from embalse.core.advice.neighbours import SeenUse, apart_from, neighbours_of


def seen(ratio: float, error: float = 0.1, name: str = "B") -> SeenUse:
    return SeenUse(name.lower(), name, "almond", ratio, error)


@pytest.mark.parametrize(("ratio", "apart"), [(0.65, True), (0.68, False), (1.0, False), (1.48, False), (1.52, True)])
def test_half_as_much_again_either_way(ratio: float, apart: bool) -> None:
    found = apart_from(seen(ratio, 0.02), [seen(1.0, 0.02)])
    assert (found is not None) is apart


@pytest.mark.parametrize(("error", "apart"), [(0.10, True), (0.20, False)])
def test_only_beyond_twice_their_doubt(error: float, apart: bool) -> None:
    # ln 2 is 0.69: twice the doubt of 0.1 and 0.1/0.5 is 0.45, of 0.2 and 0.2/0.5 is 0.89
    assert (apart_from(seen(0.5, error), [seen(1.0, error)]) is not None) is apart


def test_the_middle_of_the_neighbours_counts_and_three_are_named() -> None:
    others = [seen(r, name=n) for r, n in ((1.0, "B"), (1.1, "C"), (0.4, "D"), (1.05, "E"))]
    found = apart_from(seen(0.4), others)
    assert found is not None and found["usual_fraction"] == pytest.approx(1.025)
    assert found["observed_fraction"] == 0.4 and found["others"] == ("B", "C", "D")


def test_without_neighbours_or_a_dry_down_nothing_is_said() -> None:
    assert apart_from(seen(0.2), []) is None and apart_from(None, [seen(1.0)]) is None


def test_the_eight_nearest_of_the_same_crop_in_the_farms_order() -> None:
    crops = [(f"b{n}", "almond" if n % 2 == 0 else "olive") for n in range(40)]
    assert neighbours_of("b20", crops) == ["b12", "b14", "b16", "b18", "b22", "b24", "b26", "b28"]
    assert neighbours_of("b0", crops) == ["b2", "b4", "b6", "b8", "b10", "b12", "b14", "b16"]
    assert neighbours_of("b1", [("b1", "fig"), *crops[:1]]) == []
