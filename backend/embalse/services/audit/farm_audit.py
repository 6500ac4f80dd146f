"""The audit of every block of the farm: sets newest first, who got less in a group, what to go and see."""

import json
import threading
from collections import Counter, OrderedDict
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from pydantic import Field

from embalse.core.audit.group import FEWEST, Share, shares_of
from embalse.core.audit.set_audit import WITHIN_SHARE, SetAudit, Verdict
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.audit.block_audit import SetAuditOut, set_out
from embalse.services.audit.dose import learning_of
from embalse.services.audit.following_up import Fault, FollowUpOut, faults_of, flow_faults, open_faults
from embalse.services.audit.gather import BlockSets, block_sets
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content, SaidOut
from embalse.services.load.zones import with_rows_of_stand_ins
from embalse.services.reader import Words, reader, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.water import SetGroupPart
from embalse.store import changes
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRow, FarmRows
from embalse.store.version import file_version

LINE_DAYS: Final = 7  # days back that the Round's line tells
FARM_DAYS: Final = 21  # days back of the farm's list by default (ours: six sets of most blocks)
NAMED: Final = 3  # blocks named beside a verdict at most (ours: a line has no room for more)
DAY_S, HOUR_S = 86400, 3600
LATELY_DAYS: Final = 4  # days a set's water is still followed and its audit looked at anew (ours: 60 h and a day)
KEPT: Final = 2000
OF_A_BLOCK: Final = frozenset(
    {
        "sets", "planned_sets", "set_evidence", "set_choices", "audit_rules", "set_visits", "block_rules",
        "dry_windows", "orders", "mark_choices", "hand readings", "growth_days", "visits", "spots",
    }
)  # fmt: skip
"""Kinds of changes that are about one block, named by their subject; any other may be about all of them."""
GOOD: Final = frozenset({"right", "cannot tell"})
ORDER: Final[tuple[Verdict, ...]] = (
    "did not run", "not all of the block", "too little", "too fast", "too much", "right", "cannot tell",
)  # fmt: skip
NIGHT_H: Final = 12  # hours by which a night is told by the day it begins on: noon to noon


class FarmSetOut(SetAuditOut):
    """A set of a block of the farm."""

    block: str
    name: str


class DoseOfferOut(Content):
    """A block whose next dose the audit would correct, or does."""

    block: str
    name: str
    factor: float
    in_force: float
    mode: str


class GroupShareOut(Content):
    """A block of a group in one night: what came over what was expected."""

    block: str
    name: str
    share: float
    error: float
    off: float
    less: bool


class GroupNightOut(Content):
    """One night of a group, the blocks that got less first."""

    group: str
    night: str
    blocks: list[GroupShareOut]
    words: list[Words]


class FarmAuditContent(Content):
    """The audit of the farm's sets at a farm-local moment."""

    as_of: str
    days: int
    line: SaidOut | None = Field(description="what the Round says of the last week; null without sets")
    sets: list[FarmSetOut]
    groups: list[GroupNightOut]
    offers: list[DoseOfferOut]
    follow_ups: list[FollowUpOut]


