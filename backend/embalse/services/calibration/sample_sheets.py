"""The calibration bench: samples worked as they are typed, curves compared, what their error means."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from embalse.core.errors import CoreError
from embalse.core.sensors.calibration import Calibration, calibration_at, curve_words
from embalse.core.sensors.calibration_curves import Model, curve_theta
from embalse.core.sensors.calibration_fit import (
    MODELS,
    Choice,
    Fit,
    choice,
    far_off,
    fit,
    pooling,
    prediction_error_theta,
)
from embalse.core.sensors.gravimetric_samples import SampleWater, WeighedSample, sample_water
from embalse.core.sensors.sensor_comparison import agreements
from embalse.core.wording import Notice
from embalse.services.calibration.calibrate import FitOut, curve_part, fit_out
from embalse.services.calibration.error_in_water import meaning_for
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.base import Number
from embalse.services.schema.soil_water import SampleSheetPart
from embalse.store import farm as farm_store
from embalse.store import records as record_store

Floats = NDArray[np.float64]
CURVE_POINTS = 60
RawUnitOfSheet = Literal["m3/m3", "%", "count", "mV", "permittivity"]


class SampleDraft(BaseModel):
    """A sample while it is typed: anything may still be missing."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)

    label: str = Field("", max_length=40)
    sensor: str | None = Field(None, max_length=140)
    raw: list[Number] = Field([], max_length=20)
    temperature_c: Number | None = None
    tare_g: Number | None = None
    wet_g: Number | None = None
    dry_g: Number | None = None
    ring_volume_cm3: Number | None = None
    bulk_density_g_cm3: Number | None = None
    stones_fraction: Number = 0.0
    oven_c: Number | None = None
    oven_h: Number | None = None
    theta: Number | None = None
    soil: str = Field("", max_length=40)
    depth_cm: Number | None = None
    reference_theta: Number | None = None
    left_out: str = Field("", max_length=400)


class SheetDraft(BaseModel):
    """A sheet while it is typed, and which curve to look at: the best one unless named; all samples or one group."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    block: str | None = Field(None, max_length=40)
    raw_unit: RawUnitOfSheet
    samples: list[SampleDraft] = Field(max_length=400)
    model: Literal["", "shift", "linear", "quadratic", "power", "refractive"] = ""
    group: str = Field("", max_length=90)
    sheet: str = Field("", max_length=60)


class SampleWorked(Content):
    """A row with what follows from it; ``problem`` is what is missing or wrong, by ``field``."""

    theta: float | None
    theta_mass: float | None
    bulk_density_g_cm3: float | None
    raw: float | None
    raw_sd: float | None
    group: str
    used: bool
    predicted: float | None
    residual: float | None
    cautions: list[Words]
    field: str
    problem: str


class BandPoint(Content):
    """A point of the curve with its 90 % prediction band [m³/m³]."""

    raw: float
    theta: float
    low: float
    high: float


class ModelWorked(FitOut):
    """A candidate in words, as the bench lists it."""

    formula: str


class AgreementOut(Content):
    """A sensor held against weighed samples or a reference probe [m³/m³]."""

    soil: str
    against: str
    count: int
    bias_theta: float
    rmse_theta: float
    unbiased_rmse_theta: float
    words: Words


class MeaningOut(Content):
    """What the error of the curve means in the block's root zone."""

    error_mm: float
    days: float | None
    words: Words


class SheetWorked(Content):
    """Everything that follows from a sheet; ``part`` is the calibration to apply, null while there is none."""

    rows: list[SampleWorked]
    fits: list[ModelWorked]
    shown: str | None
    best: str | None
    words: Words
    groups: list[str]
    may_pool: bool
    pooling: str
    curve: list[BandPoint]
    agreements: list[AgreementOut]
    meaning: MeaningOut | None
    part: dict[str, Any] | None


