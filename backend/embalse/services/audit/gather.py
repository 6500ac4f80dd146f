"""A block's sets with what is held against them: what they were to bring, what probes saw, what was in force."""

import json
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final

import numpy as np

from embalse.core.advice.block_analysis import StationAnalysis
from embalse.core.advice.decision_inputs import soil_intake_mm_h
from embalse.core.audit.lower_sensor import (
    RAW,
    Advice,
    LowerAnswer,
    Pair,
    lower_advice,
    lower_answer,
    lower_delay_h,
    pair_of,
)
from embalse.core.audit.next_dose import NOTHING_USED, DoseEvidence, Used, set_evidence
from embalse.core.audit.seen import Watch, held_mm, seen_of, watch
from embalse.core.audit.set_audit import SeenAt, SetAudit, SetFacts, alone, audit, with_model
from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.root_zone.block import Station
from embalse.core.root_zone.root_zone import RootZoneMarks
from embalse.core.sensors.calibration import TENSION_UNITS
from embalse.core.sensors.useful_range import beyond_ends
from embalse.core.wording import Notice, Text
from embalse.services import times
from embalse.services.advice.field_series import Field
from embalse.services.advice.profile_page import read_by_stations, waters
from embalse.services.load.in_force import audit_rules, set_choices
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.readings.observations import hourly_water
from embalse.services.schema.auditing import AuditRulesPart
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import SetRow

DAY_S, HOUR_S = 86400, 3600
SAME_S: Final = 1800  # seconds within which a set on record and a planned one are the same (ours: half a step)
CARRIED_S: Final = 2 * DAY_S  # seconds past the last known weather over which use is carried on (ours)


NOT_TOLD: Final = LowerAnswer("not told")


@dataclass(frozen=True)
class AuditedSet:
    """A set of a block held against the probes, with what the roots lacked before it [mm in the wetted soil].

    ``planned`` is None where nobody planned it. ``lower`` is what the lower sensors said, ``school`` what they ask for;
    ``evidence`` what both kinds say of the dose, ``correction`` the multiple of the advice in force when it ran [-].
    ``metered`` says whether its water was measured; ``short_h`` is how long the crop was short of water before it [h].
    """

    start_at: int
    end_at: int
    gross_mm: float
    facts: SetFacts
    told: SetAudit
    planned: PlannedSet | None = None
    wanted_cm: float | None = None
    lacked_mm: float | None = None
    lower: LowerAnswer = NOT_TOLD
    school: Advice = "cannot tell"
    evidence: DoseEvidence | None = None
    correction: float = 1.0
    metered: bool = False
    short_h: float | None = None


@dataclass(frozen=True)
class BlockSets:
    """The audited sets of a block, oldest first, and how they were looked at."""

    field: Field
    sets: tuple[AuditedSet, ...]
    rules: AuditRulesPart | None
    delay_h: float

    @property
    def ran(self) -> list[AuditedSet]:
        """Sets that are on record as having run."""
        return [s for s in self.sets if s.facts.ran_h > 0]


def block_sets(field: Field, days: int) -> BlockSets:
    """Hold a block's sets of some days against its probes, those that were planned and did not run among them."""
    since = field.now - days * DAY_S
    planned = planned_sets(field.zone, since - DAY_S, field.row.key)
    looked = _looked(field)
    logged = [s for s in readings_store.sets(field.row.key, since, field.now) if s.end_at <= field.now]
    found = [_audited(looked, s, planned) for s in logged]
    found += [_did_not_run(p, field) for p in planned if p.state == "failed" and since < p.end_at <= field.now]
    ordered = sorted(found, key=lambda s: s.start_at)
    return BlockSets(field, tuple(_schooled(looked, ordered)), looked.rules, looked.delay_h)


@dataclass(frozen=True)
class _Looked:
    """All that is read once for a block: stations' hours and wettings, water that came, pairs of sensors."""

    field: Field
    stations: list[Watch]
    came: list[Water]
    pairs: list[Pair]
    marks: dict[str, RootZoneMarks]
    below_full: float
    metered: frozenset[int]
    rules: AuditRulesPart | None
    delay_h: float
    efficiency: float | None
    doubted: tuple[str, ...]
    modelled: dict[str, dict[int, float]]

    @property
    def share(self) -> float:
        return self.field.block.limits.wetted_fraction


