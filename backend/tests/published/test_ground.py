"""Outside checks of set-up, bench and siting."""

import numpy as np
import pytest
from pyproj import Geod

from embalse.core.crop.crop_library import library_crop
from embalse.core.delivery.moving_systems import (
    Furrows,
    Pivot,
    end_rate_mm_h,
    flow_m3_h,
    furrow_rate_mm_h,
    furrow_sets,
    pivot_depth_mm,
    pivot_timer_fraction,
)
from embalse.core.delivery.uniformity import efficiency_from_uniformity, uniformity
from embalse.core.delivery.wetted_fraction import WettedPattern, wetted_fraction
from embalse.core.install.access_tubes import tube_cuts
from embalse.core.install.boundary import LocalFrame, area_ha, edge_distance_m
from embalse.core.install.instruments import layer_middles_cm, upper_and_lower_cm
from embalse.core.install.procedures import procedure
from embalse.core.install.siting import siting_rules
from embalse.core.practice import practice

IN, FT = 2.54, 0.3048
CATCHES = [22, 25, 27, 24, 30, 28, 26, 21, 29, 25, 27, 24, 20, 26, 28, 30]
GPM = 0.2271247  # m³/h


@pytest.mark.published(source="Christiansen (1942); NRCS NEH 652 low-quarter uniformity, worked example computed")
def test_uniformity_of_sixteen_cans() -> None:
    found = uniformity(CATCHES)
    assert found.mean == pytest.approx(25.750) and found.low_quarter_mean == pytest.approx(21.750)
    assert 100 * found.du_low_quarter == pytest.approx(84.5, abs=0.05)
    assert 100 * found.christiansen_cu == pytest.approx(90.7, abs=0.05)
    assert 25 / efficiency_from_uniformity(found.du_low_quarter) == pytest.approx(29.60, abs=0.01)


@pytest.mark.published(source="Keller & Bliesner (1990), DU = 100 - 1.59 (100 - CU) for normal catches (from memory)")
def test_normal_catches_follow_the_relation_of_du_and_cu() -> None:
    catches = np.random.default_rng(3).normal(25, 3, 20_000)
    found = uniformity(catches.tolist())
    relation = 1 - 1.59 * (1 - found.christiansen_cu)
    assert found.du_low_quarter == pytest.approx(relation, abs=0.003)


@pytest.mark.published(source="pyproj (PROJ's geodesic polygon area, WGS 84)")
@pytest.mark.parametrize(
    "ring",
    [
        [(-15.2, 38.4), (-15.193, 38.4), (-15.193, 38.404), (-15.2, 38.4045)],
        [(151.0, -33.5), (151.02, -33.49), (151.01, -33.47)],
        [(20.0, 68.0), (20.05, 68.0), (20.05, 68.02), (20.03, 68.01), (20.0, 68.02)],
    ],
)
def test_area_on_the_ellipsoid(ring: list[tuple[float, float]]) -> None:
    lons, lats = zip(*ring, strict=True)
    area, _ = Geod(ellps="WGS84").polygon_area_perimeter(lons, lats)
    assert area_ha(ring) == pytest.approx(abs(area) / 1e4, rel=1e-7)
    assert area_ha(ring[::-1]) == pytest.approx(area_ha(ring))


@pytest.mark.published(source="pyproj (PROJ's geodesic distance, WGS 84)")
def test_distances_in_the_flat_frame() -> None:
    geod = Geod(ellps="WGS84")
    for lon, lat in ((0.01, 0.0), (0.0, 0.01), (-0.007, 0.006)):
        _, _, metres = geod.inv(-15.2, 38.4, -15.2 + lon, 38.4 + lat)
        east, north = LocalFrame(-15.2, 38.4).metres((-15.2 + lon, 38.4 + lat))
        assert float(np.hypot(east, north)) == pytest.approx(metres, rel=2e-4)
    square = [(-15.2, 38.4), (-15.19, 38.4), (-15.19, 38.41), (-15.2, 38.41)]
    _, _, to_side = geod.inv(-15.2, 38.405, -15.199, 38.405)
    assert edge_distance_m(square, (-15.199, 38.405)) == pytest.approx(to_side, rel=1e-3)
    assert edge_distance_m(square, (-15.201, 38.405)) == pytest.approx(-to_side, rel=1e-3)


@pytest.mark.published(source="NRCS NEH 652, Q t = A d: 1.5 L/s, 12 h, 400 m x 1.5 m is 108.0 mm gross (computed)")
def test_furrow_identity() -> None:
    furrows = Furrows(1.5, 20, 1.5, 400)
    assert 12 * furrow_rate_mm_h(furrows) == pytest.approx(108.0)
    assert furrow_sets(furrows, 12.0) == 10
    assert furrow_sets(furrows, 12.5) == 11


