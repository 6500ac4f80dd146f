"""What the set-up pages show while a person types: curves, rates, areas, evenness, the crop library."""

from collections.abc import Sequence
from datetime import date

from pydantic import BaseModel, Field

from embalse.core.crop.crop_library import CROP_ENTRIES, library, library_crop
from embalse.core.delivery.delivery import Emitters, application_rate_mm_h
from embalse.core.delivery.moving_systems import (
    end_rate_mm_h,
    flow_m3_h,
    furrow_rate_mm_h,
    furrow_sets,
    pivot_area_ha,
    pivot_depth_mm,
    pivot_rate_mm_h,
)
from embalse.core.delivery.uniformity import efficiency_from_uniformity, uniformity
from embalse.core.delivery.wetted_fraction import WettedPattern, usual_bulb_m, wetted_fraction
from embalse.core.install.boundary import LonLat, area_caution, area_ha
from embalse.core.install.install_window import install_window, window_sentence
from embalse.core.practice import practice, practice_numbers
from embalse.core.soil.horizon_marks import horizon_marks, root_limit_cm
from embalse.core.soil.soil import bulk_theta, retention_curve, texture_class
from embalse.core.sources import Source
from embalse.core.tables import table_rows
from embalse.core.wording import Notice, Text
from embalse.services.load.schemas import SourceOut
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.land import HorizonPart, SystemPart


def source_out(source: Source) -> SourceOut:
    """A core source as it is sent out."""
    return SourceOut.of(source)


class CurvePoint(BaseModel):
    """A point of a retention curve."""

    tension_kpa: float
    theta: float


class HorizonCurve(BaseModel):
    """What follows from a horizon: class, marks [m³/m³], Ks, available water, the curve, what is out of range."""

    top_cm: float
    bottom_cm: float
    texture: str
    theta_full: float
    theta_wilting: float
    theta_saturation: float
    full_tension_kpa: float
    ks_mm_h: float
    bulk_density_g_cm3: float
    available_mm: float
    points: list[CurvePoint]
    full_source: SourceOut
    cautions: list[Words]


class SoilCurves(BaseModel):
    """Curves of a soil's horizons, and where roots stop."""

    horizons: list[HorizonCurve]
    root_limit_cm: float | None


def soil_curves(parts: Sequence[HorizonPart]) -> SoilCurves:
    """Curves and marks of horizons as they are typed."""
    found = []
    for part in parts:
        marks = horizon_marks(part.horizon())
        thickness_mm = 10 * (part.bottom_cm - part.top_cm)
        found.append(
            HorizonCurve(
                top_cm=part.top_cm,
                bottom_cm=part.bottom_cm,
                texture=marks.water.texture,
                theta_full=marks.theta_full,
                theta_wilting=marks.theta_wilting,
                theta_saturation=bulk_theta(marks.water.theta_saturation, part.stones_fraction),
                full_tension_kpa=marks.water.full_tension_kpa,
                ks_mm_h=marks.water.ks_mm_h,
                bulk_density_g_cm3=marks.water.bulk_density_g_cm3,
                available_mm=(marks.theta_full - marks.theta_wilting) * thickness_mm,
                points=[
                    CurvePoint(tension_kpa=t, theta=theta)
                    for t, theta in retention_curve(marks.water, part.stones_fraction)
                ],
                full_source=source_out(marks.full_source),
                cautions=say_all(marks.water.cautions),
            )
        )
    return SoilCurves(horizons=found, root_limit_cm=root_limit_cm([p.horizon() for p in parts]))


class SystemFacts(BaseModel):
    """What follows from a system: rate, flow asked, and what its kind adds."""

    rate_mm_h: float
    flow_m3_h: float | None
    pivot_area_ha: float | None = None
    depth_at_full_mm: float | None = None
    end_rate_mm_h: float | None = None
    sets: int | None = None
    notes: list[str] = []


def system_facts(part: SystemPart, block_area_ha: float | None, wetted_width_m: float | None = None) -> SystemFacts:
    """Rate and flow of a system as it is typed; ``block_area_ha`` [ha] gives the flow a block asks."""
    if part.pivot is not None and part.kind == "pivot":
        pivot = part.pivot.pivot()
        area = pivot_area_ha(pivot)
        notes = [] if block_area_ha is None else [_note for _note in [area_caution(block_area_ha, area, 0.05)] if _note]
        return SystemFacts(
            rate_mm_h=pivot_rate_mm_h(pivot),
            flow_m3_h=pivot.flow_m3_h,
            pivot_area_ha=area,
            depth_at_full_mm=pivot_depth_mm(pivot),
            end_rate_mm_h=end_rate_mm_h(pivot, wetted_width_m) if wetted_width_m else None,
            notes=say_all(notes),
        )
    if part.furrows is not None and part.kind in ("furrow", "border"):
        furrows = part.furrows.furrows()
        return SystemFacts(
            rate_mm_h=furrow_rate_mm_h(furrows),
            flow_m3_h=3.6 * furrows.inflow_l_s * furrows.count,
            sets=None if not block_area_ha else furrow_sets(furrows, block_area_ha),
        )
    rate = part.rate_mm_h
    if rate is None:
        assert part.flow_l_h and part.spacing_m and part.line_spacing_m
        rate = application_rate_mm_h(Emitters(part.flow_l_h, part.spacing_m, part.line_spacing_m, part.per_point))
    return SystemFacts(rate_mm_h=rate, flow_m3_h=flow_m3_h(rate, block_area_ha) if block_area_ha else None)


