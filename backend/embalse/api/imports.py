"""Logger files: upload, look, map, try, import, watch."""

from typing import Any, Literal

from flask import Response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer, as_table, settings
from embalse.api.schemas import (
    BlockPath,
    ColumnOut,
    FileOut,
    FilePath,
    FileQuery,
    ImportPath,
    JobOut,
    JobPath,
    PastImportOut,
    PastImportsOut,
    PreviewIn,
    PreviewOut,
    PreviewRowOut,
    RefusalOut,
    ReportOut,
    RunIn,
    TableTextOut,
    UploadForm,
)
from embalse.ingest.layout import FileRefused, Inspection, Rows, inspect_file
from embalse.ingest.reader import Refusal
from embalse.services import times
from embalse.services.admin import files
from embalse.services.intake import undo
from embalse.services.intake.import_jobs import ImportJobs, RunningImport
from embalse.services.intake.import_plan import (
    ImportPlan,
    file_format,
    inspection_for,
    plan_by_depths,
    plan_by_names,
    signature,
    targets,
)
from embalse.services.intake.imports import ImportReport, preview
from embalse.services.intake.sample_file import sample_file
from embalse.services.load import clock
from embalse.store import farm as farm_store
from embalse.store import imports as store

imports_api = APIBlueprint("imports", __name__, url_prefix="/api")
ROWS: dict[str | None, Rows] = {None: "either", "time": "wide", "reading": "long"}
jobs = ImportJobs()
HEAD_SHOWN = 8


@imports_api.post("/files", responses={"200": FileOut, **FAULTS}, operation_id="uploadFile")
def upload_file(form: UploadForm) -> Response:
    """Upload a logger file; nothing is stored in the farm yet."""
    clock.the_farm()
    name = form.file.filename or "file"
    token, sheets = files.keep_upload(settings().uploads, form.file.stream, name, form.sheet)
    return answer(_file_out(token).model_copy(update={"sheets": sheets}))


@imports_api.post("/tables/text", responses={"200": TableTextOut, **FAULTS}, operation_id="tableText")
def table_text(form: UploadForm) -> Response:
    """A table's text, for entries that take a table: of a spreadsheet its first sheet, or the one named."""
    try:
        text, sheets = files.as_text(form.file.stream, settings().uploads, form.sheet)
    except UnicodeDecodeError as wrong:
        raise FileRefused("the file is no text in UTF-8: save it as CSV in UTF-8, or as .xlsx") from wrong
    return answer(TableTextOut(text=text, sheets=sheets))


@imports_api.get("/files/<token>", responses={"200": FileOut, **FAULTS}, operation_id="file")
def file(path: FilePath, query: FileQuery) -> Response:
    """An uploaded file again."""
    return answer(_file_out(path.token, query.rows_hold))


def _file_out(token: str, rows_hold: Literal["time", "reading"] | None = None) -> FileOut:
    path, name = files.upload(settings().uploads, token)
    inspection = inspect_file(path, ROWS[rows_hold])
    plan, matched = _suggested(inspection)
    layout = inspection.layout
    with path.open(encoding=layout.encoding, errors="replace") as text:
        head = [line.rstrip("\r\n")[:300] for _, line in zip(range(HEAD_SHOWN), text, strict=False)]
    return FileOut(
        token=token,
        name=name,
        size=path.stat().st_size,
        delimiter=layout.delimiter,
        header_line=layout.header_line,
        units_line=layout.units_line,
        first_data_line=layout.first_data_line,
        date_order=plan.date_order if plan else layout.date_order,
        decimal=plan.decimal if plan else layout.decimal,
        head=head,
        columns=[
            ColumnOut(
                name=c.name,
                unit=c.unit,
                samples=list(c.samples),
                is_time=inspection.long is None and c.index in layout.time_columns,
            )
            for c in inspection.columns
        ],
        cautions=list(inspection.cautions),
        rows_hold="reading" if inspection.long else "time",
        said_by=[inspection.header[i] for i in inspection.long.key_columns] if inspection.long else [],
        value_column=inspection.header[inspection.long.value_column] if inspection.long else "",
        suggestion={c.column: c.sensor for c in plan.columns} if plan else {},
        time_zone=plan.time_zone if plan else clock.the_farm().time_zone,
        matched=matched,
    )


