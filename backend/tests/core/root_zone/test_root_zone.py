"""Water of the root zone: missing layers filled in, errors, and what is too little."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.root_zone.root_zone import (
    LayerReading,
    NotEnoughReadings,
    station_state,
)
from embalse.core.soil.horizon_marks import horizon_marks
from embalse.core.soil.layers import RootZoneRule, build_layers
from embalse.core.wording import Notice
from tests.core.build import horizon


def _layers(count: int = 5) -> list:  # type: ignore[type-arg]
    depths = [10.0 + 20 * i for i in range(count)]
    return build_layers(depths, [horizon_marks(horizon())], RootZoneRule(20.0 * count, 0.5))


def test_a_missing_layer_is_filled_from_both_neighbours_and_widens_the_error() -> None:
    whole = station_state(_layers(), [LayerReading(0.2 + 0.01 * i, 0.02) for i in range(5)])
    gone = [
        LayerReading(0.2 + 0.01 * i, 0.02) if i != 2 else LayerReading(None, why_missing="no reading for 3 days")
        for i in range(5)
    ]
    filled = station_state(_layers(), gone)
    assert filled.storage_mm == pytest.approx(whole.storage_mm)
    assert filled.error_mm > whole.error_mm
    assert filled.layers[2].filled_in
    assert Notice("caution.filled_in", depth_cm=50, why="no reading for 3 days") in filled.notes


@pytest.mark.parametrize("missing", [{0}, {4}, {1, 2}, {0, 1, 2, 3, 4}])
def test_too_little_left_gives_no_state(missing: set[int]) -> None:
    values = [LayerReading(None, why_missing="gone") if i in missing else LayerReading(0.2) for i in range(5)]
    with pytest.raises(NotEnoughReadings, match="gone"):
        station_state(_layers(), values)


@given(st.lists(st.floats(0.1, 0.3), min_size=5, max_size=5), st.integers(0, 4), st.floats(0.001, 0.05))
def test_more_water_anywhere_never_raises_depletion(thetas: list[float], at: int, more: float) -> None:
    before = station_state(_layers(), [LayerReading(t) for t in thetas]).storage_mm
    thetas[at] += more
    assert station_state(_layers(), [LayerReading(t) for t in thetas]).storage_mm > before


@given(st.floats(0.001, 0.03), st.floats(0.001, 0.03))
def test_a_worse_calibration_never_narrows_the_error(better: float, by: float) -> None:
    errors = [station_state(_layers(), [LayerReading(0.2, e)] * 5).error_mm for e in (better, better + by)]
    assert errors[1] > errors[0]
