"""The Round, and the advice for one block, at any moment."""

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.decision import binding_notice
from embalse.core.advice.narrowing import what_narrows
from embalse.core.advice.projection import storage_ticks_mm
from embalse.core.advice.ranking import day_notices, urgency
from embalse.core.advice.what_if import what_if
from embalse.core.advice.working_line import Line
from embalse.core.delivery.delivery import volume_m3
from embalse.core.delivery.moving_systems import furrow_sets
from embalse.core.root_zone.root_zone import left_amounts_mm
from embalse.core.wording.formatting import MINUTES_STEP, to_five_minutes
from embalse.services import times
from embalse.services.advice.air import air_alarms
from embalse.services.advice.analysing import analyse_blocks, with_neighbours
from embalse.services.advice.visits import visit_list
from embalse.services.advice.zone_advice import zone_advice
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.in_force import check_order
from embalse.services.load.schemas import (
    AdvisedSetOut,
    BlockAdvice,
    LineOut,
    MarksOut,
    NoticeOut,
    PulsesOut,
    RangeOut,
    RefillOut,
    RoundContent,
    SaidOut,
    SourceOut,
    WhatIfContent,
)
from embalse.services.reader import say, say_all, say_sentences
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store.rows import BlockRow, FarmRow, FarmRows, RecordRow


@as_known_then
def round_content(
    moment: str | None = None, keys: Sequence[str] | None = None, with_working: bool = True
) -> RoundContent:
    """All blocks or those named, most urgent first, as known at a farm-local moment (now if None).

    Raises
    ------
    Conflict
        If no farm is set up.
    NotFound
        If a key names no block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows(keys)
    analyses = with_neighbours(farm, analyse_blocks(farm, rows, core_blocks(rows, now), now), now)
    by_key = {row.key: row for row in rows.blocks}
    ordered = sorted(analyses, key=urgency)
    blocks = [block_advice(a, by_key[a.block.key], Basis(farm, rows, now), with_working) for a in ordered]
    cautioned = sum(bool(b.not_trusted) for b in blocks)
    air = [alarm.words for alarm in air_alarms(farm, rows, now)]
    to_see, walk_m = visit_list(analyses, rows, now)
    said = day_notices([(b.name, b.group) for b in blocks], cautioned, len({v.station for v in to_see}))
    return RoundContent(
        farm=farm.name,
        time_zone=farm.time_zone,
        as_of=times.iso(now, farm.time_zone) or "",
        sentence=say_sentences(said),
        said=[SaidOut.of(one) for one in said],
        blocks=blocks,
        to_see=to_see,
        walk_m=walk_m,
        air=say_all(air),
    )


@as_known_then
def what_if_content(key: str, changes: Mapping[str, float], moment: str | None = None) -> WhatIfContent:
    """A block's advice as it stands and with some entries changed.

    Raises
    ------
    CoreError
        If an entry cannot be changed so.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows([key])
    block = core_blocks(rows, now)[0]
    both = [block, what_if(block, changes)]
    basis = Basis(farm, rows, now)
    before, after = (block_advice(a, rows.blocks[0], basis) for a in analyse_blocks(farm, rows, both, now))
    return WhatIfContent(before=before, after=after, changes=dict(changes))


@dataclass(frozen=True)
class Picked:
    """A mark as it would be picked: from which way, its value in that way's unit, for which depths [cm] and stage."""

    mark: str
    how: str
    value: float
    top_cm: float | None = None
    bottom_cm: float | None = None
    stage: str = ""


