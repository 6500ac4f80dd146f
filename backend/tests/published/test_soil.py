"""Soil water from texture against the published table, another implementation and FAO-56's ranges."""

import pytest
from ptfkit.saxton2006 import calc_ptf_saxton2006

from embalse.core.soil.soil import FineEarth, bulk_theta, saxton_rawls, texture_class
from embalse.core.tables import texture_centres

# texture: %v at 1500 kPa, 33 kPa, saturation; Ks mm/h; matric density g/cm3, at 2.5 % organic matter
TABLE = {
    "sand": (5, 10, 46, 108.1, 1.43),
    "loamy sand": (5, 12, 46, 96.7, 1.43),
    "sandy loam": (8, 18, 45, 50.3, 1.46),
    "loam": (14, 28, 46, 15.5, 1.43),
    "silt loam": (11, 31, 48, 16.1, 1.38),
    "silt": (6, 30, 48, 22.0, 1.38),
    "sandy clay loam": (17, 27, 43, 11.3, 1.50),
    "clay loam": (22, 36, 48, 4.3, 1.39),
    "silty clay loam": (22, 38, 51, 5.7, 1.30),
    "silty clay": (27, 41, 52, 3.7, 1.26),
    "sandy clay": (25, 36, 44, 1.4, 1.47),
    "clay": (30, 42, 50, 1.1, 1.33),
}
SAXTON = "Saxton & Rawls (2006), SSSAJ 70:1569-1578, texture table; values recalled, high confidence"


@pytest.mark.published(source=SAXTON)
@pytest.mark.parametrize("texture", TABLE)
def test_texture_table_is_reproduced_to_its_rounding(texture: str) -> None:
    wilting, at_33, saturated, ks, density = TABLE[texture]
    water = saxton_rawls(FineEarth(*texture_centres()[texture], 2.5))
    assert 100 * water.theta_wilting == pytest.approx(wilting, abs=0.5)
    assert 100 * water.theta_33 == pytest.approx(at_33, abs=0.55)
    assert 100 * water.theta_saturation == pytest.approx(saturated, abs=0.5)
    assert water.ks_mm_h == pytest.approx(ks, abs=0.06)
    assert water.bulk_density_g_cm3 == pytest.approx(density, abs=0.005)


@pytest.mark.published(source="ptfkit 0.4.0, an independent implementation of Saxton & Rawls (2006)")
@pytest.mark.parametrize(
    ("sand", "clay"), [(s, c) for s in (0.05, 0.2, 0.4, 0.65, 0.88) for c in (0.05, 0.1, 0.3, 0.5) if s + c < 0.98]
)
@pytest.mark.parametrize("organic", [0.5, 2.5, 5.0])
def test_agrees_with_another_implementation(sand: float, clay: float, organic: float) -> None:
    other = calc_ptf_saxton2006(sand=sand, clay=clay, organic_matter=organic)
    mine = saxton_rawls(FineEarth(sand, clay, organic))
    values = {name.lower(): float(value) for name, value in _named(other).items()}
    assert mine.theta_wilting == pytest.approx(_pick(values, "1500"), abs=1e-4)
    assert mine.theta_33 == pytest.approx(_pick(values, "33"), abs=1e-4)


def _named(result: object) -> dict[str, object]:
    if hasattr(result, "_asdict"):
        return dict(result._asdict())
    if isinstance(result, dict):
        return result
    return dict(vars(result))


def _pick(values: dict[str, float], word: str) -> float:
    names = [
        name
        for name in values
        if word in name and not name.endswith("_t") and "s_33" not in name and "density" not in name
    ]
    assert names, f"no value named after {word} kPa in {sorted(values)}"
    return values[names[0]]


@pytest.mark.published(source="FAO-56 Table 19; ranges recalled, high confidence")
@pytest.mark.parametrize(
    ("texture", "full", "wilting"),
    [
        ("sand", (0.07, 0.17), (0.02, 0.07)),
        ("loamy sand", (0.11, 0.19), (0.03, 0.10)),
        ("sandy loam", (0.18, 0.28), (0.06, 0.16)),
        ("loam", (0.20, 0.30), (0.07, 0.17)),
        ("silt loam", (0.22, 0.36), (0.09, 0.21)),
        ("silty clay", (0.30, 0.42), (0.17, 0.29)),
    ],
)
def test_default_marks_lie_in_the_typical_range(
    texture: str, full: tuple[float, float], wilting: tuple[float, float]
) -> None:
    water = saxton_rawls(FineEarth(*texture_centres()[texture], 2.5))
    assert full[0] <= round(water.theta_full, 2) <= full[1]
    assert wilting[0] <= round(water.theta_wilting, 2) <= wilting[1]


@pytest.mark.published(source="USDA Soil Survey Manual, texture triangle; class centroids recalled, high confidence")
@pytest.mark.parametrize(
    ("texture", "sand", "clay"),
    [
        ("sand", 91.6, 3.3), ("loamy sand", 81.7, 5.7), ("sandy loam", 64.7, 10.4), ("loam", 41.2, 18.4),
        ("silt loam", 21.6, 13.2), ("silt", 7.5, 5.2), ("sandy clay loam", 59.8, 27.1), ("clay loam", 32.5, 33.5),
        ("silty clay loam", 10.0, 33.5), ("sandy clay", 51.6, 41.6), ("silty clay", 6.8, 46.8), ("clay", 19.5, 62.9),
    ],
)  # fmt: skip
def test_centroids_of_the_triangle_have_their_class(texture: str, sand: float, clay: float) -> None:
    assert texture_class(sand / 100, clay / 100) == texture


@pytest.mark.published(source="definition: stones hold no water; 20 % stones, fine earth 0.25 give 0.200 m³/m³")
def test_stones_take_their_share() -> None:
    assert bulk_theta(0.25, 0.20) == pytest.approx(0.200)
