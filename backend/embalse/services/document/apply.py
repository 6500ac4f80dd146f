"""Bring the stored farm to what a document says; nothing at all is stored when anything is wrong."""

from collections.abc import Callable
from typing import Any

from embalse.core.delivery.delivery import PARTLY_WETTING
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.document.apply_records import RecordsApplying
from embalse.services.document.applying import ApplyReport, Refused, given, put_calibration
from embalse.services.document.farm_document import FarmDocument
from embalse.services.document.taking_back import span_after
from embalse.services.reader import say
from embalse.services.readings import faults, rollups
from embalse.services.schema.ground import SensorPart, StationPart
from embalse.services.schema.land import BlockPart, SoilPart, SupplyPart, SystemPart
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store import farm as store
from embalse.store.changes import last_id
from embalse.store.database import transaction


def apply_document(document: FarmDocument, allowed: Callable[[list[str]], None] | None = None) -> ApplyReport:
    """Create or update what the document names, in one transaction.

    Fields left out of a part that exists are left as they are; parts not named are left alone. Applying the same
    document twice changes nothing the second time. ``allowed`` is given the kinds of things that would be created or
    changed and raises when one of them may not be; then nothing is.

    Raises
    ------
    DocumentErrors
        With the path of what the stored farm does not allow.
    """
    report = ApplyReport()
    try:
        with transaction():
            before = last_id()
            _Applying(document, report).run()
            report.lines = span_after(before)
            if allowed is not None:
                allowed(report.kinds())
    except Refused as refused:
        raise DocumentErrors([PathError(path=refused.path, reason=refused.reason)]) from refused
    return report