def _suggested(inspection: Inspection) -> tuple[ImportPlan | None, str]:
    remembered = store.profiles(signature(inspection))
    if len(remembered) == 1:
        name, kept = remembered[0]
        return ImportPlan.model_validate(kept), f"the saved mapping '{name}'"
    plan = plan_by_names(inspection, farm_store.sensors(companions=None), clock.the_farm().time_zone)
    if plan:
        return plan, "column names"
    plan = plan_by_depths(inspection, farm_store.sensors(companions=None), clock.the_farm().time_zone)
    return plan, "depths in the column names" if plan else ""


@imports_api.post("/files/<token>/preview", responses={"200": PreviewOut, **FAULTS}, operation_id="previewFile")
def preview_file(path: FilePath, body: PreviewIn) -> Response:
    """The first rows as the plan reads them."""
    where, _ = files.upload(settings().uploads, path.token)
    found = preview(where, body.plan)
    rows = [PreviewRowOut(line=r.line, at=r.at, local=r.local, values=r.values) for r in found.rows]
    return answer(PreviewOut(rows=rows, refusals=_refusals(found.refusals)))


@imports_api.post("/files/<token>/import", responses={"202": JobOut, **FAULTS}, operation_id="runImport")
def run_import(path: FilePath, body: RunIn) -> Response:
    """Start the import; watch it at /api/imports/running/<token>."""
    where, name = files.upload(settings().uploads, path.token)
    inspection = inspection_for(where, body.plan)
    targets(body.plan, inspection)
    file_format(body.plan, inspection)
    if body.save_as:
        store.save_profile(body.save_as, signature(inspection), body.plan.model_dump(mode="json"))
    return answer(_job_out(jobs.start(where, name, body.plan, body.skip_refused)), 202)


@imports_api.get("/imports/running/<token>", responses={"200": JobOut, **FAULTS}, operation_id="importProgress")
def import_progress(path: JobPath) -> Response:
    """Progress of an import, and its report when it is over."""
    return answer(_job_out(jobs.get(path.token)))


@imports_api.get("/imports", responses={"200": PastImportsOut, **FAULTS}, operation_id="pastImports")
def past_imports() -> Response:
    """The import log, newest first."""
    zone = clock.the_farm().time_zone
    return answer(PastImportsOut(imports=[_past(row, zone) for row in store.jobs()]))


def _past(row: dict[str, Any], zone: str) -> PastImportOut:
    kept = {name: row[name] for name in PastImportOut.model_fields if name not in ("started_at", "can_be_undone")}
    return PastImportOut(
        **kept, started_at=times.iso(row["started_at"], zone) or "", can_be_undone=undo.can_be_undone(row)
    )


@imports_api.get("/blocks/<key>/sample.csv", responses={"200": None, **FAULTS}, operation_id="sampleFile")
def sample(path: BlockPath) -> Response:
    """Three weeks of invented readings for a block's own sensors, as a logger would write them."""
    return as_table(sample_file(path.key), f"sample-{path.key}.csv")


@imports_api.delete("/imports/<int:id>", responses={"200": PastImportsOut, **FAULTS}, operation_id="undoImport")
def undo_import(path: ImportPath) -> Response:
    """Take out what an import of a file stored; faults, dawn values and advice follow."""
    undo.undo_import(path.id)
    return past_imports()


def _job_out(job: RunningImport) -> JobOut:
    return JobOut(
        token=job.token,
        file_name=job.file_name,
        done_bytes=job.done_bytes,
        total_bytes=job.total_bytes,
        finished=job.finished.is_set(),
        error=job.error,
        report=_report(job.report) if job.report and job.finished.is_set() else None,
    )


def _report(report: ImportReport) -> ReportOut:
    zone = clock.the_farm().time_zone
    names = (
        "status",
        "message",
        "rows_read",
        "readings_new",
        "readings_known",
        "cells_empty",
        "refused",
        "out_of_order",
    )
    return ReportOut(
        **{name: getattr(report, name) for name in names},
        first_at=times.iso(report.first_at, zone),
        last_at=times.iso(report.last_at, zone),
        refusals=_refusals(report.refusals[:200]),
        notes=report.notes,
        changed=report.changed,
    )


def _refusals(refusals: list[Refusal]) -> list[RefusalOut]:
    return [RefusalOut(line=r.line, column=r.column, reason=r.reason, text=r.text) for r in refusals]