@dataclass(frozen=True)
class _Worked:
    draft: SampleDraft
    water: SampleWater | None
    theta: float | None
    field: str
    problem: str

    @property
    def group(self) -> str:
        depth = "" if self.draft.depth_cm is None else f"{self.draft.depth_cm:g} cm"
        return " ".join(part for part in (self.draft.soil, depth) if part)

    @property
    def usable(self) -> bool:
        return self.theta is not None and bool(self.draft.raw) and not self.draft.left_out


def work_sheet(draft: SheetDraft) -> SheetWorked:
    """Work out a sheet as it stands; nothing is stored and nothing is refused but by row."""
    worked = [_row(sample) for sample in draft.samples]
    in_group = [w for w in worked if w.usable and draft.group in ("", w.group)]
    raw = np.array([float(np.mean(w.draft.raw)) for w in in_group])
    theta = np.array([w.theta for w in in_group], dtype=float)
    factory = _factory_theta(draft, in_group)
    fits = _fits(draft, raw, theta, factory)
    shown = next((f for f in fits.all if f.model == draft.model), None) if draft.model else fits.best
    if shown is not None and shown.refused:
        shown = None
    pooled = pooling(raw, theta, [w.group for w in in_group]) if in_group else None
    basis = raw if shown is None or shown.model != "shift" else factory
    rows = _rows(worked, in_group, shown, basis, theta)
    return SheetWorked(
        rows=rows,
        fits=[_model_out(f) for f in fits.all],
        shown=shown.model if shown else None,
        best=fits.best.model if fits.best else None,
        words=say(fits.said),
        groups=sorted({w.group for w in worked if w.usable and w.group}),
        may_pool=pooled.may_pool if pooled else True,
        pooling=say(pooled.words) if pooled else "no samples yet",
        curve=_curve(shown, basis, theta) if shown else [],
        agreements=_agreements(in_group, factory, theta),
        meaning=_meaning(draft.block, shown),
        part=calibration_part(shown, raw, draft.sheet, _standing(draft, in_group)) if shown else None,
    )


def _row(sample: SampleDraft) -> _Worked:
    if sample.theta is not None:
        inside = 0 <= sample.theta <= 0.7
        problem = "" if inside else "must lie between 0 and 0.7 m³/m³"
        return _Worked(sample, None, sample.theta if inside else None, "" if inside else "theta", problem)
    missing = [name for name in ("tare_g", "wet_g", "dry_g") if getattr(sample, name) is None]
    if missing:
        named = {"tare_g": "the empty tin", "wet_g": "the moist mass", "dry_g": "the dry mass"}
        return _Worked(sample, None, None, missing[0], f"{named[missing[0]]} is missing")
    weighed = WeighedSample(
        sample.tare_g or 0.0, sample.wet_g or 0.0, sample.dry_g or 0.0, sample.ring_volume_cm3,
        sample.bulk_density_g_cm3, sample.stones_fraction, sample.oven_c, sample.oven_h,
    )  # fmt: skip
    try:
        water = sample_water(weighed)
    except CoreError as refusal:
        return _Worked(sample, None, None, refusal.field, say(refusal.reason))
    if not sample.raw:
        return _Worked(sample, water, water.theta, "raw", "the reading beside it is missing")
    return _Worked(sample, water, water.theta, "", "")


@dataclass(frozen=True)
class Fits:
    """Every curve that was fitted, the best of them if any will do, and what is said of it."""

    all: list[Fit]
    best: Fit | None
    said: Notice


def _fits(draft: SheetDraft, raw: Floats, theta: Floats, factory: Floats) -> Fits:
    if not len(raw):
        return Fits([], None, Notice("sheet.no_curve"))
    models: tuple[Model, ...] = (*MODELS, "refractive") if draft.raw_unit == "permittivity" else MODELS
    found: Choice = choice(raw, theta, models)
    fits, best, words = list(found.fits), found.best, found.words
    if np.isfinite(factory).all():
        shift = fit("shift", factory, theta)
        fits.append(shift)
        if best is None:
            best = shift
            words = Notice("sheet.shift", shift_theta=shift.coefficients[0], why=found.words)
    return Fits(fits, best, words)


