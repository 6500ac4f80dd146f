"""Tension and water together: each horizon's curve, what else could be picked, and the table for each depth."""

import json
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field as PydanticField

from embalse.core.advice.block_analysis import StationAnalysis
from embalse.core.crop.crop_library import asks_local_practice, library_crop
from embalse.core.errors import CoreError
from embalse.core.practice import practice
from embalse.core.root_zone.block import Sensor
from embalse.core.sensors.calibration import TENSION_UNITS
from embalse.core.sensors.matrix_sensor import at_times
from embalse.core.sensors.tension_school import TensionBand, band_of, tension_bands, upper_and_lower, wet_share
from embalse.core.soil.horizon_marks import horizon_at, horizon_marks
from embalse.core.soil.layers import Layer
from embalse.core.soil.retention import (
    RetentionCurve,
    class_curve,
    class_parameters,
    equation_curve,
    fitted_curve,
    pairs_curve,
    tension_table,
)
from embalse.core.soil.soil import texture_class
from embalse.services import times
from embalse.services.advice.field_series import Field, field_at, thetas
from embalse.services.load.in_force import in_force
from embalse.services.load.schemas import Content, SourceOut
from embalse.services.marks.marks_page import source_out
from embalse.services.reader import Words, say
from embalse.services.readings import rollups
from embalse.services.readings.known_then import as_known_then
from embalse.services.readings.observations import hourly_warmth
from embalse.store import farm as farm_store
from embalse.store import records as record_store

DRAWN_KPA = np.geomspace(1.0, 1500.0, 40)
PAIR_CM = 6.0
PAIR_STEP_S = 6 * 3600
MOST_PAIRS = 300


class CurveOut(Content):
    """A curve of a horizon: drawn points, its error, where it is from; ``refused`` says why it cannot be picked."""

    kind: str
    picked: bool
    points: list[list[float]]
    theta_error: float | None
    source: SourceOut | None
    refused: Words
    fitted_to: list[list[float]]


class HorizonCurves(Content):
    """A horizon's curves."""

    soil: str
    top_cm: float
    bottom_cm: float
    texture: str
    curves: list[CurveOut]
    theta_full: float
    theta_wilting: float


class TensionRow(Content):
    """A line of the table: tension, water content, share of available water used, water left and used [mm]."""

    kpa: float
    theta: float
    used_share: float
    left_mm: float
    used_mm: float


class DepthTable(Content):
    """The table of one layer."""

    depth_cm: float
    top_cm: float
    bottom_cm: float
    in_roots: bool
    refill_kpa: float
    full_kpa: float
    theta_refill: float
    rows: list[TensionRow]


class RootZoneRow(Content):
    """The root zone with every layer at one tension."""

    kpa: float
    used_share: float
    left_mm: float
    used_mm: float


class TensionBandOut(Content):
    """Tensions between which to irrigate in a stage [kPa]."""

    stage: str
    low_kpa: float
    high_kpa: float
    source: Words
    confidence: str


class WetOut(Content):
    """Share of the last weeks a tension sensor stood below 10 kPa; null with too few hours."""

    sensor: str
    depth_cm: float
    share: float | None
    hours: int
    too_wet: bool


class MeansOut(Content):
    """Mean tension of the upper and of the lower sensors [kPa] at instants [s, UTC]; null where none read."""

    times: list[int]
    upper_kpa: list[float | None]
    lower_kpa: list[float | None]
    uppers: int
    lowers: int


class TensionContent(Content):
    """Everything on the Tension page of a block."""

    block: str
    name: str
    as_of: str
    stage: str | None
    horizons: list[HorizonCurves]
    tables: list[DepthTable]
    root_zone: list[RootZoneRow]
    threshold_kpa: list[float] | None
    picked: list[dict[str, Any]]
    why_not: Words
    band: TensionBandOut | None = None
    bands: list[TensionBandOut] = PydanticField([])
    ask_local: bool = False
    wet: list[WetOut] = PydanticField([])
    means: MeansOut | None = None


