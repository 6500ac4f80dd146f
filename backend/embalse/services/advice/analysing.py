"""Blocks worked out at an instant from what is stored, and held against their neighbours of the same crop."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.neighbours import SeenUse, apart_from, neighbours_of, seen_use
from embalse.core.advice.soaking import GivenSet, GivenWater
from embalse.core.crop.crop_use_factor import FACTOR_DAYS
from embalse.core.crop.dry_down import DawnStorage
from embalse.core.delivery.infiltration import WAIT_H
from embalse.core.root_zone.block import Block, SensorReadings
from embalse.core.soil.horizon_marks import horizon_marks
from embalse.core.weather.rain_by_hand import block_rain
from embalse.core.weather.wetting_rain import mornings_touched, wets_the_soil
from embalse.services import times
from embalse.services.block_model.ahead import paths_of_blocks
from embalse.services.load.blocks import core_blocks
from embalse.services.load.in_force import rain_notes
from embalse.services.load.trees import tree_evidence
from embalse.services.load.zones import with_stand_ins
from embalse.services.readings.observations import last_dawn, moment_of, sensor_readings, wet_days
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRow, FarmRows, SetRow


def analyse_blocks(
    farm: FarmRow, rows: FarmRows, blocks: Sequence[Block], now: int, by_model: bool = True
) -> list[BlockAnalysis]:
    """Analyses of blocks at an instant [s, UTC], reading only the last weeks of dawn values.

    ``by_model`` says whether the days ahead go by the blocks' own fitted models where there are any.
    """
    zone = farm.time_zone
    blocks, homes = with_stand_ins(rows, blocks, (now, zone))
    last = last_dawn(now, zone)
    span = (last - FACTOR_DAYS, last)
    by_sensor = sensor_readings(rows, blocks, span, (now, zone))
    only = rows.blocks[0].key if len({b.key for b in blocks}) == 1 else None
    sets = readings_store.sets(only, times.instant_of(span[0] - 1, 0, zone), now)
    wet = wet_days(rows, sets, (span[0] - 1, last), zone, dry_spells=True)
    given, rain = _sets_of_blocks(sets), dict(readings_store.rain(span[0] - 1, times.local_day(now, zone)))
    by_sensor = _with_rises(rows, by_sensor, given, now)
    moment = moment_of(farm, now)
    rains = {b.key: rain_of_block(b, rows, rain, (now, zone)) for b in blocks}
    wet = {key: _wet_with_own_rain(days, (rain, rains[key])) for key, days in wet.items()}
    for key, stand_in in homes.items():
        by_sensor |= sensor_readings(stand_in.rows, [stand_in.home], span, (now, zone))
        home_sets = readings_store.sets(stand_in.home.key, times.instant_of(span[0] - 1, 0, zone), now)
        home_wet = wet_days(stand_in.rows, home_sets, (span[0] - 1, last), zone, dry_spells=True)
        wet[key] = _wet_with_own_rain(home_wet[stand_in.home.key], (rain, rains[key]))
        given[key] = _sets_of_blocks(home_sets).get(stand_in.home.key, ())
    ahead = paths_of_blocks(farm, rows, blocks, now, moment) if by_model else [None] * len(blocks)
    found = []
    for block, paths_of in zip(blocks, ahead, strict=True):
        water = GivenWater(wet.get(block.key, frozenset()), given.get(block.key, ()), rains[block.key])
        seen = analyse(block, by_sensor, water, moment, paths_of)
        trees = tree_evidence(rows, block.key, (moment, zone), _water_of(seen))
        found.append(
            seen if trees is None else analyse(replace(block, trees=trees), by_sensor, water, moment, paths_of)
        )
    return found


def _water_of(seen: BlockAnalysis) -> tuple[DawnStorage, float] | None:
    """A block's storage at dawn and the depletion that calls for water [mm], where both are known."""
    return None if seen.dawns is None or seen.inputs is None else (seen.dawns, seen.inputs.trigger_mm)


