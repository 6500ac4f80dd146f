"""Storage over time: missing layers filled in as the present state is."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.root_zone.root_zone import LayerReading, NotEnoughReadings, station_state
from embalse.core.root_zone.series import storage_series
from embalse.core.soil.layers import Layer

LAYERS = [
    Layer(depth, top, bottom, used, theta_full=full, theta_refill=0.2, theta_wilting=0.1, theta_saturation=0.45)
    for depth, top, bottom, used, full in (
        (10, 0, 15, 15, 0.30), (20, 15, 25, 10, 0.28), (30, 25, 40, 15, 0.33), (50, 40, 60, 20, 0.30), (70, 60, 80, 10, 0.31),
        (90, 80, 100, 0, 0.30),
    )
]  # fmt: skip


@given(st.lists(st.lists(st.one_of(st.none(), st.floats(0.1, 0.4)), min_size=6, max_size=6), min_size=1, max_size=12))
def test_every_moment_is_what_the_state_of_that_moment_would_be(moments: list[list[float | None]]) -> None:
    thetas = [np.array([math.nan if m[n] is None else m[n] for m in moments], dtype=float) for n in range(6)]
    storage = storage_series(LAYERS, thetas)
    for index, moment in enumerate(moments):
        try:
            wanted = station_state(LAYERS, [LayerReading(theta) for theta in moment]).storage_mm
        except NotEnoughReadings:
            assert math.isnan(storage[index])
        else:
            assert storage[index] == pytest.approx(wanted)


def test_no_layer_in_the_roots_has_no_storage() -> None:
    assert len(storage_series([LAYERS[-1]], [np.array([0.2])])) == 0