@pytest.mark.published(source="NRCS NEH 652: 800 gpm on 125 acres is 8.62 mm/day gross, 7.33 net at 0.85 (computed)")
def test_pivot_capacity() -> None:
    radius_m = (125 * 4046.8564224 / np.pi) ** 0.5
    pivot = Pivot(radius_m, 800 * GPM, 24)
    assert pivot_depth_mm(pivot) == pytest.approx(8.62, abs=0.01)
    assert 0.85 * pivot_depth_mm(pivot) == pytest.approx(7.33, abs=0.01)


@pytest.mark.published(source="NRCS NEH 652: in/h = 245 Q/(R W): 800 gpm, 1300 ft, 50 ft is 76.6 mm/h (computed)")
def test_pivot_peak_rate() -> None:
    assert end_rate_mm_h(Pivot(1300 * FT, 800 * GPM, 24), 50 * FT) == pytest.approx(76.6, abs=0.3)


@pytest.mark.published(source="common practice: depth of a turn times timer setting is constant")
def test_pivot_timer() -> None:
    pivot = Pivot(400, 180, 18, depth_at_full_mm=8)
    assert pivot_timer_fraction(pivot, 8) == 1
    assert pivot_timer_fraction(pivot, 14) * 14 == pytest.approx(8)


@pytest.mark.published(source="Pint: 1 ha x 1 mm is 10 m³")
def test_flow_asked_of_a_supply() -> None:
    assert flow_m3_h(1.0, 1.0) == 10


@pytest.mark.published(source="drip, tree: 8 emitters of 4 L/h on 5 x 6 m; discs of 1.3 m wet 35 % (computed)")
def test_wetted_share_of_separate_discs() -> None:
    one = wetted_fraction(WettedPattern(1.3, 5.0 / 8, 1, 6.0))
    apart = wetted_fraction(WettedPattern(1.0, 2.0, 1, 6.0))
    assert one == pytest.approx(1.3 / 6)
    assert apart == pytest.approx(np.pi / 4 / 12)


@pytest.mark.published(source="common practice, no source: tubes 12, 24, 36, 48 in carry 6, 18, 30, 42 in at 7.5 in")
def test_tube_set() -> None:
    cuts = tube_cuts([d * IN for d in (42, 6, 30, 18)])
    assert [round(c.length_cm / IN, 6) for c in cuts] == [12, 24, 36, 48]
    assert [c.label for c in cuts] == ["1", "2", "3", "4"]
    assert {round(c.soil_line_cm / IN, 6) for c in cuts} == {7.5}


@pytest.mark.published(source="common practice, no source: 30 in deep is cut at least to 34 in")
def test_tube_is_four_inches_longer() -> None:
    [cut] = tube_cuts([30 * IN], stick_out_cm=5.5 * IN)
    assert cut.length_cm == pytest.approx(34 * IN)


@pytest.mark.published(source="common practice, no source: conditioning limits of matrix sensors")
def test_conditioning_limits() -> None:
    steps = {s.step: s for s in procedure("condition-a").steps}
    assert steps["read_dry1"].low == practice("matrix_dry_kpa") == 150
    assert steps["read_wet1"].high == practice("matrix_wet_kpa") == 5
    assert (steps["rewet"].timer_min, steps["rewet"].high) == (practice("matrix_rewet_min"), 5) == (2, 5)
    assert steps["read_wet_ready"].high == practice("matrix_ready_kpa") == 10
    assert steps["dry1"].timer_min == 30 * 60
    assert {s.step for s in procedure("condition-c").steps} >= {"soak1", "dry1", "soak2", "dry2", "soak3", "dry3"}


@pytest.mark.published(source="common practice, no source: siting distances, furrow and drip offsets")
def test_siting_limits() -> None:
    rules = {r.rule: r for r in siting_rules()}
    assert rules["edge"].low == pytest.approx(150 * FT, abs=1)
    assert (rules["emitter"].low, rules["emitter"].high) == (5, 10)
    low, high = rules["run"].low, rules["run"].high
    assert low is not None and high is not None and low < 2 / 3 < high
    assert (rules["from_plant"].low, rules["from_plant"].high) == pytest.approx((2 * IN, 3 * IN), abs=0.1)
    assert rules["first_span"].low == 3


@pytest.mark.published(source="common practice, no source: depth sets 6/18/30/42 in and 25 and 60 cm in use")
def test_proposed_depths() -> None:
    assert layer_middles_cm(100, 200) == [15, 45, 75, 105]
    assert upper_and_lower_cm(70, 150) == [25, 60]


@pytest.mark.published(source="FAO-56 Tables 11, 12 and 22 (from memory, high confidence)")
def test_crop_library_rows() -> None:
    tomato, cotton = library_crop("tomato"), library_crop("cotton")
    assert tomato is not None and cotton is not None
    assert [tomato.value(f"{s}_days") for s in ("initial", "development", "mid", "late")] == [30, 40, 45, 30]
    assert (tomato.value("kc_ini"), tomato.value("kc_mid"), tomato.value("root_depth_cm")) == (0.60, 1.15, 70)
    assert cotton.value("allowable_depletion_fraction") == 0.65
