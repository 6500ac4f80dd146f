"""Blocks worked out at an instant from what is stored, and held against their neighbours of the same crop."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from embalse.core.advice.block_analysis import BlockAnalysis, analyse
from embalse.core.advice.neighbours import SeenUse, apart_from, neighbours_of, seen_use
from embalse.core.advice.soaking import GivenSet, GivenWater
from embalse.core.crop.crop_use_factor import FACTOR_DAYS
from embalse.core.delivery.infiltration import WAIT_H
from embalse.core.root_zone.block import Block, SensorReadings
from embalse.services import times
from embalse.services.block_model.ahead import paths_of_blocks
from embalse.services.load.blocks import core_blocks
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
    last = last_dawn(now, zone)
    span = (last - FACTOR_DAYS, last)
    by_sensor = sensor_readings(rows, blocks, span, (now, zone))
    only = rows.blocks[0].key if len({b.key for b in blocks}) == 1 else None
    sets = readings_store.sets(only, times.instant_of(span[0] - 1, 0, zone), now)
    wet = wet_days(rows, sets, (span[0] - 1, last), zone, dry_spells=True)
    given, rain = _sets_of_blocks(sets), dict(readings_store.rain(span[0] - 1, times.local_day(now, zone)))
    by_sensor = _with_rises(rows, by_sensor, given, now)
    moment = moment_of(farm, now)
    ahead = paths_of_blocks(farm, rows, blocks, now, moment) if by_model else [None] * len(blocks)
    return [
        analyse(b, by_sensor, GivenWater(wet.get(b.key, frozenset()), given.get(b.key, ()), rain), moment, paths_of)
        for b, paths_of in zip(blocks, ahead, strict=True)
    ]


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
