"""The farm document: one JSON file that describes a farm, read by ``embalse apply`` and by the API."""

import re
from datetime import datetime, time
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationError, model_validator

from embalse.services.schema.auditing import AuditRulesPart, SetChoicePart, SetVisitPart
from embalse.services.schema.base import Day, Key, Note, Number, Part, When, wrong
from embalse.services.schema.deciding import BlockRulesPart, DryWindowPart, ForecastPart, OrderPart
from embalse.services.schema.ground import CalibrationPart, DevicePart, PlacementPart
from embalse.services.schema.land import BlockPart, FarmPart, SoilPart, SupplyPart, SystemPart
from embalse.services.schema.payload_maps import PayloadMapPart
from embalse.services.schema.practice import (
    AirLimitPart,
    BenchReadingPart,
    ComparisonPart,
    DepthSchemePart,
    LoggerMemoryPart,
    RainNotePart,
    SensorFindingPart,
    StageSeenPart,
    ZoneAcceptancePart,
)
from embalse.services.schema.records import (
    BatchTestPart,
    ChannelCheckPart,
    InstrumentPlanPart,
    PhotoPart,
    ProcedureRunPart,
    SitingLimitPart,
    SpotPart,
    UniformityTestPart,
    VisitPart,
)
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.schema.season import HarvestPart, MeterReadingPart, PlantingPart
from embalse.services.schema.soil_water import (
    ChosenPart,
    FruitSamplePart,
    FruitTargetPart,
    GrowthDayPart,
    MarkChoicePart,
    RetentionCurvePart,
    SampleSheetPart,
)
from embalse.services.schema.water import (
    ArmingPart,
    BlockShiftsPart,
    PlannedSetPart,
    SetEvidencePart,
    SetGroupPart,
    WaterRulesPart,
    WorkHoursPart,
)
from embalse.services.schema.zones import BlockZonesPart, SoilZonesPart


class SetPart(Part):
    """An irrigation that was applied. Times without an offset are farm-local."""

    block: Key
    start: When
    hours: Annotated[Number, Field(gt=0, le=240)]
    gross_mm: Annotated[Number, Field(gt=0, le=500)]
    note: Note = ""


class RainPart(Part):
    """Rain of one farm-local day."""

    day: Day
    depth_mm: Annotated[Number, Field(ge=0, le=1000)]
    note: Note = ""


class EtoPart(Part):
    """Reference evapotranspiration of one farm-local day, with its temperatures, wind and driest air where known."""

    day: Day
    eto_mm: Annotated[Number, Field(ge=0, le=20)]
    tmax_c: Annotated[Number, Field(ge=-60, le=60)] | None = None
    tmin_c: Annotated[Number, Field(ge=-60, le=60)] | None = None
    wind_2m_m_s: Annotated[Number, Field(ge=0, le=60)] | None = Field(None, description="mean of the day, 2 m up")
    rh_min_pct: Annotated[Number, Field(ge=0, le=100)] | None = Field(None, description="lowest of the day")
    note: Note = ""


RECORD_LISTS = (
    "spots", "siting_limits", "instrument_plans", "uniformity_tests", "batch_tests", "procedure_runs", "channel_checks",
    "visits", "sample_sheets", "mark_choices", "retention_curves", "growth_days", "fruit_samples", "fruit_targets",
    "forecasts", "block_rules", "dry_windows", "orders", "water_rules", "block_shifts", "work_hours", "set_groups",
    "planned_sets", "set_evidence", "armings", "set_choices", "audit_rules", "set_visits", "sensor_findings",
    "zone_acceptances", "stages_seen", "rain_notes", "depth_schemes", "logger_memories", "air_limits", "comparisons",
    "bench_readings", "plantings", "harvests", "meter_readings", "block_zones",
    "soil_zones", "payload_maps",
)  # fmt: skip
KEYED = ("soils", "supplies", "systems", "blocks", "devices", *RECORD_LISTS)


