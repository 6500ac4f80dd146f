"""What people tell of sets on the phone or at a desk: started, stopped, hours, depth, meter; and sets nobody logged."""

import json
from collections.abc import Sequence
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from embalse.core.errors import CoreError
from embalse.services import times
from embalse.services.acting.evidence import KIND, keep_evidence, settle
from embalse.services.document.farm_document import path_errors
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.planning import planned as planned_store
from embalse.services.reader import Words
from embalse.services.schema.base import Note, Number, When
from embalse.services.schema.water import SetEvidencePart
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound

FUTURE_S = 900  # seconds a phone's clock may run ahead (as for readings)


class ToldIn(BaseModel):
    """What somebody tells of a planned set. Its key makes sending it again harmless."""

    model_config = ConfigDict(extra="forbid", defer_build=True)
    key: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9._: -]{0,89}$")]
    planned: Annotated[str, StringConstraints(max_length=60)]
    what: Literal["start", "stop", "ran", "did not run", "meter"]
    at: When
    hours: Annotated[Number, Field(gt=0, le=240)] | None = None
    gross_mm: Annotated[Number, Field(gt=0, le=500)] | None = None
    meter_before_m3: Annotated[Number, Field(ge=0)] | None = None
    meter_after_m3: Annotated[Number, Field(ge=0)] | None = None
    note: Note = ""


class ToldOut(Content):
    """One line a thing told: whether it is kept, and why not."""

    key: str
    planned: str
    kept: bool
    state: str
    reason: Words = ""


def told(entries: Sequence[ToldIn]) -> list[ToldOut]:
    """Keep what was told, each for itself: one that is refused leaves the others."""
    return [_told(entry) for entry in entries]


def _told(entry: ToldIn) -> ToldOut:
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    try:
        with transaction():
            if times.epoch(entry.at, farm.time_zone) > now + FUTURE_S:
                raise CoreError("at", "lies in the future: look at the phone's clock")
            keep_evidence(_evidence(entry, farm.time_zone))
            one = settle(entry.planned, now, by=actor().who)
        return ToldOut(key=entry.key, planned=entry.planned, kept=True, state=one.state)
    except (CoreError, NotFound, Conflict, ValidationError) as refused:
        reason = _reason(refused)
        return ToldOut(key=entry.key, planned=entry.planned, kept=False, state="", reason=reason)


def _reason(refused: Exception) -> str:
    if isinstance(refused, ValidationError):
        return path_errors(refused)[0].reason
    return str(getattr(refused, "reason", None) or refused)


def _evidence(entry: ToldIn, zone: str) -> SetEvidencePart:
    """Told things of one kind about one set are one piece of evidence: a stop completes its start."""
    one = planned_store.planned_set(entry.planned, zone)
    if one.state == "withdrawn":
        raise Conflict("set", "this set was taken back: log it as one of its own")
    kind = "meter" if entry.what == "meter" else "typed" if entry.what in ("ran", "did not run") else "phone"
    key = planned_store.evidence_key(one.key, kind)
    before = _known(key)
    values: dict[str, Any] = (
        dict(before) if before else {"key": key, "block": one.part.block, "planned": one.key, "kind": kind}
    )
    at = times.local(times.epoch(entry.at, zone), zone)
    if entry.what == "start":
        values |= {"start": at, "failed": False}
    elif entry.what == "stop":
        values["end"] = at
    elif entry.what == "did not run":
        values |= {"failed": True, "start": None, "end": None, "hours": None, "gross_mm": None}
    elif entry.what == "ran":
        values |= {"failed": False, "hours": entry.hours, "gross_mm": entry.gross_mm}
        if entry.hours is None and entry.gross_mm is None:
            values |= {"start": times.local(one.start_at, zone), "end": times.local(one.end_at, zone)}
    for name in ("meter_before_m3", "meter_after_m3"):
        if getattr(entry, name) is not None:
            values[name] = getattr(entry, name)
    values |= {"who": actor().who, "note": entry.note or values.get("note", "")}
    return SetEvidencePart.model_validate(values)


def _known(key: str) -> dict[str, Any] | None:
    try:
        return dict(json.loads(record_store.record(KIND, key).body))
    except NotFound:
        return None
