"""What a node differs by for itself."""

import pytest

from embalse.core.spatial.node_error import BETWEEN_THETA, LEAST, between_mm, node_error


def test_sensors_of_a_kind_join_as_independent() -> None:
    assert between_mm([40.0]) == pytest.approx(400 * BETWEEN_THETA)
    assert between_mm([20.0, 20.0]) == pytest.approx(between_mm([40.0]) / 2**0.5)


@pytest.mark.parametrize(("rooted", "error"), [([12.0], LEAST["depletion"]), ([13.0], 0.8 * 1.3), ([40.0], 3.2)])
def test_a_depletion_is_told_over_the_block_and_never_surer_than_two_good_sensors(
    rooted: list[float], error: float
) -> None:
    assert node_error("depletion", rooted, 60.0, 0.8) == pytest.approx(error)


@pytest.mark.parametrize(("taw", "error"), [(50.0, 0.08), (500.0, LEAST["available"])])
def test_a_share_is_of_the_available_water(taw: float, error: float) -> None:
    assert node_error("available", [40.0], taw, 0.8) == pytest.approx(error)


@pytest.mark.parametrize("what", ["index", "temperature", "salinity"])
def test_others_go_by_what_two_good_sensors_differ_by(what: str) -> None:
    assert node_error(what, [40.0], 60.0, 0.8) == LEAST[what]  # type: ignore[arg-type,index]