@as_known_then
def picked_content(key: str, picks: Sequence[Picked], moment: str | None = None) -> WhatIfContent:
    """A block's advice as it stands and as it would be with marks picked from today; nothing is stored.

    Raises
    ------
    CoreError
        If a value makes no mark, or the marks would not stand in order.
    NotFound
        If there is no such block.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows([key])
    moment_now = times.iso(now, farm.time_zone) or ""
    said = {"block": key, "valid_from": moment_now[:10], "entered": moment_now, "withdrawn": None}
    said |= {"estimator": "", "note": "what if", "who": ""}
    bodies = [{**said, **asdict(pick)} for pick in picks]
    chosen = [RecordRow("mark_choices", "", key, json.dumps(body)) for body in bodies]
    then = replace(rows, chosen=[*rows.chosen, *chosen])
    check_order(rows.blocks[0], then, (now, farm.time_zone))
    both = [core_blocks(rows, now)[0], core_blocks(then, now)[0]]
    basis = Basis(farm, rows, now)
    before, after = (block_advice(a, rows.blocks[0], basis) for a in analyse_blocks(farm, rows, both, now))
    return WhatIfContent(before=before, after=after, changes={})


@dataclass(frozen=True)
class Basis:
    """What an answer is made from: the farm, its rows, and the instant it is for [s, UTC]."""

    farm: FarmRow
    rows: FarmRows
    now: int


def block_advice(analysis: BlockAnalysis, row: BlockRow, basis: Basis, with_working: bool = True) -> BlockAdvice:
    """A block's analysis as it is sent out."""
    farm, rows, now = basis.farm, basis.rows, basis.now
    state, use = analysis.state, analysis.use
    binding = binding_notice(analysis.advice)
    left = None if state is None else left_amounts_mm(state.storage_mm, state.marks)
    system = rows.systems.get(row.system_id) if row.system_id is not None else None
    return BlockAdvice.model_construct(
        key=row.key,
        name=row.name,
        crop=analysis.block.crop,
        area_ha=row.area_ha,
        system=system.kind if system else "",
        group=analysis.advice.group,
        reason=say_sentences(analysis.advice.reason),
        reasons=[SaidOut.of(one) for one in analysis.advice.reason],
        binding=say(binding),
        why=say(binding or next(iter(analysis.cautions), None)) or say_sentences(analysis.advice.reason),
        why_no_date=say(analysis.advice.why_no_date),
        narrows=say(what_narrows(analysis) or ""),
        notices=[NoticeOut.of(n) for n in analysis.advice.notices],
        not_sooner=say(analysis.advice.not_sooner),
        not_less=say(analysis.advice.not_less),
        start_by_at=_start_by(analysis, now, farm.time_zone),
        wait_until_at=_wait_until(analysis, now, farm.time_zone),
        stage=analysis.block.stage,
        by_weather=bool(analysis.water_use and analysis.water_use.course),
        trigger_mm=analysis.inputs.trigger_mm if analysis.inputs else None,
        can_finish=bool(analysis.inputs and analysis.inputs.season and analysis.inputs.season.finishes),
        ordered=analysis.advice.ordered,
        root_depth_cm=analysis.root_depth_cm,
        wetted_fraction=analysis.block.limits.wetted_fraction,
        marks=_marks(analysis),
        storage_mm=state.storage_mm if state else None,
        depletion_mm=state.depletion_mm if state else None,
        depletion_error_mm=state.error_mm if state else None,
        readily_left_mm=None if left is None else left[0],
        further_mm=None if left is None else left[1],
        use_mm_d=RangeOut(low=use.low_mm_d, mid=use.mid_mm_d, high=use.high_mm_d) if use else None,
        refill=_refill(analysis, now, farm.time_zone),
        advised=_advised(analysis),
        zones=zone_advice(analysis, row, rows, (now, farm.time_zone)),
        projected_mm=storage_ticks_mm(analysis.inputs, use) if analysis.inputs and use else [],
        stations_used=state.stations_used if state else 0,
        stations_total=len(analysis.block.stations),
        last_reading_at=times.iso(analysis.last_reading_at, farm.time_zone),
        not_trusted=say_all(analysis.cautions),
        cautions=[SaidOut.of(one) for one in analysis.cautions],
        working=[_line(line) for line in analysis.lines] if with_working else [],
    )


def _start_by(analysis: BlockAnalysis, now: int, zone: str) -> str | None:
    days = analysis.advice.start_by_days
    return None if days is None else times.iso(now + 86400 * min(days, 365.0), zone)


def _wait_until(analysis: BlockAnalysis, now: int, zone: str) -> str | None:
    """Until when water on its way is waited for, where that is what binds."""
    binding = binding_notice(analysis.advice)
    if binding is None or binding.kind != "soak" or analysis.advice.group == "act":
        return None
    step_s = 60 * MINUTES_STEP  # as the sentence beside it says the hour
    return times.iso(round((now + 3600 * float(binding["wait_h"])) / step_s) * step_s, zone)


def _marks(analysis: BlockAnalysis) -> MarksOut | None:
    if analysis.state is None:
        return None
    marks = analysis.state.marks
    return MarksOut(
        full_mm=marks.full_mm,
        refill_mm=marks.refill_mm,
        wilting_mm=marks.wilting_mm,
        saturation_mm=marks.saturation_mm,
        taw_mm=marks.taw_mm,
        allowable_mm=marks.allowable_mm,
    )


def _refill(analysis: BlockAnalysis, now: int, zone: str) -> RefillOut | None:
    days = analysis.advice.days
    if days is None:
        return None
    high = None if math.isinf(days.high) else days.high
    return RefillOut(
        days=RangeOut(low=days.low, mid=days.mid, high=high),
        low_at=times.iso(now + 86400 * days.low, zone) or "",
        mid_at=times.iso(now + 86400 * days.mid, zone) or "",
        high_at=None if high is None or high > 3650 else times.iso(now + 86400 * high, zone),
        irrigate_by_day=math.floor(days.mid),
    )


def _advised(analysis: BlockAnalysis) -> AdvisedSetOut | None:
    advised = analysis.advice.advised
    if advised is None:
        return None
    hours, pulses = advised.set_time_h, advised.pulses
    system, area_ha = analysis.block.system, analysis.block.area_ha
    count = furrow_sets(system.furrows, area_ha) if system and system.furrows and area_ha > 0 else 1
    return AdvisedSetOut.model_construct(
        start_depletion_mm=advised.start_depletion_mm,
        uncut_net_mm=advised.uncut_net_mm,
        net_mm=advised.net_mm,
        gross_mm=advised.gross_mm,
        set_time_h=hours,
        set_time_min=None if hours is None else to_five_minutes(hours),
        volume_m3=volume_m3(advised.gross_mm, analysis.block.area_ha),
        limited_by=advised.limited_by,
        timer_fraction=advised.timer_fraction,
        kept_fraction=advised.kept_fraction,
        rain_room_mm=advised.rules.rain_room_mm,
        sets=count,
        all_sets_min=None if hours is None or count == 1 else count * to_five_minutes(hours),
        pulses=None if pulses is None else PulsesOut(**asdict(pulses), on_min=to_five_minutes(pulses.on_h)),
    )


def _line(line: Line) -> LineOut:
    return LineOut(
        key=line.key,
        label=say(line.label),
        value=line.value,
        unit=line.unit,
        formula=say(line.formula),
        source=SourceOut.of(line.source),
        op=line.op,
        result=line.result,
        change=line.change,
        low=line.low,
        high=line.high,
        minutes=to_five_minutes(line.value) if line.unit == "h" and line.value is not None else None,
    )
