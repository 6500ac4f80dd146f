"""Water held by a texture, and what is no soil."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embalse.core.errors import CoreError, TextureError
from embalse.core.soil.soil import FineEarth, saxton_rawls, texture_class
from embalse.core.tables import texture_sand_clay
from tests.core.build import codes

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


LOAM = FineEarth(0.4, 0.2, 2.5)
