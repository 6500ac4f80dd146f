"""Which supplies Embalse may open by itself: armed by a manager, off by default; and which have a controller."""

import json
from datetime import datetime
from typing import Any, Final

from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.load import clock
from embalse.services.load.in_force import in_force
from embalse.store import controllers as controller_store
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.errors import NotFound

CAUTIONS: Final = (
    "caution.arming_people",
    "caution.arming_pressure",
    "caution.arming_backflow",
    "caution.arming_local",
    "caution.arming_rules",
)
"""What is read before a supply is armed for the first time, by code."""


def armed(supply: str, now: int, zone: str) -> bool:
    """Whether Embalse may open valves of a supply at an instant [s, UTC]."""
    bodies = [json.loads(r.body) for r in record_store.records("armings", supply)]
    held = sorted(in_force(bodies, (now, zone)), key=lambda b: _entered(b, zone))
    return bool(held and held[-1]["armed"])


def _entered(body: dict[str, Any], zone: str) -> float:
    return -1e18 if body["entered"] is None else times.epoch(datetime.fromisoformat(body["entered"]), zone)


def controlled(supply: str) -> bool:
    """Whether a controller is entered for a supply."""
    return controller_store.of_supply(supply) is not None


def arm(supply: str, on: bool, cautions_read: bool) -> None:
    """Arm a supply, or disarm it, from now on.

    Raises
    ------
    NotFound
        If there is no such supply, or it has no controller.
    DocumentErrors
        If it is to be armed and the cautions were not read.
    """
    farm = clock.the_farm()
    if supply not in {s.key for s in farm_store.farm_rows().supplies.values()}:
        raise NotFound("supply", f"there is no supply '{supply}'")
    if on and not controlled(supply):
        raise NotFound("supply", "no controller is entered for this supply: its valves are opened by hand")
    now = clock.farm_now(farm)
    moment = times.local(now, farm.time_zone)
    taken = {r.key for r in record_store.records("armings")}
    stem = f"{supply}-{moment:%Y%m%d-%H%M%S}"
    key = next(k for k in (stem, *(f"{stem}-{n}" for n in range(2, 1000))) if k not in taken)
    part = {
        "key": key, "supply": supply, "armed": on, "cautions_read": cautions_read, "who": actor().who,
        "valid_from": moment.date().isoformat(), "entered": _after(supply, moment, farm.time_zone).isoformat(),
    }  # fmt: skip
    apply_document(parse_document(json.dumps({"embalse": 1, "armings": [part]})))


def _after(supply: str, moment: datetime, zone: str) -> datetime:
    """The moment itself, or a microsecond after what was said last: a clock held still has one moment for both."""
    last = max((_entered(json.loads(r.body), zone) for r in record_store.records("armings", supply)), default=-1e18)
    return moment if moment.timestamp() > last else datetime.fromtimestamp(last, moment.tzinfo)