def _looked(field: Field) -> _Looked:
    block = field.block
    rules = audit_rules(block.key, field.rows, (field.now, field.zone))
    clay = block.horizons[0].earth.clay_fraction if block.horizons else None
    delay = rules.lower_delay_h if rules is not None and rules.lower_delay_h is not None else lower_delay_h(clay)
    moving = block.system is not None and block.system.kind == "pivot"
    read = read_by_stations(field)
    stations = [_watched(field, one.name, one.hours, one.wettings, moving) for one in read]
    modelled = {one.name: one.modelled_mm for one in read}
    marks = {s.station.name: s.marks for s in field.analysis.stations if s.marks is not None}
    pairs, metered = _pairs(field, stations), _metered(field)
    kept = block.system.efficiency_fraction if block.system else None
    left = 1 - block.rules.fill_share
    return _Looked(
        field, stations, waters(field), pairs, marks, left, metered, rules, delay, kept, _doubted(field), modelled
    )


def _metered(field: Field) -> frozenset[int]:
    """Starts of sets whose water was measured [s, UTC]."""
    bodies = [json.loads(r.body) for r in record_store.records("set_evidence", field.row.key)]
    told = [b for b in bodies if b["start"] and (b["volume_m3"] is not None or b["meter_after_m3"] is not None)]
    return frozenset(times.epoch(datetime.fromisoformat(b["start"]), field.zone) for b in told)


def _watched(field: Field, name: str, hours: ProfileHours, found: Sequence[Wetting], moving: bool) -> Watch:
    """A station made ready, with the hours in which a tension sensor in its roots tells no more than its end."""
    station = next(s.station for s in field.analysis.stations if s.station.name == name)
    one = watch(name, _carried(hours), found, moving)
    roots = field.analysis.root_depth_cm
    tension = [s for s in station.sensors if s.raw_unit in TENSION_UNITS and (roots is None or s.depth_cm <= roots)]
    if not tension:
        return one
    series, _ = hourly_water(field.rows, tension, (field.start, field.now))
    at_end = np.zeros(len(hours.at), dtype=bool)
    for sensor in tension:
        when, raw = series[sensor.key]
        ends = np.asarray(when)[beyond_ends(sensor.kind, sensor.raw_unit, np.asarray(raw)) != 0]
        at_end |= np.isin(hours.at, ends)
    return replace(one, at_end=at_end)


def _doubted(field: Field) -> tuple[str, ...]:
    """Stations with something against them: depths that look crossed, or sensors that have not settled."""
    ids = {s.key: s.id for s in field.rows.stations.get(field.row.id, [])}
    found = []
    for one in field.analysis.stations:
        crossed = [s for s in fault_store.suspicions(ids.get(one.station.key, -1)) if s.verdict != "overruled"]
        unsettled = [
            reading
            for layer, reading in zip(one.layers, one.readings, strict=False)
            if layer.rooted_cm > 0
            and isinstance(reading.why_missing, Notice)
            and reading.why_missing.kind == "settling"
        ]
        if crossed or unsettled:
            found.append(one.station.name)
    return tuple(found)


def _carried(hours: ProfileHours) -> ProfileHours:
    """The crop's use of the day that is not over, whose weather is not known yet, as on the day before."""
    if hours.use_mm is None or not np.isfinite(hours.use_mm).any():
        return hours
    use = hours.use_mm.copy()
    last = int(np.flatnonzero(np.isfinite(use))[-1])
    for place in range(last + 1, len(use)):
        before = int(np.searchsorted(hours.at, hours.at[place] - DAY_S))
        if hours.at[place] - hours.at[last] <= CARRIED_S and hours.at[before] == hours.at[place] - DAY_S:
            use[place] = use[before]
    return replace(hours, use_mm=use)