class OutlineFacts(BaseModel):
    """An outline's area on the ellipsoid, and what the entered area says against it."""

    area_ha: float
    caution: Words | None


def outline_facts(ring: Sequence[LonLat], entered_ha: float | None) -> OutlineFacts:
    """Area of an outline [degrees], compared with the entered one [ha]."""
    area = area_ha(ring)
    caution = None if entered_ha is None else area_caution(entered_ha, area, practice("area_differs_share"))
    return OutlineFacts(area_ha=area, caution=say(caution) or None)


class UniformityFacts(BaseModel):
    """Evenness of a system and the efficiency that would follow."""

    count: int
    mean: float
    low_quarter_mean: float
    du_low_quarter: float
    christiansen_cu: float
    efficiency_fraction: float


def uniformity_facts(values: Sequence[float], kept_fraction: float) -> UniformityFacts:
    """Evenness of catches or flows as they are typed."""
    found = uniformity(values)
    return UniformityFacts(
        count=found.count,
        mean=found.mean,
        low_quarter_mean=found.low_quarter_mean,
        du_low_quarter=found.du_low_quarter,
        christiansen_cu=found.christiansen_cu,
        efficiency_fraction=efficiency_from_uniformity(found.du_low_quarter or 1e-9, kept_fraction),
    )


class WettedFacts(BaseModel):
    """Wetted share of the ground, and the usual width of the wet bulb in that texture."""

    wetted_fraction: float | None
    usual_low_m: float | None
    usual_high_m: float | None
    source: Words = "common practice, no source: dig and measure 30 cm down"


def wetted_facts(topsoil: HorizonPart | None, pattern: WettedPattern | None) -> WettedFacts:
    """Helper for the wetted share; the pattern is given once the bulb's width is known."""
    usual = None if topsoil is None else usual_bulb_m(texture_class(*topsoil.sand_clay()))
    return WettedFacts(
        wetted_fraction=None if pattern is None else wetted_fraction(pattern),
        usual_low_m=usual[0] if usual else None,
        usual_high_m=usual[1] if usual else None,
    )


class CropValueOut(BaseModel):
    """A value of the library's crop, and what the block has instead."""

    name: str
    label: Words
    unit: str
    library_value: float | None
    value: float | None
    changed: bool
    source: SourceOut


class CropOutFull(BaseModel):
    """A crop with its values; ``crop`` is empty when the library does not have it."""

    crop: str
    values: list[CropValueOut]
    window_state: str = Field(description="open, early, closed or unknown")
    window: Words


def crop_out(name: str, own: dict[str, float], planted: date | None, today: date | None) -> CropOutFull:
    """A crop's values with those a block holds instead, and its window for installing."""
    found = library_crop(name)
    values = []
    known = {v.name: v for v in found.values} if found else {}
    for key, (label, unit, _, _) in CROP_ENTRIES.items():
        from_library = known.get(key)
        library_value = from_library.value if from_library else None
        value = own.get(key, library_value)
        source = from_library.source if from_library else Source("assumption", "not in the library: enter it")
        if key in own and own[key] != library_value:
            was: Text = "the library has none"
            if library_value is not None:
                was = Notice("crop.changed_from", library=library_value)
            source = Source("entry", "block set-up", (was, source.title) if from_library else was)
        values.append(
            CropValueOut(
                name=key,
                label=label,
                unit=unit,
                library_value=library_value,
                value=value,
                changed=key in own and own[key] != library_value,
                source=source_out(source),
            )
        )
    window = install_window(name)
    days = float((today - planted).days) if planted and today else None
    state, sentence = window_sentence(window, days) if window else ("unknown", "No window is known for this crop.")
    return CropOutFull(crop=found.crop if found else "", values=values, window_state=state, window=say(sentence))


class PracticeOut(BaseModel):
    """A number of practice."""

    name: str
    value: float
    unit: str
    meaning: Words
    source: Words


class LibraryContent(BaseModel):
    """The crop library, the feel of textures, and the numbers of practice."""

    crops: list[CropOutFull]
    feel: list[dict[str, str]]
    practice: list[PracticeOut]


def library_content() -> LibraryContent:
    """Everything the set-up pages look up."""
    return LibraryContent(
        crops=[crop_out(c.crop, {}, None, None) for c in library()],
        feel=[dict(row) for row in table_rows("texture_feel.csv")],
        practice=[
            PracticeOut(name=p.name, value=p.value, unit=p.unit, meaning=p.meaning, source=p.source)
            for p in practice_numbers().values()
        ],
    )
