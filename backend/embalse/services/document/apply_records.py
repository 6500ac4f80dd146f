"""Bring devices, placements and records to what a document says."""

import json
from typing import Any

from embalse.core.errors import CoreError
from embalse.core.sensors.calibration import TENSION_UNITS
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.document.applying import ApplyReport, Refused, given, put_calibration
from embalse.services.document.farm_document import RECORD_LISTS, FarmDocument
from embalse.services.load import clock
from embalse.services.load.in_force import check_order
from embalse.services.load.kept_zones import check_parted
from embalse.services.load.plantings import check_planted
from embalse.services.reader import say
from embalse.services.schema.deciding import ForecastPart, forecast_subject
from embalse.services.schema.ground import DevicePart, PlacementPart
from embalse.services.schema.practice import ComparisonPart, SensorFindingPart
from embalse.services.schema.soil_water import ChosenPart, MarkChoicePart, RetentionCurvePart
from embalse.services.schema.water import AREA_SLACK, BlockShiftsPart
from embalse.services.schema.zones import BlockZonesPart, SoilZonesPart
from embalse.store import devices as device_store
from embalse.store import farm as store
from embalse.store import readings as readings_store
from embalse.store import records as record_store

LAST_S = 2**37
SUBJECTS = ("supply", "block", "system", "device", "soil")
"""What a record may be about, the last that it names counting."""


