"""How a file is to be read: detected, remembered, or matched to sensors by name."""

import hashlib
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from embalse.core.sensors.calibration import UNITS_OF, RawUnit
from embalse.core.wording.quantities import MM_PER_INCH
from embalse.ingest.clock_text import zone
from embalse.ingest.layout import UNIT_WORDS, Column, Inspection, inspect_file
from embalse.ingest.long_layout import SEPARATOR
from embalse.ingest.reader import FileFormat, Target
from embalse.services.document.farm_document import path_errors
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as farm_store
from embalse.store.rows import SensorRow

USUAL_UNIT = {
    "temperature": "degC", "salinity": "dS/m", "trunk": "mm", "air": "degC", "leaf-wetness": "%", "water-on": "on",
}  # fmt: skip


class PlanPart(BaseModel):
    """A part of an import plan."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True, defer_build=True)


class PlanColumn(PlanPart):
    """A column of the file and the sensor it belongs to."""

    column: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    sensor: str = Field(
        description="block/station/sensor; with .temperature, .salinity or .trunk for what else is measured there"
    )
    unit: RawUnit | None = Field(None, description="unit of the values; the sensor's unit if absent")


class ImportPlan(PlanPart):
    """Everything needed to read a kind of file again."""

    time_zone: str = Field(description="a zone like Europe/Madrid, or an offset without daylight saving like UTC+01:00")
    date_order: Literal["ymd", "dmy", "mdy"]
    decimal: Literal[".", ","] = "."
    rows_hold: Annotated[
        Literal["time", "reading"],
        Field(description="whether a row is one time with a column a sensor, or one reading that says whose it is"),
    ] = "time"
    columns: list[PlanColumn] = Field(min_length=1)


def parse_plan(content: str | bytes) -> ImportPlan:
    """An import plan from JSON text; raises DocumentErrors with the path of everything wrong."""
    try:
        return ImportPlan.model_validate_json(content)
    except ValidationError as invalid:
        raise DocumentErrors(path_errors(invalid)) from invalid


def signature(inspection: Inspection) -> str:
    """A name for the kind of file: the same preamble, header and delimiter give the same signature."""
    parts = [inspection.layout.delimiter, *inspection.preamble, *inspection.header]
    return hashlib.sha256("\x1f".join(parts).encode()).hexdigest()


_DEPTH: Final = re.compile(r"(\d+(?:\.\d+)?)\s*(cm|in(?:ch)?|\")?")


def plan_by_names(inspection: Inspection, sensors: Sequence[SensorRow], time_zone: str) -> ImportPlan | None:
    """A plan that matches columns to sensors by channel name or by block/station/sensor; None when none match."""
    by_name: dict[str, list[SensorRow]] = {}
    for sensor in sensors:
        for name in {sensor.ref, sensor.channel} - {""}:
            by_name.setdefault(name.lower(), []).append(sensor)
    columns = []
    for column in inspection.columns:
        found = next((by_name[n] for n in _names(column) if n in by_name), [])
        in_time = inspection.long is None and column.index in inspection.layout.time_columns
        if len(found) == 1 and not in_time:
            part = {"column": column.name, "sensor": found[0].ref, "unit": column.unit or None}
            columns.append(PlanColumn.model_validate(part))
    return _plan(inspection, columns, time_zone)


def plan_by_depths(inspection: Inspection, sensors: Sequence[SensorRow], time_zone: str) -> ImportPlan | None:
    """A plan that matches columns to the sensors of a farm's only station by the depth in their names.

    It is a proposal to look at: a file of another station may name the same depths. None where the farm has several
    stations, where a row is one reading, or where two columns name one depth.
    """
    if inspection.long is not None or len({s.ref.rsplit("/", 1)[0] for s in sensors}) != 1:
        return None
    by_depth = {round(s.depth_cm, 1): s.ref for s in sensors}
    columns = []
    for column in inspection.columns:
        depth = None if column.index in inspection.layout.time_columns else _depth_cm(column.name)
        if depth is not None and depth in by_depth:
            part = {"column": column.name, "sensor": by_depth[depth], "unit": column.unit or None}
            columns.append(PlanColumn.model_validate(part))
    if len({c.sensor for c in columns}) != len(columns):
        return None
    return _plan(inspection, columns, time_zone)


def _depth_cm(name: str) -> float | None:
    """The depth a column's name says [cm]: its only number, in centimetres unless inches are written."""
    found = _DEPTH.findall(name.lower())
    if len(found) != 1:
        return None
    figure, unit = found[0]
    return round(float(figure) * (MM_PER_INCH / 10 if unit in {"in", '"', "inch"} else 1.0), 1)


def _plan(inspection: Inspection, columns: list[PlanColumn], time_zone: str) -> ImportPlan | None:
    if not columns:
        return None
    layout = inspection.layout
    decimal: Literal[".", ","] = "," if layout.decimal == "," else "."
    rows_hold: Literal["time", "reading"] = "reading" if inspection.long else "time"
    return ImportPlan(
        time_zone=time_zone, date_order=layout.date_order, decimal=decimal, rows_hold=rows_hold, columns=columns
    )


