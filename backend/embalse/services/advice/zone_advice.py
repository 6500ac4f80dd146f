"""What each zone of a block is short of, and when it is due: the block's advice, zone by zone."""

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.root_zone.root_zone import BlockState
from embalse.core.spatial.kept_zones import BlockNow, ZoneWater, holds_back, zone_waters
from embalse.core.wording import Notice
from embalse.core.wording.formatting import to_five_minutes
from embalse.services import times
from embalse.services.load.in_force import Moment
from embalse.services.load.kept_zones import kept_zones
from embalse.services.load.schemas import ZoneAdvice
from embalse.services.reader import say
from embalse.store.rows import BlockRow, FarmRows


def zone_advice(analysis: BlockAnalysis, row: BlockRow, rows: FarmRows, at: Moment) -> list[ZoneAdvice]:
    """Zones of a block as they hold at an instant [s, UTC], each with its advice; empty where it has none."""
    zones = kept_zones(row, rows, at)
    if not zones:
        return []
    state = analysis.state
    told = {
        one.station.key: (one.marks.full_mm - one.state.storage_mm, one.state.error_mm)
        for one in analysis.stations
        if one.state is not None and one.marks is not None
    }
    if state is None:
        unknown = [ZoneWater(z, why_not=Notice("kept_zones.unread")) for z in zones]
        return [_out(one, analysis, row.area_ha, at) for one in unknown]
    return [_out(one, analysis, row.area_ha, at) for one in zone_waters(zones, told, _now(analysis, state))]


def _now(analysis: BlockAnalysis, state: BlockState) -> BlockNow:
    advised, use = analysis.advice.advised, analysis.use
    return BlockNow(
        depletion_mm=state.depletion_mm,
        trigger_mm=analysis.inputs.trigger_mm if analysis.inputs else None,
        uncut_net_mm=advised.uncut_net_mm if advised else None,
        net_mm=advised.net_mm if advised else None,
        days=analysis.advice.days,
        use_mm_d=use.mid_mm_d if use else 0.0,
        wetted_fraction=analysis.block.limits.wetted_fraction,
        kept_fraction=advised.kept_fraction if advised else 1.0,
        held=holds_back(
            analysis.advice.group,
            analysis.advice.ordered,
            [n.code for n in analysis.advice.notices],
            bool(analysis.inputs and analysis.inputs.season and analysis.inputs.season.finishes),
        ),
    )


def _out(told: ZoneWater, analysis: BlockAnalysis, area_ha: float, at: Moment) -> ZoneAdvice:
    zone, advised, days = told.zone, analysis.advice.advised, told.days
    minutes = None
    if told.gross_mm is not None and advised is not None and advised.set_time_h is not None and advised.gross_mm > 0:
        minutes = to_five_minutes(advised.set_time_h * told.gross_mm / advised.gross_mm)
    by = Notice("kept_zones.borrowed", station=zone.borrowed, note=zone.accepted) if zone.borrowed else None
    return ZoneAdvice(
        name=zone.name,
        area_ha=zone.share * area_ha,
        depletion_mm=told.depletion_mm,
        error_mm=told.error_mm,
        stations=told.stations,
        net_mm=told.net_mm,
        gross_mm=told.gross_mm,
        set_time_min=minutes,
        due_at=None if days is None else times.iso(at[0] + 86400 * min(max(days.mid, 0.0), 365.0), at[1]),
        past=days is not None and days.mid <= 0,
        shift=zone.shift,
        by=say(by),
        why_not=say(told.why_not),
    )
