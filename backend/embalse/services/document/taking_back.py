"""Taking back what a person just entered, as long as nothing was built on it."""

import json
from collections.abc import Callable, Sequence
from typing import Any, get_args

from embalse.core.errors import CoreError
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.document.deleting import PICKED
from embalse.services.document.farm_document import FarmDocument
from embalse.services.load import clock
from embalse.services.load.in_force import check_order
from embalse.services.load.plantings import check_planted
from embalse.services.reader import say
from embalse.services.readings import faults
from embalse.store import devices as device_store
from embalse.store import farm as store
from embalse.store import records as record_store
from embalse.store import taking_back
from embalse.store.changes import actor, last_id
from embalse.store.database import transaction
from embalse.store.errors import Conflict
from embalse.store.taking_back import Line

LAST_S = 2**37
GROUND = ("farm", "soil", "horizon", "system", "supply", "block", "station", "sensor")
MARKED = ("record", "device", "set", "rain", "eto")
"""Rows that are never taken out of the file: they are marked as deleted, and past advice keeps them."""
ORDERED = ("mark_choices", "retention_curves")
SOWN = ("plantings", "harvests")


def span_after(before_id: int) -> tuple[int, int] | None:
    """First and last line of the trail written since a number, if all of them can be taken back."""
    last = last_id()
    written = taking_back.lines(before_id + 1, last)
    return (before_id + 1, last) if written and all(_why_not(line) is None for line in written) else None


def take_back(first: int, last: int, allowed: Callable[[list[str]], None]) -> int:
    """Undo lines of the trail, newest first, in one transaction; returns how many.

    What was picked is withdrawn from now on, records are deleted, what was changed is as it was before; the trail
    keeps the lines and gets new ones. ``allowed`` raises when one of the kinds may not be changed.

    Raises
    ------
    Conflict
        If a line is somebody else's, was changed since, or something hangs on what it made.
    """
    with transaction():
        written = taking_back.lines(first, last)
        mine = actor().person_id, actor().who
        if not written or any((line.person_id, line.who) != mine for line in written):
            raise Conflict("undo", say(Notice("undo.not_yours")))
        allowed(sorted({line.kind for line in written}))
        for line in written:
            reason = _why_not(line)
            if reason is None and taking_back.touched_since(line, last):
                reason = Notice("undo.changed", subject=line.subject)
            if reason is not None:
                raise Conflict("undo", say(reason))
        for line in written:
            _undo(line)
        _check(written)
        faults.recheck(_sensors(written))
    return len(written)


def _why_not(line: Line) -> Notice | None:
    """Why a line cannot be taken back, whatever was done since; None when it can."""
    if line.of_table not in (*GROUND, *MARKED):
        return Notice("undo.own_way", subject=line.subject)
    if "time_zone" in line.before or (line.of_table == "farm" and line.what == "created"):
        return Notice("undo.farm")
    if line.kind in PICKED and line.what == "created" and not _can_be_withdrawn(line.kind):
        return Notice("undo.kept")
    return None


def _can_be_withdrawn(kind: str) -> bool:
    part = get_args(FarmDocument.model_fields[kind].annotation)[0]
    return "withdrawn" in part.model_fields


def _undo(line: Line) -> None:
    made = line.what == "created"
    if line.kind in PICKED and made:
        row = taking_back.row_of(line)
        body = json.loads(row["body"]) if row else {}
        zone = clock.the_farm().time_zone
        body["withdrawn"] = times.local(clock.farm_now(clock.the_farm()), zone).isoformat()
        store.put("record", {"id": line.row_id}, {"body": body})
    elif line.of_table in MARKED and made:
        _delete(line)
    else:
        if made and line.of_table != "horizon" and taking_back.is_used(line):
            raise Conflict("undo", say(Notice("undo.used", subject=line.subject)))
        taking_back.put_back(line)


def _delete(line: Line) -> None:
    row: Any = taking_back.row_of(line) or {}
    now = times.now_utc()
    if line.of_table == "record":
        record_store.set_deleted(row["kind"], row["key"], now)
    elif line.of_table == "device":
        device_store.set_deleted(row["key"], now)
    else:
        store.set_deleted(line.of_table, {"id": line.row_id}, now)


def _check(written: Sequence[Line]) -> None:
    """What is left must be in order as if it had been entered so."""
    kinds = {line.kind for line in written}
    if not kinds & {*ORDERED, *SOWN}:
        return
    rows = store.farm_rows()
    farm = clock.the_farm()
    try:
        for block in rows.blocks:
            if kinds & set(SOWN):
                check_planted(block, rows, (clock.farm_now(farm), farm.time_zone))
            if kinds & set(ORDERED):
                check_order(block, rows, (LAST_S, farm.time_zone))
    except CoreError as refusal:
        raise Conflict("undo", say(refusal.reason)) from refusal


def _sensors(written: Sequence[Line]) -> set[int]:
    """Sensors whose readings may mean something else now."""
    touched = {(line.of_table, line.row_id) for line in written}
    soils = any(line.kind == "retention_curves" for line in written)
    return {
        sensor.id
        for sensor in store.sensors()
        if soils or ("sensor", sensor.id) in touched or ("station", sensor.station_id) in touched
    }