def _standing(draft: SheetDraft, worked: Sequence[_Worked]) -> Calibration | None:
    """The calibration in force of the sensors beside the samples, None where they have none or differ."""
    now = clock.farm_now(clock.the_farm()) if worked else 0
    refs = {w.draft.sensor for w in worked}
    if refs == {None}:
        return calibration_at((), draft.raw_unit, now)
    cores = {s.key: s for b in core_blocks(farm_store.farm_rows(), now) for t in b.stations for s in t.sensors}
    found = {
        calibration_at(cores[ref].calibrations, cores[ref].raw_unit, now) if ref in cores else None for ref in refs
    }
    return found.pop() if len(found) == 1 else None


def _factory_theta(draft: SheetDraft, worked: Sequence[_Worked]) -> Floats:
    """What the calibration in force makes of each sample's reading [m³/m³], NaN where there is none."""
    standing = _standing(draft, worked) if worked else None
    raw = np.array([float(np.mean(w.draft.raw)) for w in worked])
    if standing is None or standing.model not in ("linear", "topp", "quadratic"):
        return np.full(len(raw), np.nan)
    return standing.theta(raw)


def _rows(
    worked: Sequence[_Worked], used: Sequence[_Worked], shown: Fit | None, basis: Floats, theta: Floats
) -> list[SampleWorked]:
    predicted = curve_theta(shown.model, np.array(shown.coefficients), basis) if shown else np.full(len(used), np.nan)
    far = far_off(shown.model, basis, theta) if shown else np.zeros(len(used), dtype=bool)
    place = {id(w): number for number, w in enumerate(used)}
    return [
        _row_out(w, predicted[place[id(w)]] if id(w) in place else np.nan, id(w) in place and bool(far[place[id(w)]]))
        for w in worked
    ]


def _row_out(worked: _Worked, predicted: float, far: bool) -> SampleWorked:
    water, raw = worked.water, worked.draft.raw
    cautions = list(water.cautions) if water else []
    if far:
        cautions.append(Notice("sheet.far_off"))
    known = bool(np.isfinite(predicted))
    return SampleWorked(
        theta=worked.theta,
        theta_mass=water.theta_mass if water else None,
        bulk_density_g_cm3=water.bulk_density_g_cm3 if water else None,
        raw=float(np.mean(raw)) if raw else None,
        raw_sd=float(np.std(raw, ddof=1)) if len(raw) > 1 else None,
        group=worked.group,
        used=worked.usable,
        predicted=float(predicted) if known else None,
        residual=float(predicted) - worked.theta if known and worked.theta is not None else None,
        cautions=say_all(cautions),
        field=worked.field,
        problem=worked.problem,
    )


def _curve(shown: Fit, basis: Floats, theta: Floats) -> list[BandPoint]:
    low, high = shown.raw_range
    slack = 0.08 * (high - low)
    at = np.linspace(low - slack, high + slack, CURVE_POINTS) if high > low else np.array([low])
    if shown.model in ("power", "refractive"):
        at = np.maximum(at, 1e-9)
    middle = curve_theta(shown.model, np.array(shown.coefficients), at)
    band = 1.645 * prediction_error_theta(shown, basis, theta, at)
    band = np.where(np.isfinite(band), band, 0.0)
    return [
        BandPoint(raw=float(x), theta=float(y), low=float(y - w), high=float(y + w))
        for x, y, w in zip(at, middle, band, strict=True)
    ]


def _model_out(one: Fit) -> ModelWorked:
    formula = "" if one.refused else curve_words(one.model, one.coefficients)
    return ModelWorked(**fit_out(one).model_dump(), formula=formula)


