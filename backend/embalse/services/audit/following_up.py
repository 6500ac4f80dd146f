"""Faults of sets that somebody has to go and see, until somebody did: one place, one line."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from pydantic import Field

from embalse.core.audit.follow_up import AGAIN_DAYS, SetFault, fault_of
from embalse.core.audit.follow_up import open_faults as still_open
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.audit.gather import AuditedSet
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import DocumentErrors, FarmDocument
from embalse.services.load.measured import measured_rates
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say_sentences
from embalse.services.schema.auditing import SetVisitPart
from embalse.store import records as record_store
from embalse.store.changes import actor


class FollowUpOut(Content):
    """A fault of a block's set to go and see; ``times`` is how often it came in the last 30 days."""

    key: str
    block: str
    name: str
    fault: SetFault
    start: str = Field(description="of the set, farm time")
    where: str = Field(description="valve and tag, where they are entered")
    words: Words
    times: int


@dataclass(frozen=True)
class Fault:
    """A fault of a set: when the set began [s, UTC], what it is, and what is said of it."""

    start_at: int
    fault: SetFault
    words: Notice
    where: str = ""


def faults_of(sets: Sequence[AuditedSet], zone: str) -> list[Fault]:
    """Faults of a block's audited sets, oldest first."""
    found = []
    for one in sets:
        told = _fault(one, zone)
        if told is not None:
            found.append(told)
    return found


def _fault(one: AuditedSet, zone: str) -> Fault | None:
    on = times.local_day(one.start_at, zone)
    part = one.planned.part if one.planned is not None else None
    why = part.events[-1].note.rstrip(".") if part is not None else ""
    where = ", ".join(w for w in ((f"valve {part.valve}" if part.valve else ""), part.shift) if w) if part else ""
    kind = fault_of(one.facts, one.told)
    if kind is None:
        return None
    return Fault(one.start_at, kind, _words(kind, one, on, why), where)


def _words(kind: SetFault, one: AuditedSet, on: int, why: str) -> Notice:
    if kind == "did not run":
        return Notice("follow.did_not_run", on_day=on, why=why or None)
    if kind == "cut short":
        ran = {"ran_h": one.facts.ran_h, "planned_h": one.facts.planned_h}
        return Notice("follow.cut_short", on_day=on, why=why or None, **ran)
    if kind == "some dry":
        return Notice("follow.some_dry", on_day=on, dry=one.told.dry)
    return Notice("follow.nothing_came", on_day=on)


def flow_faults(now: int, zone: str) -> dict[str, Fault]:
    """Blocks whose measured flow fell or rose at a steady pressure, as faults of today."""
    found = {}
    for block, flow in measured_rates(now, zone).items():
        if flow.trend == "clogging":
            told = Notice("follow.clogging", fall_fraction=abs(flow.trend_share))
        elif flow.trend == "leak":
            told = Notice("follow.leak", rise_fraction=abs(flow.trend_share))
        else:
            continue
        found[block] = Fault(now, flow.trend, told)
    return found


def open_faults(block: str, name: str, faults: Sequence[Fault], now: int, zone: str) -> list[FollowUpOut]:
    """A block's faults nobody went to see since, one line a kind, the latest of each."""
    found = []
    for one in still_open([(f.fault, f.start_at) for f in faults], _seen(block, now, zone), now):
        last = faults[one.place]
        again = [Notice("follow.again", times=one.times, in_days=AGAIN_DAYS)] if one.times > 1 else []
        found.append(
            FollowUpOut(
                key=f"{block}:{last.fault}:{last.start_at}",
                block=block,
                name=name,
                fault=last.fault,
                start=times.iso(last.start_at, zone) or "",
                where=last.where,
                words=say_sentences([last.words, *again]),
                times=one.times,
            )
        )
    return found


def _seen(block: str, now: int, zone: str) -> dict[str, int]:
    """When each kind of fault of a block was last gone to see, by an instant [s, UTC]."""
    found: dict[str, int] = {}
    for row in record_store.records("set_visits", block):
        body = json.loads(row.body)
        at = times.epoch(datetime.fromisoformat(body["at"]), zone)
        if at <= now:
            found[body["fault"]] = max(found.get(body["fault"], 0), at)
    return found


class FollowedUp(SetVisitPart):
    """A fault somebody went to see, as it is sent in."""


class FollowedUpLine(Content):
    """A line told: whether it is kept, and why not."""

    key: str
    kept: bool
    reason: Words = ""


class FollowedUpContent(Content):
    """What became of each line."""

    entries: list[FollowedUpLine]


def follow_up(entries: Sequence[FollowedUp]) -> FollowedUpContent:
    """Keep what people found; a line that cannot be kept is told by itself and stops no other."""
    found = []
    for one in entries:
        part = SetVisitPart.model_validate({**one.model_dump(), "who": one.who or actor().who})
        try:
            apply_document(FarmDocument(embalse=1, set_visits=[part]))
            found.append(FollowedUpLine(key=one.key, kept=True))
        except DocumentErrors as refused:
            found.append(FollowedUpLine(key=one.key, kept=False, reason=str(refused)))
    return FollowedUpContent(entries=found)
