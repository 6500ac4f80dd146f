import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CoreError, LayerError, ProfileTooShallow, TextureError
from embalse.core.root_zone.root_zone import (
    LayerReading,
    NotEnoughReadings,
    root_zone_marks,
    station_state,
)
from embalse.core.soil.horizon_marks import Horizon, MarkEntry, check_profile, horizon_marks
from embalse.core.soil.layers import RootZoneRule, build_layers, layer_limits_cm
from embalse.core.soil.roots import RootGrowth, root_depth_cm
from embalse.core.soil.soil import FineEarth, bulk_theta, saxton_rawls, texture_class
from embalse.core.tables import crop_defaults, crops, texture_sand_clay
from embalse.core.wording import Notice
from tests.core.build import codes, horizon, values_of

LOAM = FineEarth(0.4, 0.2, 2.5)


def test_sands_take_their_full_point_wetter_than_33_kpa() -> None:
    sand = saxton_rawls(FineEarth(0.88, 0.05))
    assert sand.full_tension_kpa == 10
    assert sand.theta_33 < sand.theta_full < sand.theta_saturation
    loam = saxton_rawls(LOAM)
    assert (loam.full_tension_kpa, loam.theta_full) == (33, loam.theta_33)


def test_compaction_closes_large_pores_and_is_refused_when_none_are_left() -> None:
    normal, dense = saxton_rawls(LOAM), saxton_rawls(FineEarth(0.4, 0.2, 2.5, 1.6))
    assert dense.theta_saturation < normal.theta_saturation
    assert dense.ks_mm_h < normal.ks_mm_h
    with pytest.raises(CoreError, match="no pores") as refused:
        saxton_rawls(FineEarth(0.1, 0.5, 2.5, 2.1))
    assert refused.value.field == "bulk_density_g_cm3"


def test_soils_outside_the_fitted_range_carry_a_caution() -> None:
    assert saxton_rawls(FineEarth(0.1, 0.65)).cautions
    assert codes(saxton_rawls(FineEarth(0.4, 0.2, 9)).cautions) == ["caution.organic"]
    assert not saxton_rawls(LOAM).cautions


@pytest.mark.parametrize(("sand", "clay"), [(0.8, 0.3), (-0.1, 0.2), (0.2, -0.1)])
def test_shares_that_are_no_soil_are_refused(sand: float, clay: float) -> None:
    with pytest.raises(TextureError):
        texture_class(sand, clay)


@given(st.floats(0, 1), st.floats(0, 1))
def test_every_soil_has_a_class(sand: float, clay: float) -> None:
    if sand + clay <= 1:
        assert texture_class(sand, clay)


def test_unknown_texture_lists_the_known() -> None:
    with pytest.raises(CoreError, match="silty clay loam"):
        texture_sand_clay("mud")


def test_crop_found_by_its_first_words_only_when_that_is_one_crop() -> None:
    found = crop_defaults("Almond")
    assert found is not None and found.crop == "almond no cover"
    assert crop_defaults("bean") is None
    assert crop_defaults("dragon fruit") is None
    assert len(crops()) > 40


def test_a_mark_set_by_hand_replaces_the_computed_and_says_why() -> None:
    marks = horizon_marks(Horizon(0, 50, LOAM, 0.2, full=MarkEntry(0.25, "drained 3 days in May")))
    assert marks.theta_full == 0.25
    assert values_of(marks.full_source.detail, "source.by_hand")["reason"] == "drained 3 days in May"
    assert marks.theta_wilting == pytest.approx(0.8 * saxton_rawls(LOAM).theta_wilting)
    assert values_of(marks.wilting_source.detail, "source.texture")["stones_fraction"] == 0.2


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"full": MarkEntry(0.05, "x")}, "wilting point"),
        ({"refill": MarkEntry(0.5, "x")}, "refill point"),
        ({"full": MarkEntry(0.9, "x")}, "more than soil can hold"),
    ],
)
def test_marks_out_of_order_are_refused(changes: dict[str, MarkEntry], words: str) -> None:
    with pytest.raises(CoreError, match=words):
        horizon_marks(Horizon(0, 50, LOAM, **changes))  # type: ignore[arg-type]


def test_stones_cannot_fill_the_soil() -> None:
    with pytest.raises(CoreError, match="stones_fraction"):
        bulk_theta(0.3, 1.0)


@pytest.mark.parametrize(
    ("spans", "words"),
    [([(0, 30), (40, 80)], "gap"), ([(0, 50), (40, 80)], "overlap"), ([(10, 50)], "gap"), ([], "at least one")],
)
def test_profile_must_be_whole(spans: list[tuple[float, float]], words: str) -> None:
    with pytest.raises(CoreError, match=words):
        check_profile([Horizon(top, bottom, LOAM) for top, bottom in spans])


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


def test_roots_grow_in_a_line_and_stop() -> None:
    growth = RootGrowth(80, 20, 100, 140)
    assert [root_depth_cm(growth, day) for day in (90, 100, 120, 140, 300)] == [20, 20, 50, 80, 80]
    with pytest.raises(CoreError):
        root_depth_cm(RootGrowth(80, 20, 140, 100), 120)