def _pairs(field: Field, stations: Sequence[Watch]) -> list[Pair]:
    """The upper and the lower sensor of every station: water content where it is known, else as they read."""
    profiles = {one.station: one.profile for one in stations}
    found = []
    for analysis in field.analysis.stations:
        station = analysis.station
        ends = _ends(station, field.analysis.root_depth_cm)
        if ends is None:
            continue
        upper, lower = (station.sensors[place] for place in ends)
        hours = profiles.get(station.name)
        values = None if hours is None else (hours.theta[ends[0]], hours.theta[ends[1]])
        tension = upper.raw_unit in TENSION_UNITS or lower.raw_unit in TENSION_UNITS
        if hours is not None and values is not None and not tension and all(np.isfinite(v).any() for v in values):
            found.append(pair_of(station.name, "m3/m3", hours.at, values, lower.depth_cm))
        elif upper.raw_unit == lower.raw_unit:
            found += _raw_pair(field, analysis, ends)
    return found


def _raw_pair(field: Field, analysis: StationAnalysis, ends: tuple[int, int]) -> list[Pair]:
    sensors = [analysis.station.sensors[place] for place in ends]
    series, _ = hourly_water(field.rows, sensors, (field.start, field.now))
    at = np.intersect1d(series[sensors[0].key][0], series[sensors[1].key][0])
    if not len(at):
        return []
    read = [np.asarray(values)[np.searchsorted(when, at)] for when, values in (series[s.key] for s in sensors)]
    tension = sensors[0].raw_unit in TENSION_UNITS
    upper, lower = (-read[0], -read[1]) if tension else (read[0], read[1])
    unit = sensors[0].raw_unit if tension else f"{RAW} {sensors[0].raw_unit}"
    return [pair_of(analysis.station.name, unit, at.astype(np.int64), (upper, lower), sensors[1].depth_cm)]


def _ends(station: Station, roots_cm: float | None) -> tuple[int, int] | None:
    """Places of the topmost sensor and of the lowest within the roots; the next below where none else is in them."""
    depths = [s.depth_cm for s in station.sensors]
    if len(depths) < 2:
        return None
    inside = [n for n, d in enumerate(depths) if n > 0 and (roots_cm is None or d <= roots_cm)]
    return 0, (inside[-1] if inside else 1)


def _audited(looked: _Looked, one: SetRow, planned: Sequence[PlannedSet]) -> AuditedSet:
    field, block, span = looked.field, looked.field.block, (one.start_at, one.end_at)
    mine = next((p for p in planned if _same(p, one.start_at)), None)
    facts = SetFacts(
        planned_h=None if mine is None else (mine.end_at - mine.start_at) / HOUR_S,
        ran_h=(one.end_at - one.start_at) / HOUR_S,
        expected_mm=None if looked.efficiency is None else one.gross_mm * looked.efficiency / looked.share,
        has_probes=bool(looked.stations),
        why=_why_none(field) if not looked.stations else "",
        calibrated=not any(p.unit.startswith(RAW) for p in looked.pairs),
        part=_part(mine, field.row.area_ha),
        start_at=one.start_at,
        doubted=looked.doubted,
        rain_mm=_rain_mm(looked, span),
        takes_mm_h=block.rules.max_rate_mm_h or soil_intake_mm_h(block.horizons, block.slope_pct),
        gives_mm_h=None if block.system is None else block.system.rate_mm_h / looked.share,
    )
    until = next((w.start_at for w in looked.came if w.start_at > one.end_at), None)
    seen = [s for one in looked.stations if (s := seen_of(one, span, until)) is not None]
    told = _told(looked, facts, seen)
    return AuditedSet(
        one.start_at, one.end_at, one.gross_mm, facts, told, mine,
        block.managed_cm(times.local_day(one.start_at, field.zone)), _lacked_mm(looked, seen),
        _lower(looked, span, seen),
        metered=one.start_at in looked.metered,
        short_h=_short_h(looked, one.start_at),
    )  # fmt: skip


def _why_none(field: Field) -> Text:
    """Why no station of a block tells of its water."""
    whys = [s.why_not for s in field.analysis.stations if s.why_not]
    return whys[0] if whys else field.analysis.advice.reason if field.analysis.advice.group == "none" else ""