def _names(column: Column) -> list[str]:
    """What a column may be called: as it is, without a unit in brackets, or without a unit beside its name."""
    name = column.name.lower()
    bare = re.sub(r"\s*[(\[][^()\[\]]*[)\]]\s*$", "", name)
    parts = [p.strip() for p in name.split(SEPARATOR)]
    alone = [p for p in parts if p not in UNIT_WORDS]
    return list(dict.fromkeys([name, bare, *(alone if len(alone) == 1 < len(parts) else [])]))


def inspection_for(path: Path, plan: ImportPlan) -> Inspection:
    """What the head of a file shows, its rows taken as the plan takes them; raises FileRefused."""
    return inspect_file(path, "long" if plan.rows_hold == "reading" else "wide")


def file_format(plan: ImportPlan, inspection: Inspection) -> FileFormat:
    """The reader's format for a plan and a file; raises DocumentErrors when the time zone is unknown."""
    try:
        zone(plan.time_zone)
    except ValueError as wrong:
        raise DocumentErrors([PathError(path="time_zone", reason=str(wrong))]) from wrong
    layout = inspection.layout
    return FileFormat(
        encoding=layout.encoding,
        delimiter=layout.delimiter,
        decimal=plan.decimal,
        first_data_line=layout.first_data_line,
        width=len(inspection.header),
        time_columns=layout.time_columns,
        date_order=plan.date_order,
        zone_name=plan.time_zone,
        long=inspection.long,
    )


def make_companions(plan: ImportPlan) -> None:
    """Make the companions a plan names that are not there yet, within the transaction of the caller."""
    sensors = {s.ref: s for s in farm_store.sensors(companions=None)}
    for row in _companions_to_be(plan, sensors):
        where = {"station_id": row.station_id, "key": row.key}
        values = {"type": row.type, "depth_cm": row.depth_cm, "raw_unit": row.raw_unit, "channel": row.channel,
                  "quantity": row.quantity, "companion_of": row.companion_of}  # fmt: skip
        farm_store.put("sensor", where, values)


def _companions_to_be(plan: ImportPlan, sensors: Mapping[str, SensorRow]) -> list[SensorRow]:
    """Companions a plan names beside sensors that are there: ``block/station/sensor.temperature``."""
    found = []
    for number, part in enumerate(plan.columns):
        base, _, quantity = part.sensor.rpartition(".")
        sensor = sensors.get(base)
        if part.sensor in sensors or sensor is None or sensor.quantity != "water" or quantity not in USUAL_UNIT:
            continue
        unit = part.unit if part.unit in UNITS_OF[quantity] else USUAL_UNIT[quantity]
        key = f"{sensor.key}.{quantity}"
        found.append(
            SensorRow(-1 - number, sensor.station_id, key, quantity, sensor.depth_cm, part.column[:80], unit,
                      part.sensor, quantity, sensor.id)
        )  # fmt: skip
    return found


def targets(plan: ImportPlan, inspection: Inspection) -> tuple[list[Target], dict[int, str]]:
    """Columns to read, and the sensors whose unit the file sets because they have no readings yet.

    Raises
    ------
    DocumentErrors
        For a column that is not in the file, an unknown sensor, a sensor given twice, or a unit that contradicts the
        sensor's stored readings.
    """
    columns = {c.name: c for c in inspection.columns}
    sensors = {s.ref: s for s in farm_store.sensors(companions=None)}
    sensors |= {c.ref: c for c in _companions_to_be(plan, sensors)}
    errors: list[PathError] = []
    found: list[Target] = []
    new_units: dict[int, str] = {}
    for index, part in enumerate(plan.columns):
        path = f"columns[{index}]"
        column, sensor = columns.get(part.column), sensors.get(part.sensor)
        if column is None:
            known = ", ".join(columns)
            errors.append(
                PathError(path=f"{path}.column", reason=f"the file has no column '{part.column}'; it has: {known}")
            )
        if sensor is None:
            errors.append(PathError(path=f"{path}.sensor", reason=f"there is no sensor '{part.sensor}'"))
        if column is None or sensor is None:
            continue
        if any(t.sensor_id == sensor.id for t in found):
            errors.append(PathError(path=f"{path}.sensor", reason=f"'{part.sensor}' is given to two columns"))
        unit = part.unit or column.unit or sensor.raw_unit
        if unit not in UNITS_OF[sensor.quantity]:
            reason = f"the column is in {unit}, '{part.sensor}' measures {sensor.quantity}"
            errors.append(PathError(path=f"{path}.unit", reason=reason))
            continue
        if unit != sensor.raw_unit:
            if farm_store.has_readings(sensor.id):
                reason = f"the column is in {unit}, the stored readings of '{part.sensor}' are in {sensor.raw_unit}"
                errors.append(PathError(path=f"{path}.unit", reason=reason))
            new_units[sensor.id] = unit
        found.append(Target(column.index, column.name, sensor.id, unit))
    if errors:
        raise DocumentErrors(errors)
    return found, new_units


def file_digest(path: Path) -> str:
    """SHA-256 of a file, read in pieces."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