@as_known_then
def farm_audit(moment: str | None = None, days: int = FARM_DAYS) -> FarmAuditContent:
    """Hold every block's sets of some days against its probes.

    Raises
    ------
    Conflict
        If no farm is set up.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    found = _audited(farm, rows, (now, days), kept=not moment)
    sets = sorted((s for one in found for s in one.sets), key=lambda s: (s.start_at, s.block), reverse=True)
    flows = flow_faults(now, farm.time_zone)
    return FarmAuditContent(
        as_of=times.iso(now, farm.time_zone) or "",
        days=days,
        line=_line(sets, now),
        sets=sets,
        groups=_groups(rows, found, farm.time_zone),
        offers=[one.offer for one in found if one.offer is not None],
        follow_ups=[f for one in found for f in _follow_ups(one, flows, now, farm.time_zone)],
    )


@dataclass(frozen=True)
class _Audited:
    """A block's audit as the farm's list needs it."""

    block: str
    name: str
    sets: tuple[FarmSetOut, ...]
    told: tuple[SetAudit, ...]
    faults: tuple[Fault, ...]
    offer: DoseOfferOut | None


class _Entered:
    """The last thing anybody entered about each block, and about anything else, by its line in the log of changes."""

    def __init__(self) -> None:
        self._seen = self._all = changes.last_id()
        self._own: dict[str, int] = {}

    def look(self) -> None:
        """Read what was entered since."""
        for number, kind, subject in changes.since(self._seen):
            self._seen = number
            if kind in OF_A_BLOCK:
                self._own[subject.split("/")[0]] = number
            else:
                self._all = number

    def of(self, block: str) -> tuple[int, int]:
        """What an answer about a block goes by."""
        return self._all, self._own.get(block, 0)


_lock = threading.Lock()
_entered: dict[Hashable, _Entered] = {}
_kept: OrderedDict[Hashable, _Audited] = OrderedDict()


def _audited(farm: FarmRow, rows: FarmRows, when: tuple[int, int], kept: bool) -> list[_Audited]:
    """Every block's audit. About now, a block's is kept until anybody enters anything, or an hour, or a day, is over.

    A set's water is on its way for some days: a block with one lately is looked at every hour, others once a day.
    """
    now, days = when
    lately = {s.block_key for s in readings_store.sets(None, now - LATELY_DAYS * DAY_S, now)}
    file = file_version()[:3]
    with _lock:
        entered = _entered.setdefault(file, _Entered())
        entered.look()
        keys = {
            row.key: (file, days, reader(), row.key, *entered.of(row.key),
                      now // (HOUR_S if row.key in lately else DAY_S))
            for row in rows.blocks
        }  # fmt: skip
        found = {block: _kept[key] for block, key in keys.items() if kept and key in _kept}
    left = [row.key for row in rows.blocks if row.key not in found]
    if left:
        mine = farm_store.farm_rows(left)
        blocks = core_blocks(mine, now)
        analyses = analyse_blocks(farm, mine, blocks, now, by_model=False)
        for row, block, analysis in zip(mine.blocks, blocks, analyses, strict=True):
            field = FieldSeries(
                farm,
                with_rows_of_stand_ins(farm_store.farm_rows([row.key]), (now, farm.time_zone)),
                row,
                block,
                analysis,
                now,
                days + 1,
            )
            found[row.key] = _of_block(block_sets(field, days))
    if kept:
        with _lock:
            _kept.update({keys[block]: one for block, one in found.items()})
            while len(_kept) > KEPT:
                _kept.popitem(last=False)
    return [found[row.key] for row in rows.blocks]


def _of_block(one: BlockSets) -> _Audited:
    field, row = one.field, one.field.row
    sets = tuple(FarmSetOut.model_construct(block=row.key, name=row.name, **dict(set_out(s, field))) for s in one.sets)
    told = tuple(s.told for s in one.ran)
    return _Audited(row.key, row.name, sets, told, tuple(faults_of(one.sets, field.zone)), _offer(one))


def _follow_ups(one: _Audited, flows: Mapping[str, Fault], now: int, zone: str) -> list[FollowUpOut]:
    faults = [*one.faults, *([flows[one.block]] if one.block in flows else [])]
    return open_faults(one.block, one.name, faults, now, zone)


def _line(sets: Sequence[FarmSetOut], now: int) -> SaidOut | None:
    """The last week in one line: how many of each verdict, with the blocks where it was not right."""
    lately = [s for s in sets if s.start_at > now - LINE_DAYS * DAY_S]
    if not lately:
        return None
    counts = []
    for verdict in ORDER:
        mine = [s for s in lately if s.verdict == verdict]
        if mine:
            names = [name for name, _ in Counter(s.name for s in mine).most_common(NAMED)]
            blocks = None if verdict in GOOD else tuple(names)
            counts.append(Notice("audit.count", sets=len(mine), verdict=verdict, blocks=blocks))
    return SaidOut.of(Notice("audit.line", in_days=LINE_DAYS, counts=tuple(counts)))


def _offer(one: BlockSets) -> DoseOfferOut | None:
    told = learning_of(one).correction
    held = one.field.block.dose
    if told.factor == 1 and held == 1:
        return None
    mode = one.rules.mode if one.rules is not None else "offered"
    row = one.field.row
    return DoseOfferOut(block=row.key, name=row.name, factor=told.factor, in_force=held, mode=mode)


@dataclass(frozen=True)
class _Night:
    """A block's set of a night."""

    block: str
    night: int
    told: SetAudit


def _groups(rows: FarmRows, found: Sequence[_Audited], zone: str) -> list[GroupNightOut]:
    """The latest night of every group by hand, and of every supply, in which enough of its blocks tell."""
    names = {b.key: b.name for b in rows.blocks}
    nights = [
        _Night(one.block, times.local_day(told.start_at - NIGHT_H * HOUR_S, zone), told)
        for one in found
        for told in one.told
    ]
    out = []
    for name, members in _members(rows):
        for night in sorted({n.night for n in nights if n.block in members}, reverse=True):
            told = shares_of([(n.block, n.told) for n in nights if n.night == night and n.block in members])
            if told:
                out.append(_night_out(name, night, told, names))
                break
    return out


def _members(rows: FarmRows) -> Iterable[tuple[str, frozenset[str]]]:
    for record in record_store.records("set_groups"):
        group = SetGroupPart.model_validate(json.loads(record.body))
        if len(group.blocks) >= FEWEST:
            yield group.name, frozenset(group.blocks)
    for key, supply in rows.supplies.items():
        mine = frozenset(b.key for b in rows.blocks if b.supply_id == key)
        if len(mine) >= FEWEST:
            yield supply.name, mine


def _night_out(group: str, night: int, told: Sequence[Share], names: dict[str, str]) -> GroupNightOut:
    less = [Notice("group.less", name=names[s.block], less_fraction=-s.off) for s in told if s.less]
    said = less or [Notice("group.even", within_fraction=WITHIN_SHARE)]
    blocks = [
        GroupShareOut(block=s.block, name=names[s.block], share=s.share, error=s.error, off=s.off, less=s.less)
        for s in told
    ]
    day = times.day_of(night).isoformat()
    return GroupNightOut(group=group, night=day, blocks=blocks, words=[say(n) for n in said])