def _told(looked: _Looked, facts: SetFacts, seen: Sequence[SeenAt]) -> SetAudit:
    """A set held against its probes, and the block's model."""
    told = audit(facts, seen)
    if not any(looked.modelled.values()) or not seen:
        return told
    return audit(facts, with_model(told, seen, looked.modelled))


def _lower(looked: _Looked, span: tuple[int, int], seen: Sequence[SeenAt]) -> LowerAnswer:
    """What the lower sensors said; where a system moves, after it has passed the stations."""
    if any(one.moving for one in looked.stations):
        came = [h for s in seen for _, h in s.arrived_h]
        if not came:
            return NOT_TOLD
        start = span[0] + round(HOUR_S * min(came))
        span = (start, start + HOUR_S)
    waters = [(w.start_at, w.end_at) for w in looked.came]
    return lower_answer(looked.pairs, span, looked.delay_h, waters)


def _short_h(looked: _Looked, start_at: int) -> float | None:
    """Hours since the water before during which the roots were past what they may lack, the mean of the stations."""
    before = max((w.end_at for w in looked.came if w.end_at <= start_at), default=looked.field.start)
    found = []
    for hours, name in ((one.profile, one.station) for one in looked.stations):
        marks = looked.marks.get(name)
        part = hours.part(slice(*(int(np.searchsorted(hours.at, t)) for t in (before, start_at))))
        held = None if marks is None or not len(part.at) else held_mm(part)
        if held is not None and marks is not None:
            found.append(float((marks.full_mm - held > marks.allowable_mm).sum()))
    return float(np.mean(found)) if found else None


def _lacked_mm(looked: _Looked, seen: Sequence[SeenAt]) -> float | None:
    """What the roots lacked before a set, the mean of the stations that tell [mm in the wetted soil]."""
    found = []
    for one in seen:
        marks = looked.marks.get(one.station)
        if marks is not None and one.held_mm is not None:
            found.append(marks.full_mm - looked.below_full * marks.taw_mm - one.held_mm)
    return float(np.mean(found)) if found else None


def _part(planned: PlannedSet | None, area_ha: float) -> str:
    if planned is None or not alone(planned.part.area_ha, area_ha):
        return ""
    return planned.part.shift or planned.part.block


def _same(one: PlannedSet, start_at: int) -> bool:
    logged = one.part.logged
    return logged is not None and abs(times.epoch(logged, one.zone) - start_at) < SAME_S


def _rain_mm(looked: _Looked, span: tuple[int, int]) -> float:
    start, end = span
    rain = [w for w in looked.came if w.kind == "rain" and w.start_at < end + DAY_S and w.end_at > start - DAY_S // 2]
    return math.fsum(w.depth_mm for w in rain)


def _did_not_run(one: PlannedSet, field: Field) -> AuditedSet:
    system = field.block.system
    gross = one.volume_m3 / (10 * field.row.area_ha)
    expected = None if system is None else gross * system.efficiency_fraction / field.block.limits.wetted_fraction
    facts = SetFacts((one.end_at - one.start_at) / HOUR_S, 0.0, expected, start_at=one.start_at)
    return AuditedSet(one.start_at, one.end_at, gross, facts, audit(facts, []), one)


def _schooled(looked: _Looked, sets: Sequence[AuditedSet]) -> list[AuditedSet]:
    """Each with what the lower sensors ask for by then, and what it says of the dose."""
    found: list[AuditedSet] = []
    answers: list[LowerAnswer] = []
    for one in sets:
        if one.facts.ran_h <= 0:
            found.append(one)
            continue
        used = used_at(looked.field, one.start_at)
        counts = one.facts.rain_mm <= 0 and not one.facts.part
        school: Advice = "cannot tell"
        if counts:
            answers.append(one.lower)
            school = lower_advice(answers)
        evidence = set_evidence(one.told, one.lacked_mm, school, used)
        found.append(replace(one, school=school, evidence=evidence, correction=used.factor))
    return found


def used_at(field: Field, at: int) -> Used:
    """The correction that was in force for a block at an instant [s, UTC]."""
    dose = set_choices(field.row.key, field.rows, (at, field.zone)).get("dose")
    return NOTHING_USED if dose is None else Used(dose.value, dose.useful)
