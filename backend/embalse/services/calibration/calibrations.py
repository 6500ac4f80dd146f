"""Calibrations of sensors: putting one in force, its versions, before and after, taking it back."""

from dataclasses import replace
from datetime import datetime, time
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.root_zone.block import Block
from embalse.core.root_zone.series import theta_series
from embalse.core.sensors.calibration import TENSION_UNITS, calibration_source
from embalse.core.sensors.temperature_effect import warmth_effect
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.document.applying import ApplyReport, put_calibration
from embalse.services.load import clock
from embalse.services.load.blocks import as_calibration, core_blocks
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say, say_sentences
from embalse.services.readings import faults, rollups
from embalse.services.schema.ground import CalibrationPart
from embalse.store import calibrations as store
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound
from embalse.store.rows import CalibrationRow, SensorRow

COMPARE_DAYS = 28
WARMTH_DAYS = 40


class ApplyCalibration(BaseModel):
    """A calibration and the sensors it is for."""

    model_config = ConfigDict(extra="forbid", defer_build=True)

    sensors: list[str] = Field(min_length=1, max_length=200, description="block/station/sensor")
    calibration: CalibrationPart


class VersionOut(Content):
    """A version of a sensor's calibration; ``state`` says whether it holds."""

    id: int
    sensor: str
    depth_cm: float
    raw_unit: str
    valid_from: str
    formula: str
    rmse_theta: float | None
    note: str
    entered: str | None
    withdrawn: str | None
    state: str


class CalibrationsContent(Content):
    """Sensors that can be calibrated, with every version of their calibrations."""

    sensors: list[dict[str, Any]]
    versions: list[VersionOut]


class SideOut(Content):
    """A block's state under a calibration; depletion in the wetted soil [mm]."""

    depletion_mm: float | None
    error_mm: float | None
    wetted_fraction: float
    refill_days: list[float | None] | None
    reason: Words


class CompareContent(Content):
    """A sensor's trace and its block's state before and after a calibration [m³/m³; mm]."""

    sensor: str
    times: list[int]
    before: list[float | None]
    after: list[float | None]
    block_before: SideOut
    block_after: SideOut


class WarmthContent(Content):
    """The temperature effect of a sensor, from its own ripple."""

    sensor: str
    per_degree: float | None
    error: float | None
    days: int
    words: Words


def calibrations_content(block: str | None = None) -> CalibrationsContent:
    """Every sensor that takes a calibration, of one block or all, and the versions it had; raises NotFound."""
    zone = clock.the_farm().time_zone
    now = clock.farm_now(clock.the_farm())
    rows = farm_store.farm_rows([block] if block else None)
    sensors = [s for group in rows.sensors.values() for s in group if s.raw_unit not in TENSION_UNITS]
    versions = [
        _version(id_, row, sensor, (now, zone))
        for sensor in sensors
        for id_, row in store.versions("calibration", sensor.id)
    ]
    listed = [{"ref": s.ref, "depth_cm": s.depth_cm, "raw_unit": s.raw_unit, "type": s.type} for s in sensors]
    return CalibrationsContent(sensors=listed, versions=versions)


def _version(id_: int, row: CalibrationRow, sensor: SensorRow, at: tuple[int, str]) -> VersionOut:
    now, zone = at
    if row.withdrawn_at is not None and row.withdrawn_at <= now:
        state = "withdrawn"
    else:
        state = "in force" if row.valid_from <= now else "to come"
    return VersionOut(
        id=id_,
        sensor=sensor.ref,
        depth_cm=sensor.depth_cm,
        raw_unit=sensor.raw_unit,
        valid_from=times.local(row.valid_from, zone).date().isoformat(),
        formula=say(calibration_source(as_calibration(row)).detail).split(";")[0],
        rmse_theta=row.rmse_theta,
        note=row.note,
        entered=times.iso(row.entered_at, zone),
        withdrawn=times.iso(row.withdrawn_at, zone),
        state=state,
    )


def apply_calibration(body: ApplyCalibration) -> CalibrationsContent:
    """Put a calibration in force for some sensors, in one transaction; what stood for its day is kept as a version.

    Raises
    ------
    NotFound
        If a sensor is not there.
    Conflict
        If a sensor measures tension: its water follows from the soil's curve.
    """
    zone = clock.the_farm().time_zone
    sensors = [_sensor(ref) for ref in body.sensors]
    report = ApplyReport()
    with transaction():
        for sensor in sensors:
            put_calibration(report, ("calibration", {"sensor_id": sensor.id}), body.calibration, zone)
        faults.recheck(s.id for s in sensors)
    return calibrations_content(body.sensors[0].split("/")[0])