class RecordsApplying:
    """One document's devices, placements, records and photos, within the transaction of the whole document."""

    def __init__(self, document: FarmDocument, report: ApplyReport, time_zone: str) -> None:
        self.document = document
        self.report = report
        self.time_zone = time_zone
        self.to_check: set[int] = set()

    def run(self) -> set[int]:
        """Apply all of it; returns sensors whose readings mean something else now.

        Raises
        ------
        Refused
            With the path of what the stored farm does not allow.
        """
        for index, device in enumerate(self.document.devices):
            self._device(f"devices[{index}]", device)
        by_time = sorted(enumerate(self.document.placements), key=lambda p: times.epoch(p[1].since, self.time_zone))
        for index, placement in by_time:
            self._placement(f"placements[{index}]", placement)
        for name in RECORD_LISTS:
            for index, part in enumerate(getattr(self.document, name)):
                self._record(name, f"{name}[{index}]", part)
        self._check_planted()
        for photo in self.document.photos:
            new = record_store.put_photo(photo.key, photo.media_type, photo.content())
            self.report.note("photos", "created" if new else "unchanged")
        return self.to_check

    def _device(self, path: str, part: DevicePart) -> None:
        existing = store.find_id("device", key=part.key)
        values = given(part, "key", "calibrations")
        if not existing:
            values = part.model_dump(mode="json", exclude={"key", "calibrations"})
        device_id, outcome = store.put("device", {"key": part.key}, {**values, "deleted_at": None})
        self.report.note("devices", outcome)
        for calibration in part.calibrations:
            target = ("device_calibration", {"device_id": device_id})
            if put_calibration(self.report, target, calibration, self.time_zone) != "unchanged":
                self.to_check |= {p.sensor_id for p in device_store.placements() if p.device_id == device_id}

    def _placement(self, path: str, part: PlacementPart) -> None:
        sensor_id = self._sensor_id(path, part.sensor)
        device_id = store.find_id("device", key=part.device)
        if device_id is None:
            raise Refused(f"{path}.device", f"there is no device '{part.device}' in the register")
        since = times.epoch(part.since, self.time_zone)
        until = None if part.until is None else times.epoch(part.until, self.time_zone)
        self._check_free(path, part, (since, until))
        device_store.end_placement(sensor_id, since)
        values = {"device_id": device_id, "until": until, "why": part.why}
        if part.until is None and "until" not in part.model_fields_set:
            values.pop("until")
        _, outcome = store.put("placement", {"sensor_id": sensor_id, "since": since}, values)
        self.report.note("placements", outcome)
        if outcome != "unchanged":
            self.to_check.add(sensor_id)

    def _sensor_id(self, path: str, ref: str) -> int:
        found = next((s.id for s in store.sensors() if s.ref == ref), None)
        if found is None:
            raise Refused(f"{path}.sensor", f"there is no sensor '{ref}'")
        return found

    def _check_free(self, path: str, part: PlacementPart, span: tuple[int, int | None]) -> None:
        since, until = span
        for other in device_store.placements():
            if other.device_key != part.device or other.sensor_ref == part.sensor:
                continue
            if other.sensor_ref.rsplit("/", 1)[0] == part.sensor.rsplit("/", 1)[0]:
                continue  # a profile probe fills several places of its station
            overlaps = (until is None or other.since < until) and (other.until is None or since < other.until)
            if overlaps:
                raise Refused(f"{path}.device", f"'{part.device}' is at {other.sensor_ref} then: take it out first")

    def _record(self, kind: str, path: str, part: Any) -> None:
        subject = self._subject(kind, path, part)
        body = part.model_dump(mode="json")
        if isinstance(part, ChosenPart):
            body = self._chosen(kind, path, body)
        if isinstance(part, ForecastPart):
            self._check_as_issued(path, part.key, body)
        values = {"subject": subject, "body": body, "deleted_at": None}
        _, outcome = store.put("record", {"kind": kind, "key": part.key}, values)
        self.report.note(kind, outcome)
        if isinstance(part, MarkChoicePart | RetentionCurvePart) and outcome != "unchanged":
            self._check_chosen(kind, path, subject)

    def _check_planted(self) -> None:
        """Plantings and harvests of a block must follow each other, once all of the document are in."""
        paths = {
            part.block: f"{name}[{index}]"
            for name in ("harvests", "plantings")
            for index, part in enumerate(getattr(self.document, name))
        }
        for key, path in paths.items():
            rows = store.farm_rows([key])
            try:
                check_planted(rows.blocks[0], rows, (clock.farm_now(clock.the_farm()), self.time_zone))
            except CoreError as refusal:
                raise Refused(f"{path}.{refusal.field}", say(refusal.reason)) from refusal

    @staticmethod
    def _check_as_issued(path: str, key: str, body: dict[str, Any]) -> None:
        """A forecast stays as it was issued: past advice went by it."""
        known = next((json.loads(r.body) for r in record_store.records("forecasts") if r.key == key), None)
        if known is not None and known != body:
            raise Refused(f"{path}.key", f"'{key}' was issued before and is kept as it was: give this a key of its own")

    def _subject(self, kind: str, path: str, part: Any) -> str:
        """The thing a record is about, which must be there."""
        subject = ""
        for table in SUBJECTS:
            key = getattr(part, table, None)
            if key:
                if store.find_id(table, key=key) is None:
                    raise Refused(f"{path}.{table}", f"there is no {table} '{key}'")
                subject = key
        if kind != "spots" and getattr(part, "station", None):
            self._check_station(path, part.station)
            subject = subject if kind == "zone_acceptances" else part.station
        if isinstance(part, ForecastPart):
            return forecast_subject(times.epoch(part.issued, self.time_zone))
        return self._subject_of_kind(kind, path, part, subject)

    def _subject_of_kind(self, kind: str, path: str, part: Any, subject: str) -> str:
        """What records of a kind of their own are about, else what was found."""
        if isinstance(part, BlockShiftsPart):
            self._check_areas(path, part)
        if isinstance(part, BlockZonesPart):
            self._check_zones(path, part)
        if isinstance(part, SoilZonesPart):
            self._check_soils(path, part)
        if isinstance(part, SensorFindingPart):
            self._sensor_id(path, part.sensor)
            subject = part.sensor
        if isinstance(part, ComparisonPart):
            self._check_block(f"{path}.advised", part.advised)
        if kind in ("instrument_plans", "fruit_targets"):
            subject = part.key
            self._check_block(f"{path}.key", part.key)
        return subject

    @staticmethod
    def _check_block(path: str, key: str) -> None:
        if store.find_id("block", key=key) is None:
            raise Refused(path, f"there is no block '{key}'")

    @staticmethod
    def _check_areas(path: str, part: BlockShiftsPart) -> None:
        block = store.farm_rows([part.block]).blocks[0]
        together = sum(s.area_ha for s in part.shifts)
        if abs(together - block.area_ha) > AREA_SLACK * block.area_ha:
            reason = Notice("shifts.area", together_ha=together, block_ha=block.area_ha, block=block.name)
            raise Refused(f"{path}.shifts", say(reason))

    @staticmethod
    def _check_zones(path: str, part: BlockZonesPart) -> None:
        if part.withdrawn is not None or not part.zones:
            return
        try:
            check_parted(part)
        except CoreError as refusal:
            raise Refused(f"{path}.{refusal.field}", say(refusal.reason)) from refusal

    @staticmethod
    def _check_soils(path: str, part: SoilZonesPart) -> None:
        for n, zone in enumerate(part.zones):
            if store.find_id("soil", key=zone.soil) is None:
                raise Refused(f"{path}.zones[{n}].soil", f"there is no soil '{zone.soil}'")

    def _chosen(self, kind: str, path: str, body: dict[str, Any]) -> dict[str, Any]:
        """Something picked keeps what it said: only its withdrawal is written into it later."""
        known = {r.key: json.loads(r.body) for r in record_store.records(kind)}.get(body["key"])
        if known is None:
            if body["entered"] is None and readings_store.first_reading() is not None:
                body["entered"] = times.local(clock.farm_now(clock.the_farm()), self.time_zone).isoformat()
            return body
        if body["entered"] is None:
            body["entered"] = known["entered"]
        if {**known, "withdrawn": None} != {**body, "withdrawn": None}:
            reason = f"'{body['key']}' was picked before and is kept as it was: withdraw it and pick another"
            raise Refused(f"{path}.key", reason)
        return body

    def _check_chosen(self, kind: str, path: str, subject: str) -> None:
        """Refuse what leaves a block's marks out of order; sensors read by tension mean something else now."""
        rows = store.farm_rows()
        mine = [
            b for b in rows.blocks if (b.key if kind == "mark_choices" else rows.soil_keys.get(b.soil_id)) == subject
        ]
        for block in mine:
            try:
                check_order(block, rows, (LAST_S, self.time_zone))
            except CoreError as refusal:
                raise Refused(f"{path}.value", f"{say(refusal.reason)} (block {block.name})") from refusal
        if kind == "retention_curves":
            stations = [t.id for b in mine for t in rows.stations.get(b.id, [])]
            sensors = [s for t in stations for s in rows.sensors.get(t, [])]
            self.to_check |= {s.id for s in sensors if s.raw_unit in TENSION_UNITS}

    @staticmethod
    def _check_station(path: str, ref: str) -> None:
        block, station = ref.split("/")
        block_id = store.find_id("block", key=block)
        if block_id is None or store.find_id("station", block_id=block_id, key=station) is None:
            raise Refused(f"{path}.station", f"there is no station '{ref}'")