@as_known_then
def tension_content(key: str, moment: str | None = None) -> TensionContent:
    """Tension against water in a block's soil, as known at a farm-local moment; raises NotFound, ValueError."""
    field = field_at(key, moment)
    station = next((s for s in field.analysis.stations if s.layers), None)
    soil = field.rows.soil_keys[field.row.soil_id]
    bodies = [json.loads(r.body) for r in record_store.records("retention_curves", soil)]
    stored = farm_store.farm_rows([key]).horizons.get(field.row.soil_id, [])
    horizons = [_horizon(field, soil, (h.top_cm, h.bottom_cm), bodies) for h in stored]
    tables = [_table(field, layer) for layer in station.layers] if station else []
    return TensionContent(
        block=key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        stage=field.block.stage,
        horizons=horizons,
        tables=tables,
        root_zone=_root_zone(field, station) if station else [],
        threshold_kpa=_threshold(field),
        picked=[b for b in bodies if in_force([b], (field.now, field.zone))],
        why_not="" if station else say(field.analysis.advice.reason),
        band=next(iter(_bands_out([b] if (b := band_of(field.row.crop, field.block.stage)) else [])), None),
        bands=_bands_out(tension_bands(field.row.crop)),
        ask_local=asks_local_practice(field.row.crop),
        wet=_wet_shares(field),
        means=_means(field),
    )


WET_DAYS = 30  # days a share of time is told for: the wet end of one set or two is not a habit (ours)
DRAWN_DAYS = 30  # days the means are drawn for


def _bands_out(bands: Sequence[TensionBand]) -> list[TensionBandOut]:
    return [TensionBandOut(**vars(b)) for b in bands]


def _tensions(field: Field) -> list[tuple[Sensor, NDArray[np.int64], NDArray[np.float64]]]:
    """Hourly tension [kPa] of each tension sensor of the block over the last weeks, water columns taken off."""
    sensors = [s for station in field.block.stations for s in station.sensors if s.raw_unit in TENSION_UNITS]
    by_ref = {s.ref: s for group in field.rows.sensors.values() for s in group}
    warmth = hourly_warmth(field.rows, sensors, (field.now - 86400 * DRAWN_DAYS, field.now))
    found = []
    for sensor in sensors:
        series = rollups.hourly(by_ref[sensor.key].id, field.now - 86400 * DRAWN_DAYS, field.now)
        warm = warmth.get(sensor.key)
        chain = sensor.calibrations[-1].chain if sensor.calibrations else None
        if not len(series[0]) or chain is None:
            continue
        warm_c = None if warm is None else at_times(series[0], warm)
        found.append((sensor, series[0], chain.kpa(series[1], warm_c)))
    return found


def _wet_shares(field: Field) -> list[WetOut]:
    """How much of the time each sensor stood too wet; its first cycles in the ground do not count."""
    settle = practice("settle_days") * 86400
    found = []
    for sensor, at, kpa in _tensions(field):
        told = wet_share(at, kpa, None if sensor.since is None else sensor.since + settle)
        found.append(
            WetOut(
                sensor=sensor.key,
                depth_cm=sensor.depth_cm,
                share=told.share,
                hours=told.hours,
                too_wet=told.too_wet,
            )
        )
    return found