def _sensor(ref: str) -> SensorRow:
    found = next((s for s in farm_store.sensors() if s.ref == ref), None)
    if found is None:
        raise NotFound("sensors", f"there is no sensor '{ref}'")
    if found.raw_unit in TENSION_UNITS:
        raise Conflict("sensors", f"'{ref}' measures tension: pick a curve for its soil instead")
    return found


def set_withdrawn(row_id: int, withdrawn: bool) -> CalibrationsContent:
    """Take a calibration back, or bring it back; answers as of before stay as they were. Raises NotFound."""
    now = clock.farm_now(clock.the_farm())
    with transaction():
        sensor_id = store.withdraw(row_id, now if withdrawn else None)
        faults.recheck([sensor_id])
    ref = next(s.ref for s in farm_store.sensors() if s.id == sensor_id)
    return calibrations_content(ref.split("/")[0])


def compare(body: ApplyCalibration) -> CompareContent:
    """The first sensor's trace and its block before and after a calibration; nothing is stored. Raises NotFound."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    chosen = {_sensor(ref).ref for ref in body.sensors}
    ref = body.sensors[0]
    rows = farm_store.farm_rows([ref.split("/")[0]])
    block = core_blocks(rows, now)[0]
    other = _with(block, chosen, body.calibration, farm.time_zone)
    row = next(s for group in rows.sensors.values() for s in group if s.ref == ref)
    start = now - 86400 * COMPARE_DAYS
    series = rollups.hourly(row.id, start, now)
    warm = rollups.warmth(row, rows, start, now)
    traces = [
        theta_series(next(s for t in b.stations for s in t.sensors if s.key == ref), series, warm)
        for b in (block, other)
    ]
    before, after = analyse_blocks(farm, rows, [block, other], now)
    return CompareContent(
        sensor=ref,
        times=series[0].tolist(),
        before=[None if np.isnan(v) else round(float(v), 4) for v in traces[0]],
        after=[None if np.isnan(v) else round(float(v), 4) for v in traces[1]],
        block_before=_side(before),
        block_after=_side(after),
    )


def _with(block: Block, chosen: set[str], part: CalibrationPart, zone: str) -> Block:
    """A block with the calibration in force for some of its sensors."""
    start = times.epoch(datetime.combine(part.valid_from, time()), zone)
    new = part.core(start)
    stations = tuple(
        replace(
            t,
            sensors=tuple(
                replace(s, calibrations=tuple(sorted((*s.calibrations, new), key=lambda c: c.valid_from)))
                if s.key in chosen
                else s
                for s in t.sensors
            ),
        )
        for t in block.stations
    )
    return replace(block, stations=stations)


def _side(analysis: BlockAnalysis) -> SideOut:
    days = analysis.advice.days
    finite = None if days is None else [days.low, days.mid, None if np.isinf(days.high) else days.high]
    state = analysis.state
    return SideOut(
        depletion_mm=state.depletion_mm if state else None,
        error_mm=state.error_mm if state else None,
        wetted_fraction=analysis.block.limits.wetted_fraction,
        refill_days=finite,
        reason=say_sentences(analysis.advice.reason),
    )


def warmth_content(ref: str) -> WarmthContent:
    """What a sensor's own day and night ripple says of its temperature effect; raises NotFound."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    sensor = next((s for s in farm_store.sensors() if s.ref == ref), None)
    if sensor is None:
        raise NotFound("sensor", f"there is no sensor '{ref}'")
    rows = farm_store.farm_rows([ref.split("/", maxsplit=1)[0]])
    start = now - 86400 * WARMTH_DAYS
    warm = rollups.warmth(sensor, rows, start, now)
    if warm is None:
        words = "no soil temperature is measured at this station, so nothing can be said of its effect"
        return WarmthContent(sensor=ref, per_degree=None, error=None, days=0, words=words)
    ts, raw = rollups.hourly(sensor.id, start, now)
    axis = np.arange(start // 3600 * 3600, now + 1, 3600)
    table = [np.full(len(axis), np.nan), np.full(len(axis), np.nan)]
    for place, (when, values) in enumerate(((ts, raw), warm)):
        table[place][np.searchsorted(axis, when)] = values
    dry = np.ones(len(axis), dtype=bool)
    for begin, end in faults.water_times(ref.split("/", maxsplit=1)[0], start, now):
        dry &= (axis < begin - 3600) | (axis > end + 2 * 86400)
    found = warmth_effect(table[0], table[1], dry)
    return WarmthContent(
        sensor=ref, per_degree=found.per_degree, error=found.error, days=found.days, words=say(found.words)
    )