def rain_of_block(
    block: Block, rows: FarmRows, farm_mm: Mapping[int, float], at: tuple[int, str]
) -> Mapping[int, float]:
    """Rain by day number [mm] as a block had it: the farm's, with its own gauge and what was dug for in its place."""
    notes = rain_notes(block.key, rows, at)
    if not notes:
        return farm_mm
    marks = [(h, horizon_marks(h)) for h in block.horizons]
    layers = [(h.top_cm, h.bottom_cm, m.theta_full, m.theta_wilting) for h, m in marks]
    return block_rain(farm_mm, notes, layers)


def _wet_with_own_rain(days: frozenset[int], rains: tuple[Mapping[int, float], Mapping[int, float]]) -> frozenset[int]:
    """Wet days with a block's own rain in the place of the farm's."""
    farm_mm, own_mm = rains
    if own_mm is farm_mm:
        return days
    changed = {d for d in own_mm if wets_the_soil(own_mm[d]) != wets_the_soil(farm_mm.get(d, 0.0))}
    more = mornings_touched([d for d in changed if wets_the_soil(own_mm[d])])
    less = mornings_touched([d for d in changed if not wets_the_soil(own_mm[d])])
    still = mornings_touched([d for d in own_mm if wets_the_soil(own_mm[d])])
    return (days - (less - still)) | more


def _with_rises(
    rows: FarmRows, by_sensor: dict[str, SensorReadings], given: Mapping[str, tuple[GivenSet, ...]], now: int
) -> dict[str, SensorReadings]:
    """Readings with what stood there some hours before, for blocks whose last set may still be soaking in."""
    refs = {s.id: s.ref for group in rows.sensors.values() for s in group}
    found = dict(by_sensor)
    for block in rows.blocks:
        sets = given.get(block.key, ())
        if sets and max(s.end_at for s in sets) > now - 3600 * max(WAIT_H.values()):
            for sensor_id, raw in readings_store.before_latest(block.id, now).items():
                ref = refs.get(sensor_id, "")
                if ref in found:
                    found[ref] = replace(found[ref], earlier_raw=raw)
    return found


def _sets_of_blocks(sets: Sequence[SetRow]) -> dict[str, tuple[GivenSet, ...]]:
    """Each block's sets, each with the time since the one before it ended."""
    found: dict[str, tuple[GivenSet, ...]] = {}
    for row in sets:
        before = found.get(row.block_key, ())
        apart = max(0.0, (row.start_at - before[-1].end_at) / 3600) if before else math.inf
        found[row.block_key] = (*before, GivenSet(row.start_at, row.end_at, row.gross_mm, apart))
    return found


def with_neighbours(farm: FarmRow, analyses: Sequence[BlockAnalysis], now: int) -> list[BlockAnalysis]:
    """Analyses with a caution first where a block's use lies apart from its neighbours' of the same crop."""
    crops = farm_store.block_crops()
    nearest = {a.block.key: neighbours_of(a.block.key, crops) for a in analyses}
    there = {a.block.key for a in analyses}
    wanted = sorted({key for keys in nearest.values() for key in keys} - there)
    others: list[BlockAnalysis] = []
    if wanted:
        rows = farm_store.farm_rows(wanted)
        others = analyse_blocks(farm, rows, core_blocks(rows, now), now, by_model=False)
    seen = {a.block.key: seen_use(a) for a in (*analyses, *others)}
    return [_held_against(a, seen[a.block.key], [seen[key] for key in nearest[a.block.key]]) for a in analyses]


def _held_against(analysis: BlockAnalysis, mine: SeenUse | None, others: Sequence[SeenUse | None]) -> BlockAnalysis:
    found = apart_from(mine, [o for o in others if o is not None])
    return analysis if found is None else replace(analysis, cautions=(found, *analysis.cautions))