def _means(field: Field) -> MeansOut | None:
    """Uppers and lowers as means, of both sides of a drip line and every station alike."""
    series = [(s.depth_cm, at, kpa) for s, at, kpa in _tensions(field)]
    depth = field.analysis.root_depth_cm
    if not series or depth is None:
        return None
    told = upper_and_lower(series, depth)
    step = max(1, len(told.times) // 400)

    def out(values: NDArray[np.float64]) -> list[float | None]:
        return [None if np.isnan(v) else round(float(v), 1) for v in values[::step]]

    return MeansOut(
        times=told.times[::step].tolist(), upper_kpa=out(told.upper_kpa), lower_kpa=out(told.lower_kpa),
        uppers=told.uppers, lowers=told.lowers,
    )  # fmt: skip


def _threshold(field: Field) -> list[float] | None:
    entered = json.loads(field.row.crop_values)
    library = library_crop(field.row.crop)
    found = [
        entered.get(name, library.value(name) if library else None) for name in ("tension_low_kpa", "tension_high_kpa")
    ]
    return None if None in found else found


def _horizon(field: Field, soil: str, span: tuple[float, float], bodies: list[dict[str, Any]]) -> HorizonCurves:
    there = horizon_at(field.block.horizons, (span[0] + span[1]) / 2)
    earth, stones = there.earth, there.stones_fraction
    marks = horizon_marks(there)
    texture = texture_class(earth.sand_fraction, earth.clay_fraction)
    mine = [b for b in bodies if (b["top_cm"], b["bottom_cm"]) == span]
    now = in_force(mine, (field.now, field.zone))
    picked = now[-1]["kind"] if now else "equation"
    lab: list[list[float]] = next((b["points"] for b in reversed(mine) if b["kind"] == "points"), [])
    found = [
        _curve_out(equation_curve(earth, stones), picked),
        _curve_out(class_curve(earth.sand_fraction, earth.clay_fraction, stones), picked),
        _fitted_out("points", [(p[0], p[1]) for p in lab], texture, picked),
        _fitted_out("pairs", paired(field, span), texture, picked),
    ]
    return HorizonCurves(
        soil=soil, top_cm=span[0], bottom_cm=span[1], texture=texture, curves=found, theta_full=marks.theta_full,
        theta_wilting=marks.theta_wilting,
    )  # fmt: skip


def _curve_out(curve: RetentionCurve, picked: str) -> CurveOut:
    drawn = [[float(k), float(t)] for k, t in zip(DRAWN_KPA, curve.theta(DRAWN_KPA), strict=True)]
    return CurveOut(
        kind=curve.kind, picked=picked == curve.kind, points=drawn, theta_error=curve.theta_error,
        source=source_out(curve.source), refused="", fitted_to=[list(p) for p in curve.points],
    )  # fmt: skip


def _fitted_out(kind: str, points: list[tuple[float, float]], texture: str, picked: str) -> CurveOut:
    try:
        start = class_parameters()[texture]
        curve = fitted_curve(points, "points", start) if kind == "points" else pairs_curve(points, start)
    except CoreError as refusal:
        none = "no laboratory points are entered" if kind == "points" else "no sensors of both kinds stand side by side"
        refused = refusal.reason if points else none
        return CurveOut(
            kind=kind, picked=picked == kind, points=[], theta_error=None, source=None, refused=say(refused),
            fitted_to=[list(p) for p in points],
        )  # fmt: skip
    return _curve_out(curve, picked)


def paired(field: Field, span: tuple[float, float]) -> list[tuple[float, float]]:
    """Tension [kPa] and water content [m³/m³] read within 6 cm and the same hours, in a horizon's depths [cm]."""
    by_ref = {s.ref: s for group in field.rows.sensors.values() for s in group}
    tension, water = [], []
    for station in field.analysis.stations:
        axis, columns = thetas(field, station)
        for sensor, theta in zip(station.station.sensors, columns, strict=True):
            if not span[0] <= sensor.depth_cm <= span[1]:
                continue
            if sensor.raw_unit in TENSION_UNITS:
                ts, kpa = rollups.tension(by_ref[sensor.key], sensor, field.rows, (field.start, field.now))
                tension.append((sensor.depth_cm, ts, kpa))
            else:
                water.append((sensor.depth_cm, axis, theta))
    pairs = []
    for depth, ts, kpa in tension:
        for other, axis, theta in water:
            if abs(depth - other) > PAIR_CM or not len(axis) or not len(ts):
                continue
            place = np.clip(np.searchsorted(axis, ts), 0, len(axis) - 1)
            near = (np.abs(axis[place] - ts) <= PAIR_STEP_S / 2) & np.isfinite(theta[place]) & np.isfinite(kpa)
            pairs += list(zip(kpa[near].tolist(), theta[place][near].tolist(), strict=True))
    step = max(1, len(pairs) // MOST_PAIRS)
    return [(round(k, 2), round(t, 4)) for k, t in pairs[::step]]


def _table(field: Field, layer: Layer) -> DepthTable:
    curve = horizon_at(field.block.horizons, layer.depth_cm).curve
    thickness = layer.rooted_cm or layer.thickness_cm
    rows = tension_table(curve, (layer.theta_full, layer.theta_wilting), thickness)
    return DepthTable(
        depth_cm=layer.depth_cm,
        top_cm=layer.top_cm,
        bottom_cm=layer.bottom_cm,
        in_roots=layer.rooted_cm > 0,
        refill_kpa=float(curve.tension_kpa(layer.theta_refill)),
        full_kpa=float(curve.tension_kpa(layer.theta_full)),
        theta_refill=layer.theta_refill,
        rows=[TensionRow(**vars(row)) for row in rows],
    )


def _root_zone(field: Field, station: StationAnalysis) -> list[RootZoneRow]:
    layers = [layer for layer in station.layers if layer.rooted_cm > 0]
    tables = [_table(field, layer) for layer in layers]
    available = sum(layer.water_mm(layer.theta_full - layer.theta_wilting) for layer in layers)
    found = []
    for lines in zip(*(t.rows for t in tables), strict=True):
        used, left = (sum(getattr(line, name) for line in lines) for name in ("used_mm", "left_mm"))
        found.append(RootZoneRow(kpa=lines[0].kpa, used_share=used / available, left_mm=left, used_mm=used))
    return found
