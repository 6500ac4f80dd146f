"""Trunk gauges and fruit of a block as evidence for its advice."""

import json

import numpy as np

from embalse.core.crop.dry_down import DawnStorage
from embalse.core.crop.growth import FruitState, TrunkDay, fruit_state, trunk_days
from embalse.core.crop.tree_signal import TreeDay, TreeEvidence, tree_days, tree_signal
from embalse.core.practice import practice
from embalse.core.root_zone.block import Moment
from embalse.services import times
from embalse.services.schema.soil_water import FruitSamplePart, FruitTargetPart
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRows, SensorRow

TRUNK_DAYS = 60
"""How far back trunks are read: two months hold the days with the root zone full that make a reference."""


def trunk_gauges(rows: FarmRows, block_key: str) -> list[SensorRow]:
    """Trunk gauges of a block, one a tree."""
    found = [c for group in rows.companions.values() for c in group if c.quantity == "trunk"]
    return [c for c in found if c.ref.split("/")[0] == block_key]


def days_of_gauge(gauge: SensorRow, span: tuple[int, int], zone: str) -> list[TrunkDay]:
    """Days of a trunk gauge over a span [s, UTC]."""
    ts, values = readings_store.between(gauge.id, *span)
    if not len(ts):
        return []
    mm = values / 1000 if gauge.raw_unit == "um" else values
    return trunk_days(times.local_seconds(ts, zone), np.asarray(mm))


def tree_evidence(
    rows: FarmRows, block_key: str, at: tuple[Moment, str], water: tuple[DawnStorage, float] | None
) -> TreeEvidence | None:
    """What a block's trees and fruit say at a moment; None where it has neither gauge nor fruit path.

    ``water`` is its storage at dawn and the depletion that calls for water [mm]: dawns near full are the reference.
    """
    moment, zone = at
    gauges, fruit = trunk_gauges(rows, block_key), latest_fruit(block_key, moment.day)
    if not gauges and fruit is None:
        return None
    trees = group_days(gauges, (round(moment.now), zone))
    eto = {} if moment.outlook is None else {day: past.eto_mm for day, past in moment.outlook.past.items()}
    return TreeEvidence(tree_signal(trees, eto, _full_days(water), moment.day), fruit)


def group_days(gauges: list[SensorRow], at: tuple[int, str]) -> list[TreeDay]:
    """Days of a block's trees together, of the last two months up to an instant [s, UTC]."""
    now, zone = at
    return tree_days([days_of_gauge(g, (now - 86400 * TRUNK_DAYS, now), zone) for g in gauges])


def _full_days(water: tuple[DawnStorage, float] | None) -> frozenset[int]:
    if water is None:
        return frozenset()
    dawns, trigger_mm = water
    least = dawns.full_mm - practice("trees_full_share") * trigger_mm
    return frozenset(d for d, mm in zip(dawns.days, dawns.storage_mm, strict=True) if mm >= least)


def fruit_path(target: FruitTargetPart) -> tuple[tuple[int, float], tuple[int, float]]:
    """First day number with its size and harvest with the target [mm]."""
    first, harvest = times.day_number(target.first_day), times.day_number(target.harvest)
    return (first, target.first_mm), (harvest, target.target_mm)


def latest_fruit(block_key: str, today: int) -> FruitState | None:
    """The last fruit sample of a block against its path by a day number, None without a path or a sample."""
    targets = record_store.records("fruit_targets", block_key)
    if not targets:
        return None
    target = FruitTargetPart.model_validate(json.loads(targets[0].body))
    samples = [
        FruitSamplePart.model_validate(json.loads(r.body)) for r in record_store.records("fruit_samples", block_key)
    ]
    seen = [s for s in samples if times.day_number(s.on) <= today and len(s.diameters_mm) >= 3 and not s.at_harvest]
    if not seen:
        return None
    last = max(seen, key=lambda s: s.on)
    return fruit_state(times.day_number(last.on), last.diameters_mm, fruit_path(target))