def _agreements(worked: Sequence[_Worked], factory: Floats, theta: Floats) -> list[AgreementOut]:
    soils = [w.draft.soil for w in worked]
    found = agreements(factory, theta, soils, "the calibration in force against weighed samples")
    reference = np.array([np.nan if w.draft.reference_theta is None else w.draft.reference_theta for w in worked])
    found += agreements(reference, theta, soils, "the reference probe against weighed samples")
    found += agreements(factory, reference, soils, "the calibration in force against the reference probe")
    return [AgreementOut(**{**vars(a), "words": say(a.words)}) for a in found]


def _meaning(block: str | None, shown: Fit | None) -> MeaningOut | None:
    if block is None or shown is None or not np.isfinite(shown.left_out_rmse_theta or np.nan):
        return None
    found = meaning_for(block, shown.left_out_rmse_theta, shown.shared_error_theta)
    return None if found is None else MeaningOut(**{**vars(found), "words": say(found.words)})


def calibration_part(
    shown: Fit, raw: Floats, sheet: str = "", standing: Calibration | None = None
) -> dict[str, Any] | None:
    """A fit as the calibration part of a farm document, without its day; None where it can be none."""
    error = shown.left_out_rmse_theta if np.isfinite(shown.left_out_rmse_theta) else None
    words = f"{shown.n} weighed sample{'s' if shown.n != 1 else ''}"
    base: dict[str, Any] = {"note": words}
    if error is not None:
        base["rmse_theta"] = round(min(error, 0.2), 4)
    if shown.model == "shift":
        return _shifted(shown, base, standing)
    return {**base, "curve": curve_part(shown, raw, sheet)}


def _shifted(shown: Fit, base: dict[str, Any], standing: Calibration | None) -> dict[str, Any] | None:
    """The calibration in force moved up or down."""
    if standing is None or standing.model not in ("linear", "quadratic"):
        return None
    first, *others = standing.coefficients
    moved = [first + shown.coefficients[0], *others]
    note = f"{base['note']}: shifted by {shown.coefficients[0]:+.3f} m³/m³"
    if standing.model == "linear":
        return {**base, "note": note, "slope": moved[1], "intercept": moved[0]}
    return {**base, "note": note, "curve": {"model": standing.model, "coefficients": moved}}


class SheetLine(Content):
    """A stored sheet."""

    key: str
    name: str
    block: str | None
    raw_unit: str
    on: str
    samples: int
    who: str
    note: str


class SheetsContent(Content):
    """Every stored sheet, and the sensors of each raw unit a curve can be applied to."""

    sheets: list[SheetLine]


class SheetContent(Content):
    """A stored sheet, whole, with what follows from it."""

    sheet: dict[str, Any]
    worked: SheetWorked


def sheets_content() -> SheetsContent:
    """Every stored sheet, the newest first."""
    clock.the_farm()
    parts = [SampleSheetPart.model_validate(json.loads(r.body)) for r in record_store.records("sample_sheets")]
    lines = [
        SheetLine(
            key=p.key, name=p.name, block=p.block, raw_unit=p.raw_unit, on=p.on.isoformat(), samples=len(p.samples),
            who=p.who, note=p.note,
        )
        for p in parts
    ]  # fmt: skip
    return SheetsContent(sheets=sorted(lines, key=lambda line: line.on, reverse=True))


def sheet_content(key: str) -> SheetContent:
    """A stored sheet worked out; raises NotFound."""
    body = json.loads(record_store.record("sample_sheets", key).body)
    part = SampleSheetPart.model_validate(body)
    return SheetContent(sheet=body, worked=work_sheet(draft_of(part)))


def draft_of(part: SampleSheetPart, model: str = "", group: str = "") -> SheetDraft:
    """A stored sheet as a draft."""
    samples = [SampleDraft.model_validate(s.model_dump()) for s in part.samples]
    return SheetDraft(
        block=part.block, raw_unit=part.raw_unit, samples=samples, model=model, group=group, sheet=part.key  # type: ignore[arg-type]
    )  # fmt: skip
