"""The audit of a block's sets, newest first."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import Field

from embalse.core.advice.decision_inputs import soil_intake_mm_h
from embalse.core.audit.seen import seen_of
from embalse.core.audit.set_audit import SeenAt, SetAudit, SetFacts, Verdict, audit
from embalse.core.field.wetting import ProfileHours, Wetting
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.advice.profile_page import seen_by_stations, waters
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.reader import say
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store

AUDITED_DAYS = 45  # days back by default (ours: the sets a manager still remembers)
DAY_S, HOUR_S = 86400, 3600
SAME_S = 1800  # seconds within which a set on record and a planned one are the same (ours: half a step)


class SetAuditOut(Content):
    """A set on record, what was expected of it, what the probes saw, and the verdict. Depths in mm over the block."""

    start: str
    end: str
    planned_h: float | None
    ran_h: float
    gross_mm: float
    expected_mm: float = Field(description="net over the block: gross by the system's efficiency")
    gained_mm: float | None = Field(description="in the roots, with the crop's use added back; null where not told")
    error_mm: float | None
    below_mm: float | None = Field(description="went below the roots; null without a sensor there")
    missing_mm: float | None = Field(description="neither stored nor seen to pass")
    spread_mm: float | None = Field(description="between stations; null with one")
    reach_cm: float | None
    wanted_cm: float | None
    stations: int
    verdict: Verdict
    why: str


class BlockAuditContent(Content):
    """The audit of a block's sets at a farm-local moment, newest first."""

    key: str
    name: str
    as_of: str
    days: int
    sets: list[SetAuditOut]


@as_known_then
def audit_content(key: str, moment: str | None = None, days: int = AUDITED_DAYS) -> BlockAuditContent:
    """Hold a block's sets of some days against its probes.

    Raises
    ------
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows([key])
    block = core_blocks(rows, now)[0]
    analysis = analyse_blocks(farm, rows, [block], now)[0]
    field = FieldSeries(farm, rows, rows.blocks[0], block, analysis, now, days + 1)
    logged = [s for s in readings_store.sets(key, now - days * DAY_S, now) if s.end_at <= now]
    stations = seen_by_stations(field)
    planned = planned_sets(farm.time_zone, now - (days + 1) * DAY_S, key)
    came = sorted(w.start_at for w in waters(field))
    found = []
    kept = block.system.efficiency_fraction if block.system else 1.0
    takes = block.rules.max_rate_mm_h or soil_intake_mm_h(block.horizons, block.slope_pct)
    for one in logged:
        span = (one.start_at, one.end_at)
        share = block.limits.wetted_fraction
        facts = SetFacts(
            planned_h=_planned_h(planned, one.start_at),
            ran_h=(one.end_at - one.start_at) / HOUR_S,
            expected_mm=one.gross_mm * kept / share,
            has_probes=bool(stations),
            rain_mm=_rain_mm(field, span),
            takes_mm_h=takes,
            gives_mm_h=None if block.system is None else block.system.rate_mm_h / share,
        )
        until = next((at for at in came if at > one.end_at), None)
        told = audit(facts, _seen(stations, span, until))
        wanted = block.managed_cm(times.local_day(one.start_at, farm.time_zone))
        found.append(_out(_Line(facts, one.gross_mm, span, wanted), told, share, farm.time_zone))
    found += [_did_not_run(p, rows.blocks[0].area_ha, kept, farm.time_zone) for p in planned if _failed(p, now)]
    return BlockAuditContent(
        key=key, name=rows.blocks[0].name, as_of=times.iso(now, farm.time_zone) or "", days=days,
        sets=sorted(found, key=lambda s: s.start, reverse=True),
    )  # fmt: skip


@dataclass(frozen=True)
class _Line:
    facts: SetFacts
    gross_mm: float
    span: tuple[int, int]
    wanted_cm: float | None = None


def _seen(
    stations: Sequence[tuple[str, ProfileHours, list[Wetting]]], span: tuple[int, int], until: int | None
) -> list[SeenAt]:
    return [s for name, hours, found in stations if (s := seen_of(name, hours, found, span, until)) is not None]


def _rain_mm(field: FieldSeries, span: tuple[int, int]) -> float:
    start, end = span
    rain = [w for w in waters(field) if w.kind == "rain" and w.start_at < end + DAY_S and w.end_at > start - DAY_S // 2]
    return math.fsum(w.depth_mm for w in rain)


def _planned_h(planned: Sequence[PlannedSet], start_at: int) -> float | None:
    for one in planned:
        logged = one.part.logged
        if logged is not None and abs(times.epoch(logged, one.zone) - start_at) < SAME_S:
            return (one.end_at - one.start_at) / HOUR_S
    return None


def _failed(one: PlannedSet, now: int) -> bool:
    return one.state == "failed" and one.end_at <= now


def _did_not_run(one: PlannedSet, area_ha: float, kept: float, zone: str) -> SetAuditOut:
    gross = one.volume_m3 / (10 * area_ha)
    facts = SetFacts((one.end_at - one.start_at) / HOUR_S, 0.0, gross * kept)
    line = _Line(facts, gross, (one.start_at, one.end_at))
    found = _out(line, audit(facts, []), 1.0, zone)
    return found.model_copy(update={"why": one.part.events[-1].note or found.why})


def _out(line: _Line, told: SetAudit, share: float, zone: str) -> SetAuditOut:
    def over(mm: float | None) -> float | None:
        return None if mm is None else mm * share

    return SetAuditOut(
        start=times.iso(line.span[0], zone) or "",
        end=times.iso(line.span[1], zone) or "",
        planned_h=line.facts.planned_h,
        ran_h=line.facts.ran_h,
        gross_mm=line.gross_mm,
        expected_mm=told.expected_mm * share,
        gained_mm=over(told.gained_mm),
        error_mm=over(told.error_mm),
        below_mm=over(told.below_mm),
        missing_mm=over(told.missing_mm),
        spread_mm=over(told.spread_mm),
        reach_cm=told.reach_cm,
        wanted_cm=line.wanted_cm,
        stations=told.stations,
        verdict=told.verdict,
        why=" ".join(say(n) for n in told.why),
    )
