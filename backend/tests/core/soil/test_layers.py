"""Layers."""

from itertools import pairwise

import pytest

from embalse.core.errors import CoreError, LayerError, ProfileTooShallow
from embalse.core.root_zone.root_zone import (
    root_zone_marks,
)
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, horizon_marks
from embalse.core.soil.layers import RootZoneRule, build_layers, layer_limits_cm, usual_depths_cm
from embalse.core.soil.soil import FineEarth
from tests.core.build import horizon

LOAM = FineEarth(0.4, 0.2, 2.5)


def test_layers_share_horizons_by_thickness_within_the_roots() -> None:
    top = horizon(0.30, 0.10, 40)
    below = Horizon(40, 120, LOAM, full=MarkEntry(0.40, "t"), wilting=MarkEntry(0.20, "t"))
    layers = build_layers([20, 60], [horizon_marks(top), horizon_marks(below)], RootZoneRule(50, 0.5))
    assert [(layer.top_cm, layer.bottom_cm, layer.rooted_cm) for layer in layers] == [(0, 40, 40), (40, 80, 10)]
    assert layers[1].theta_full == pytest.approx(0.40)
    assert layers[0].theta_refill == pytest.approx(0.20)


@pytest.mark.parametrize("depths", [[], [0], [30, 30], [30, 20]])
def test_depths_that_make_no_layers(depths: list[float]) -> None:
    with pytest.raises(LayerError):
        layer_limits_cm(depths)


def test_a_sensor_below_the_described_soil_is_refused() -> None:
    with pytest.raises(LayerError, match="ends at 40 cm"):
        build_layers([20, 60], [horizon_marks(horizon(bottom=40))], RootZoneRule(30, 0.5))


def test_roots_below_the_sensors_are_not_guessed() -> None:
    layers = build_layers([10, 30], [horizon_marks(horizon())], RootZoneRule(100, 0.5))
    with pytest.raises(ProfileTooShallow, match="roots reach 100"):
        root_zone_marks(layers, 100)


@pytest.mark.parametrize("root_cm", [5, 15, 25, 26, 40, 41, 60, 61, 100, 150, 240])
def test_usual_depths_stand_for_all_of_the_roots_and_no_sensor_more(root_cm: float) -> None:
    depths = usual_depths_cm(root_cm)
    assert layer_limits_cm(depths)[-1] >= root_cm
    assert len(depths) == 2 or layer_limits_cm(depths[:-1])[-1] < root_cm
    steps = {upper: lower - upper for upper, lower in pairwise(depths)}
    assert all(step == (10 if upper < 30 else 20) for upper, step in steps.items())


def test_there_are_no_depths_for_no_roots() -> None:
    with pytest.raises(CoreError):
        usual_depths_cm(0)
