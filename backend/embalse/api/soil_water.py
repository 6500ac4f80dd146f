"""Calibrating to the site's soil and setting its marks: sheets, calibrations, marks, tension, growth, index."""

from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field

from embalse.api.answers import FAULTS, answer, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath, KeyPath, Token
from embalse.api.trust import SensorPath
from embalse.services.advice import index_mode
from embalse.services.calibration import calibrations, error_in_water, sample_sheets
from embalse.services.marks import growth_page, marks_page, tension_page

soil_water_api = APIBlueprint("soil_water", __name__, url_prefix="/api")


class PlanQuery(BaseModel):
    """The error of the root zone's water wanted [mm]."""

    within_mm: Annotated[float, Field(gt=0, le=200)] = 8.0


class ForBlockQuery(BaseModel):
    """One block, or all."""

    block: Token | None = None


class CalibrationPath(BaseModel):
    """A version of a calibration."""

    id: Annotated[int, Field(ge=1, le=2**53)]


@soil_water_api.get(
    "/sample-sheets", responses={"200": sample_sheets.SheetsContent, **FAULTS}, operation_id="sampleSheets"
)
def sheets() -> Response:
    """Every stored sample sheet."""
    return answer(sample_sheets.sheets_content())


@soil_water_api.get(
    "/sample-sheets/<key>", responses={"200": sample_sheets.SheetContent, **FAULTS}, operation_id="sampleSheet"
)
def sheet(path: KeyPath) -> Response:
    """A stored sample sheet, worked out."""
    return answer(sample_sheets.sheet_content(path.key))


@soil_water_api.post(
    "/sample-sheets/work", responses={"200": sample_sheets.SheetWorked, **FAULTS}, operation_id="workSheet"
)
def work(body: sample_sheets.SheetDraft) -> Response:
    """What follows from a sheet as it stands; nothing is stored."""
    return answer(sample_sheets.work_sheet(body))


@soil_water_api.get(
    "/calibrations", responses={"200": calibrations.CalibrationsContent, **FAULTS}, operation_id="calibrations"
)
def all_calibrations(query: ForBlockQuery) -> Response:
    """Sensors that take a calibration and every version they had."""
    return answer(calibrations.calibrations_content(query.block))


@soil_water_api.post(
    "/calibrations", responses={"200": calibrations.CalibrationsContent, **FAULTS}, operation_id="applyCalibration"
)
def apply_calibration(body: calibrations.ApplyCalibration) -> Response:
    """Put a calibration in force for some sensors."""
    return answer(calibrations.apply_calibration(body))


@soil_water_api.post(
    "/calibrations/compare",
    responses={"200": calibrations.CompareContent, **FAULTS},
    operation_id="compareCalibration",
)
def compare(body: calibrations.ApplyCalibration) -> Response:
    """The trace and the block before and after a calibration; nothing is stored."""
    return answer(calibrations.compare(body))


@soil_water_api.post(
    "/calibrations/<int:id>/withdraw",
    responses={"200": calibrations.CalibrationsContent, **FAULTS},
    operation_id="withdrawCalibration",
)
def withdraw(path: CalibrationPath) -> Response:
    """Take a calibration back; past answers stay as they were."""
    return answer(calibrations.set_withdrawn(path.id, True))


@soil_water_api.post(
    "/calibrations/<int:id>/restore",
    responses={"200": calibrations.CalibrationsContent, **FAULTS},
    operation_id="restoreCalibration",
)
def restore(path: CalibrationPath) -> Response:
    """Bring back a calibration that was taken back."""
    return answer(calibrations.set_withdrawn(path.id, False))


@soil_water_api.get(
    "/stations/<block>/<station>/sensors/<sensor>/warmth",
    responses={"200": calibrations.WarmthContent, **FAULTS},
    operation_id="warmth",
)
def warmth(path: SensorPath) -> Response:
    """The temperature effect of a sensor, from its own ripple."""
    return answer(calibrations.warmth_content(f"{path.block}/{path.station}/{path.sensor}"))


@soil_water_api.get(
    "/blocks/<key>/sampling-plan",
    responses={"200": error_in_water.SamplingPlanContent, **FAULTS},
    operation_id="samplingPlan",
)
def sampling_plan(path: BlockPath, query: PlanQuery) -> Response:
    """How many samples, where and when."""
    return answer(error_in_water.plan_content(path.key, query.within_mm))


@soil_water_api.get("/blocks/<key>/marks", responses={"200": marks_page.MarksContent, **FAULTS}, operation_id="marks")
def marks(path: BlockPath, query: AsOfQuery) -> Response:
    """What every estimator says of a block's marks."""
    return answer(marks_page.marks_content(path.key, checked_moment(query.as_of)))


@soil_water_api.get(
    "/blocks/<key>/tension", responses={"200": tension_page.TensionContent, **FAULTS}, operation_id="tension"
)
def tension(path: BlockPath, query: AsOfQuery) -> Response:
    """Tension against water in a block's soil."""
    return answer(tension_page.tension_content(path.key, checked_moment(query.as_of)))


@soil_water_api.get(
    "/blocks/<key>/growth", responses={"200": growth_page.GrowthContent, **FAULTS}, operation_id="growth"
)
def growth(path: BlockPath, query: AsOfQuery) -> Response:
    """Stems, trunk and fruit of a block."""
    return answer(growth_page.growth_content(path.key, checked_moment(query.as_of)))


@soil_water_api.get("/blocks/<key>/index", responses={"200": index_mode.IndexContent, **FAULTS}, operation_id="wetness")
def index(path: BlockPath, query: AsOfQuery) -> Response:
    """The index of a block's uncalibrated sensors."""
    return answer(index_mode.index_content(path.key, checked_moment(query.as_of)))