class _Applying:
    def __init__(self, document: FarmDocument, report: ApplyReport) -> None:
        self.document = document
        self.report = report
        self.time_zone = ""
        self.to_check: set[int] = set()

    def run(self) -> None:
        self._farm()
        steps: list[tuple[str, list[Any], Callable[[str, Any], None]]] = [
            ("soils", self.document.soils, self._soil),
            ("supplies", self.document.supplies, self._supply),
            ("systems", self.document.systems, self._system),
            ("blocks", self.document.blocks, self._block),
            ("sets", self.document.sets, self._set),
            ("rain", self.document.rain, self._rain),
            ("eto", self.document.eto, self._eto),
        ]
        for name, parts, step in steps:
            for index, part in enumerate(parts):
                step(f"{name}[{index}]", part)
        self.to_check |= RecordsApplying(self.document, self.report, self.time_zone).run()
        faults.recheck(self.to_check)

    def _farm(self) -> None:
        known = store.farm()
        part = self.document.farm
        if part is None:
            if known is None:
                raise Refused("farm", "the farm is not set up yet: give its name and time zone")
            self.time_zone = known.time_zone
            return
        values = given(part) if known else part.model_dump()
        _, outcome = store.put("farm", {"id": 1}, values)
        self.report.note("farm", outcome)
        self.time_zone = part.time_zone
        if known and known.time_zone != part.time_zone:
            rollups.rebuild_dawns(part.time_zone)

    def _soil(self, path: str, part: SoilPart) -> None:
        soil_id, outcome = store.put("soil", {"key": part.key}, {"name": part.name or part.key})
        rows = []
        for horizon in sorted(part.horizons, key=lambda h: h.top_cm):
            row = horizon.model_dump(exclude={"texture", "silt_fraction", "sand_fraction", "clay_fraction"})
            sand, clay = horizon.sand_clay()
            rows.append({**row, "sand_fraction": sand, "clay_fraction": clay})
        if store.replace_horizons(soil_id, rows) and outcome == "unchanged":
            outcome = "changed"
        self.report.note("soils", outcome)

    def _system(self, path: str, part: SystemPart) -> None:
        existing = store.find_id("system", key=part.key)
        values = given(part, "key") if existing else part.model_dump(exclude={"key"})
        if not existing or "name" in values:
            values["name"] = part.name or part.key
        _, outcome = store.put("system", {"key": part.key}, values)
        self.report.note("systems", outcome)

    def _supply(self, path: str, part: SupplyPart) -> None:
        existing = store.find_id("supply", key=part.key)
        values = given(part, "key") if existing else part.model_dump(exclude={"key"})
        if not existing or "name" in values:
            values["name"] = part.name or part.key
        _, outcome = store.put("supply", {"key": part.key}, values)
        self.report.note("supplies", outcome)

    def _block(self, path: str, part: BlockPart) -> None:
        existing = store.find_id("block", key=part.key)
        values = given(part, "key", "stations", "soil", "system", "supply")
        if not existing:
            values = part.model_dump(mode="json", exclude={"key", "stations", "soil", "system", "supply"})
        values["soil_id"] = self._reference("soil", part.soil, path)
        if not existing or "name" in values:
            values["name"] = part.name or part.key
        if part.system is not None:
            values["system_id"] = self._reference("system", part.system, path)
        if part.supply is not None:
            values["supply_id"] = self._reference("supply", part.supply, path)
        if not existing or "wetted_fraction" in values:
            values["wetted_fraction"] = self._wetted_fraction(path, part)
        block_id, outcome = store.put("block", {"key": part.key}, values)
        self.report.note("blocks", outcome)
        for index, station in enumerate(part.stations):
            self._station(f"{path}.stations[{index}]", block_id, station)

    def _reference(self, table: str, key: str, path: str) -> int:
        found = store.find_id(table, key=key)
        if found is None:
            raise Refused(f"{path}.{table}", f"there is no {table} '{key}' in this document or on the farm")
        return found

    def _wetted_fraction(self, path: str, part: BlockPart) -> float:
        if part.wetted_fraction is not None:
            return part.wetted_fraction
        kinds = {s.key: s.kind for s in store.systems()}
        kind = kinds.get(part.system or "")
        if kind in PARTLY_WETTING:
            raise Refused(f"{path}.wetted_fraction", f"{kind} wets a part of the ground: give its share, 0 to 1")
        return 1.0

    def _station(self, path: str, block_id: int, part: StationPart) -> None:
        where = {"block_id": block_id, "key": part.key}
        values: dict[str, Any] = part.model_dump(exclude={"key", "sensors", "installed", "moved", "removed"})
        values["name"] = part.name or part.key
        for name in ("installed", "moved", "removed"):
            moment = getattr(part, name)
            values[f"{name}_at"] = None if moment is None else times.epoch(moment, self.time_zone)
        if store.find_id("station", **where):
            values = {n: value for n, value in values.items() if n.removesuffix("_at") in part.model_fields_set}
        station_id, outcome = store.put("station", where, values)
        self.report.note("stations", outcome)
        for index, sensor in enumerate(part.sensors):
            self._sensor(f"{path}.sensors[{index}]", station_id, sensor)

    def _sensor(self, path: str, station_id: int, part: SensorPart) -> None:
        where = {"station_id": station_id, "key": part.ref()}
        existing = store.find_id("sensor", **where)
        values = given(part, "key", "calibrations", "companions")
        if not existing:
            values = part.model_dump(exclude={"key", "calibrations", "companions"})
        same_depth = store.find_id("sensor", station_id=station_id, depth_cm=part.depth_cm, companion_of=None)
        if same_depth is not None and same_depth != existing:
            raise Refused(f"{path}.depth_cm", say(Notice("apply.depth_taken", depth_cm=part.depth_cm)))
        other_unit = existing and store.find_id("sensor", id=existing, raw_unit=part.raw_unit) is None
        if existing and other_unit and "raw_unit" in part.model_fields_set and store.has_readings(existing):
            raise Refused(f"{path}.raw_unit", "the sensor has readings in another unit; make a new sensor")
        sensor_id, outcome = store.put("sensor", where, values)
        self.report.note("sensors", outcome)
        for companion in part.companions:
            beside = {"station_id": station_id, "key": f"{part.ref()}.{companion.quantity}"}
            values = {**companion.model_dump(), "depth_cm": part.depth_cm, "companion_of": sensor_id}
            self.report.note("sensors", store.put("sensor", beside, {**values, "type": companion.quantity})[1])
        for calibration in part.calibrations:
            target = ("calibration", {"sensor_id": sensor_id})
            if put_calibration(self.report, target, calibration, self.time_zone) != "unchanged":
                self.to_check.add(sensor_id)

    def _set(self, path: str, part: Any) -> None:
        block_id = store.find_id("block", key=part.block)
        if block_id is None:
            raise Refused(f"{path}.block", f"there is no block '{part.block}'")
        start = times.epoch(part.start, self.time_zone)
        values = {"end_at": start + round(3600 * part.hours), "gross_mm": part.gross_mm, "note": part.note}
        _, outcome = store.put("set", {"block_id": block_id, "start_at": start}, {**values, "deleted_at": None})
        self.report.note("sets", outcome)

    def _eto(self, path: str, part: Any) -> None:
        names = ("eto_mm", "note", "tmax_c", "tmin_c", "wind_2m_m_s", "rh_min_pct")
        values = {name: getattr(part, name) for name in names}
        _, outcome = store.put("eto", {"day": times.day_number(part.day)}, {**values, "deleted_at": None})
        self.report.note("eto", outcome)

    def _rain(self, path: str, part: Any) -> None:
        values = {"depth_mm": part.depth_mm, "note": part.note}
        _, outcome = store.put("rain", {"day": times.day_number(part.day)}, {**values, "deleted_at": None})
        self.report.note("rain", outcome)
