"""Sets that were approved, as they are kept: what they are, what became of them, and how their state changes."""

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Final

from embalse.core.acting.set_state import OVER, SetState, follows, pulse_spans
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.planning.supplies import Taken
from embalse.services.schema.water import PlannedSetPart, SetEventPart
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.database import transaction
from embalse.store.errors import NotFound

KIND: Final = "planned_sets"
BLOCK_CHARS: Final = 22
KEY_CHARS: Final = 60
"""How long keys may be, as ``RecordKey`` has it: a set's key keeps room for its time and for a source's name."""
KEPT_DAYS: Final = 14  # days back over which planned sets are looked through (ours: nothing runs that long)
DAY_S = 86400


@dataclass(frozen=True)
class PlannedSet:
    """A planned set with its instants [s, UTC] and its state now."""

    part: PlannedSetPart
    start_at: int
    end_at: int
    zone: str

    @property
    def key(self) -> str:
        """Its key."""
        return self.part.key

    @property
    def state(self) -> SetState:
        """What it is now."""
        return self.part.events[-1].state

    @property
    def live(self) -> bool:
        """Whether it is still to run, or running."""
        return self.state not in OVER

    @property
    def volume_m3(self) -> float:
        """Water it was planned with [m³]."""
        hours = (self.end_at - self.start_at) / 3600
        return self.part.flow_m3_h * (hours if self.part.flowing_min is None else self.part.flowing_min / 60)

    @property
    def seconds(self) -> int:
        """How long it is planned to last [s]."""
        return self.end_at - self.start_at

    @property
    def minutes(self) -> int:
        """The same in minutes."""
        return max(1, round(self.seconds / 60))

    def net_on_part_mm(self, block_ha: float) -> float:
        """Net depth on the part that is watered [mm], of a block of an area [ha]; it is kept over the block."""
        return self.part.net_mm * block_ha / (self.part.area_ha or block_ha)

    def at_of(self, *states: SetState) -> int | None:
        """When it last became one of some states [s, UTC]; None where it never did."""
        found = [e.at for e in self.part.events if e.state in states]
        return times.epoch(found[-1], self.zone) if found else None


def planned_of(body: dict[str, Any], zone: str) -> PlannedSet:
    """A planned set from its record."""
    part = PlannedSetPart.model_validate(body)
    return PlannedSet(part, times.epoch(part.start, zone), times.epoch(part.end, zone), zone)


def planned_sets(zone: str, since: int | None = None, block: str | None = None) -> list[PlannedSet]:
    """Planned sets that end after an instant [s, UTC] (all if None), in the order they start."""
    if since is None:
        rows = record_store.records(KIND, block)
    else:
        day = times.local(since - DAY_S, zone).date().isoformat()
        rows = [r for r in record_store.records_from(KIND, "end", day) if block in (None, r.subject)]
    found = [planned_of(json.loads(r.body), zone) for r in rows]
    kept = [p for p in found if since is None or p.end_at > since]
    return sorted(kept, key=lambda p: (p.start_at, p.key))


def planned_set(key: str, zone: str) -> PlannedSet:
    """One planned set; raises NotFound."""
    return planned_of(json.loads(record_store.record(KIND, key).body), zone)


def holding(now: int, zone: str) -> list[PlannedSet]:
    """Planned sets that hold water of their supply from now on."""
    return [p for p in planned_sets(zone, now - KEPT_DAYS * DAY_S) if p.live and p.end_at > now]


def taken_of(sets: Iterable[PlannedSet]) -> list[Taken]:
    """The water planned sets are promised."""
    return [Taken(p.part.supply, p.start_at, p.end_at, p.part.flow_m3_h) for p in sets]


def keep(parts: Sequence[PlannedSetPart]) -> None:
    """Keep planned sets as they now are. Raises DocumentErrors."""
    if parts:
        apply_document(FarmDocument(embalse=1, planned_sets=list(parts)))


def became(one: PlannedSet, state: SetState, at: int, note: str = "", by: str | None = None) -> PlannedSet:
    """Write down that a set became something at an instant [s, UTC]; what it is already is not written again.

    It is read again first: somebody else may have changed it since ``one`` was read.

    Raises
    ------
    CoreError
        If it cannot become that.
    NotFound
        If it is gone.
    """
    with transaction():
        now = planned_set(one.key, one.zone)
        if now.state == state:
            return now
        who = actor().who if by is None else by
        event = SetEventPart(at=times.local(at, now.zone), state=follows(now.state, state), by=who, note=note)
        part = now.part.model_copy(update={"events": [*now.part.events, event]})
        keep([part])
        return PlannedSet(part, now.start_at, now.end_at, now.zone)


def moved(one: PlannedSet, start_at: int) -> PlannedSetPart:
    """A set at another start, as long as before, with the next sequence number."""
    start, end = times.local(start_at, one.zone), times.local(start_at + one.seconds, one.zone)
    return one.part.model_copy(update={"start": start, "end": end, "sequence": one.part.sequence + 1})


def new_key(block: str, shift: str, start: datetime, taken: Iterable[str]) -> str:
    """A key for a set: its block, shift and start, with a number where that is taken."""
    names = [block[:BLOCK_CHARS], _plain(shift)] if shift else [block[:BLOCK_CHARS]]
    stem = "-".join([*names, f"{start:%Y%m%d-%H%M}"])
    known = set(taken)
    return next(k for k in (stem, *(f"{stem}-{n}" for n in range(2, 1000))) if k not in known)


def evidence_key(planned: str, kind: str) -> str:
    """The key of what one source tells of a planned set: one a set, however long its own key."""
    whole = f"{planned}:{kind}"
    if len(whole) <= KEY_CHARS:
        return whole
    return f"{planned[:30]}.{hashlib.sha256(planned.encode()).hexdigest()[:12]}:{kind}"


def _plain(text: str) -> str:
    return "".join(c if c.isascii() and c.isalnum() else "-" for c in text.lower())[:12].strip("-") or "part"


def pulses_of(one: PlannedSet) -> list[tuple[int, int]]:
    """When water flows in a planned set [s, UTC]."""
    whole = one.end_at - one.start_at
    flowing = whole if one.part.flowing_min is None else min(whole, round(60 * one.part.flowing_min))
    return pulse_spans(one.start_at, one.end_at, one.part.pulses, flowing)


def must_be_live(one: PlannedSet) -> None:
    """Raises NotFound where a set is over or withdrawn: there is nothing to change any more."""
    if not one.live:
        raise NotFound("set", f"this set is {one.state}: there is nothing to change any more")
