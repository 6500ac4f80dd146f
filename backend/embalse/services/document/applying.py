"""What every step of applying a document shares: the report, refusals, fields given, calibrations."""

from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime, time
from typing import Any

from pydantic import BaseModel

from embalse.services import times
from embalse.services.load import clock
from embalse.services.schema.ground import CalibrationPart
from embalse.store import calibrations as calibration_store
from embalse.store import devices as device_store
from embalse.store import farm as store


@dataclass
class ApplyReport:
    """How many things were created, changed and left as they were, by kind."""

    created: Counter[str] = field(default_factory=Counter)
    changed: Counter[str] = field(default_factory=Counter)
    unchanged: Counter[str] = field(default_factory=Counter)
    lines: tuple[int, int] | None = None
    """First and last line of the trail it wrote, where all of it can be taken back."""

    def note(self, kind: str, outcome: str) -> None:
        """Count one thing."""
        getattr(self, outcome)[kind] += 1

    def kinds(self) -> list[str]:
        """Kinds of which something was created or changed."""
        return sorted({kind for kind, count in (self.created + self.changed).items() if count})

    def sentence(self) -> str:
        """One line for a person."""
        parts = [f"{name} {sum(getattr(self, name).values())}" for name in ("created", "changed", "unchanged")]
        return ", ".join(parts)


class Refused(Exception):
    """A part the stored farm does not allow, with its path."""

    def __init__(self, path: str, reason: str) -> None:
        super().__init__(reason)
        self.path, self.reason = path, reason


def given(part: BaseModel, *without: str) -> dict[str, Any]:
    """The fields a document names, as JSON holds them."""
    return part.model_dump(mode="json", include=part.model_fields_set - set(without))


def put_calibration(
    report: ApplyReport, target: tuple[str, dict[str, int]], part: CalibrationPart, time_zone: str
) -> str:
    """Store a dated calibration of a sensor or a device; ``target`` is the table and its owner; says the outcome."""
    table, owner = target
    start = times.epoch(datetime.combine(part.valid_from, time()), time_zone)
    stated = part.model_dump(mode="json", exclude={"valid_from", "entered", "withdrawn"})
    values = {**stated, "slope": part.slope or 0.0, "valid_from": start}
    if part.entered is None and part.withdrawn is None:
        outcome = calibration_store.put_version(table, owner, values, _since(table, owner))
    else:
        entered = None if part.entered is None else times.epoch(part.entered, time_zone)
        until = None if part.withdrawn is None else times.epoch(part.withdrawn, time_zone)
        where = {**owner, "valid_from": start, "entered_at": entered}
        del values["valid_from"]
        _, outcome = store.put(table, where, {**values, "withdrawn_at": until})
    report.note("calibrations", outcome)
    return outcome


def _since(table: str, owner: dict[str, int]) -> int | None:
    """Now [s, UTC] when advice may have been given without the calibration, None while nothing was measured yet."""
    if table == "calibration":
        measured = store.has_readings(owner["sensor_id"])
    else:
        measured = any(p.device_id == owner["device_id"] for p in device_store.placements())
    return clock.farm_now(clock.the_farm()) if measured else None
