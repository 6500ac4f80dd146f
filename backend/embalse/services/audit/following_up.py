"""Faults of sets that somebody has to go and see, until somebody did: one place, one line."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from pydantic import Field

from embalse.core.acting.what_ran import cut_short
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.audit.gather import AuditedSet
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import DocumentErrors, FarmDocument
from embalse.services.load.measured import measured_rates
from embalse.services.load.schemas import Content
from embalse.services.reader import say_sentences
from embalse.services.schema.auditing import SetFault, SetVisitPart
from embalse.store import records as record_store
from embalse.store.changes import actor

DAY_S = 86400
OPEN_DAYS: Final = 7  # days a fault of a set is on the list without being seen (ours: by then another set has run)
AGAIN_DAYS: Final = 30  # days over which the same fault again is named (ours)


class FollowUpOut(Content):
    """A fault of a block's set to go and see; ``times`` is how often it came in the last 30 days."""

    key: str
    block: str
    name: str
    fault: SetFault
    start: str = Field(description="of the set, farm time")
    where: str = Field(description="valve and tag, where they are entered")
    words: str
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
    facts = one.facts
    if one.told.verdict == "did not run":
        return Fault(one.start_at, "did not run", Notice("follow.did_not_run", on_day=on, why=why or None), where)
    if cut_short(facts.ran_h, facts.planned_h):
        ran = {"ran_h": facts.ran_h, "planned_h": facts.planned_h}
        return Fault(one.start_at, "cut short", Notice("follow.cut_short", on_day=on, why=why or None, **ran), where)
    if one.told.verdict == "not all of the block":
        return Fault(one.start_at, "some dry", Notice("follow.some_dry", on_day=on, dry=one.told.dry), where)
    if one.told.verdict == "too little" and one.told.dry:
        return Fault(one.start_at, "nothing came", Notice("follow.nothing_came", on_day=on), where)
    return None


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
    seen = _seen(block, now, zone)
    found = []
    for kind in dict.fromkeys(f.fault for f in faults):
        mine = [f for f in faults if f.fault == kind and now - f.start_at <= AGAIN_DAYS * DAY_S]
        if not mine:
            continue
        last = mine[-1]
        if now - last.start_at > OPEN_DAYS * DAY_S or seen.get(kind, -1) >= last.start_at:
            continue
        again = Notice("follow.again", times=len(mine), in_days=AGAIN_DAYS) if len(mine) > 1 else None
        found.append(
            FollowUpOut(
                key=f"{block}:{kind}:{last.start_at}",
                block=block,
                name=name,
                fault=kind,
                start=times.iso(last.start_at, zone) or "",
                where=last.where,
                words=say_sentences([last.words, again] if again else [last.words]),
                times=len(mine),
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
    reason: str = ""


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
