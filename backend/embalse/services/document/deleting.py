"""Deleting records and devices so that they can be brought back."""

from datetime import date, datetime

from embalse.services import times
from embalse.services.document.farm_document import RECORD_LISTS
from embalse.services.load import clock
from embalse.store import devices as device_store
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound

PICKED = frozenset(
    {
        "mark_choices",
        "retention_curves",
        "block_rules",
        "dry_windows",
        "orders",
        "forecasts",
        "water_rules",
        "block_shifts",
        "block_zones",
        "soil_zones",
        "work_hours",
        "armings",
        "planned_sets",
        "set_evidence",
        "set_choices",
        "audit_rules",
        "sensor_findings",
        "plantings",
        "harvests",
        "zone_acceptances",
        "stages_seen",
        "rain_notes",
        "depth_schemes",
        "logger_memories",
        "air_limits",
    }
)


GIVEN = {"sets": "set", "rain": "rain", "eto": "eto"}
"""Water and weather by the table they are kept in: a set's key is its block and start, rain and ET go by their day."""


def set_key(block: str, start_at: int, time_zone: str) -> str:
    """The key a set is deleted by: its block and when it began, farm time."""
    return f"{block}@{times.local(start_at, time_zone).isoformat(timespec='seconds')}"


def delete(kind: str, key: str) -> None:
    """Delete a record of a kind, or a device; raises NotFound, and Conflict for a device in the ground."""
    _mark(kind, key, times.now_utc())


def restore(kind: str, key: str) -> None:
    """Bring a deleted record or device back; raises NotFound."""
    _mark(kind, key, None)


def _mark(kind: str, key: str, at: int | None) -> None:
    with transaction():
        if kind == "devices":
            device_store.set_deleted(key, at)
        elif kind in GIVEN:
            farm_store.set_deleted(GIVEN[kind], _given(kind, key), at)
        elif kind in PICKED:
            raise Conflict("kind", "what was picked is not deleted: withdraw it, so that past advice stays as it was")
        elif kind in RECORD_LISTS:
            record_store.set_deleted(kind, key, at)
        else:
            raise NotFound("kind", f"'{kind}' is no list of records")


def _given(kind: str, key: str) -> dict[str, int]:
    """The row of a set, or of a day's rain or reference ET, by its key."""
    try:
        if kind != "sets":
            return {"day": times.day_number(date.fromisoformat(key))}
        block, _, start = key.partition("@")
        return {"block_id": farm_store.farm_rows([block]).blocks[0].id, "start_at": _start_of(start)}
    except (ValueError, OverflowError) as not_one:
        raise NotFound(kind, f"'{key}' names none: a set is block@start, rain and ETo are a day") from not_one


def _start_of(start: str) -> int:
    return times.epoch(datetime.fromisoformat(start), clock.the_farm().time_zone)