class FarmDocument(Part):
    """A farm, or a part of one. What is named is created or updated; what is not named is left as it is."""

    embalse: Literal[1] = Field(description="version of this format")
    farm: FarmPart | None = None
    soils: list[SoilPart] = []
    supplies: list[SupplyPart] = []
    systems: list[SystemPart] = []
    blocks: list[BlockPart] = []
    devices: list[DevicePart] = []
    placements: list[PlacementPart] = []
    spots: list[SpotPart] = []
    siting_limits: list[SitingLimitPart] = []
    instrument_plans: list[InstrumentPlanPart] = []
    uniformity_tests: list[UniformityTestPart] = []
    batch_tests: list[BatchTestPart] = []
    procedure_runs: list[ProcedureRunPart] = []
    channel_checks: list[ChannelCheckPart] = []
    visits: list[VisitPart] = []
    photos: list[PhotoPart] = []
    sets: list[SetPart] = []
    rain: list[RainPart] = []
    eto: list[EtoPart] = []
    sample_sheets: list[SampleSheetPart] = []
    mark_choices: list[MarkChoicePart] = []
    retention_curves: list[RetentionCurvePart] = []
    growth_days: list[GrowthDayPart] = []
    fruit_samples: list[FruitSamplePart] = []
    fruit_targets: list[FruitTargetPart] = []
    forecasts: list[ForecastPart] = []
    block_rules: list[BlockRulesPart] = []
    dry_windows: list[DryWindowPart] = []
    orders: list[OrderPart] = []
    water_rules: list[WaterRulesPart] = []
    block_shifts: list[BlockShiftsPart] = []
    work_hours: list[WorkHoursPart] = []
    set_groups: list[SetGroupPart] = []
    planned_sets: list[PlannedSetPart] = []
    set_evidence: list[SetEvidencePart] = []
    armings: list[ArmingPart] = []
    set_choices: list[SetChoicePart] = []
    audit_rules: list[AuditRulesPart] = []
    set_visits: list[SetVisitPart] = []
    sensor_findings: list[SensorFindingPart] = []
    zone_acceptances: list[ZoneAcceptancePart] = []
    stages_seen: list[StageSeenPart] = []
    rain_notes: list[RainNotePart] = []
    depth_schemes: list[DepthSchemePart] = []
    logger_memories: list[LoggerMemoryPart] = []
    air_limits: list[AirLimitPart] = []
    comparisons: list[ComparisonPart] = []
    bench_readings: list[BenchReadingPart] = []
    plantings: list[PlantingPart] = []
    harvests: list[HarvestPart] = []
    meter_readings: list[MeterReadingPart] = []
    payload_maps: list[PayloadMapPart] = []
    block_zones: list[BlockZonesPart] = []
    soil_zones: list[SoilZonesPart] = []

    @model_validator(mode="after")
    def _keys_once(self) -> Self:
        for name in KEYED:
            keys = [part.key for part in getattr(self, name)]
            twice = next((k for k in keys if keys.count(k) > 1), None)
            if twice:
                raise wrong(f"'{twice}' is given twice", name)
        return self


def path_errors(invalid: ValidationError) -> list[PathError]:
    """Validation errors with paths like ``blocks[2].stations[0].sensors[1].depth_cm``."""
    return [PathError(path=_path(e["loc"], e.get("ctx", {})), reason=_reason(e)) for e in invalid.errors()]


def _path(loc: tuple[int | str, ...], context: dict[str, Any]) -> str:
    text = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in loc)
    if context.get("field"):
        text += f".{context['field']}"
    return text.lstrip(".") or "document"


def _reason(error: Any) -> str:
    if error["type"] == "extra_forbidden":
        return "unknown field; see docs/farm.schema.json"
    return re.sub(r"^(Input|Value error, input) should", "should", error["msg"])


def known_from_its_days(document: FarmDocument) -> FarmDocument:
    """The document with all that is picked in it, and every calibration, known from the day it is in force.

    For seasons that are over, typed in afterwards: without it what is applied today is not known in answers as of
    then. What says itself when it was entered stays as it is.
    """
    found = document.model_copy(deep=True)
    parts: list[ChosenPart | CalibrationPart] = [
        *found.mark_choices, *found.retention_curves, *found.block_rules, *found.dry_windows, *found.orders,
        *found.water_rules, *found.block_shifts, *found.work_hours, *found.armings,
        *found.block_zones, *found.soil_zones, *found.set_choices, *found.audit_rules,
        *(c for device in found.devices for c in device.calibrations),
        *(c for b in found.blocks for station in b.stations for s in station.sensors for c in s.calibrations),
    ]  # fmt: skip
    for part in parts:
        if part.entered is None:
            part.entered = datetime.combine(part.valid_from, time())
    return found


def parse_document(content: str | bytes) -> FarmDocument:
    """A farm document from JSON text; raises DocumentErrors with the path of everything wrong."""
    try:
        return FarmDocument.model_validate_json(content)
    except ValidationError as invalid:
        raise DocumentErrors(path_errors(invalid)) from invalid
