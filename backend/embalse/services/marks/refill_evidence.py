"""The refill point of a block by every way of finding it, from what is kept of its crop, weather and water."""

import json
import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from embalse.core.advice.block_analysis import StationAnalysis
from embalse.core.crop.crop_library import library_crop
from embalse.core.crop.growth import HALF
from embalse.core.field.mark_estimates import (
    Estimate,
    adjusted_fraction,
    depletion_estimate,
    growth_estimate,
    slow_down_estimate,
    tension_estimate,
)
from embalse.core.field.uptake_slowdown import SlowDown, UptakeDays, dry_days, refill_from_slow_down
from embalse.core.soil.horizon_marks import horizon_at
from embalse.core.soil.layers import Layer
from embalse.core.sources import Source
from embalse.core.tables import CROP_TABLE, crop_defaults
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field, dawn_depletion, wet_days
from embalse.services.load.in_force import in_force
from embalse.services.marks.growth_page import growth_threshold
from embalse.store import readings as readings_store
from embalse.store import records as record_store

USE_DAYS = 14
SHARE = "share of full"


def refill_estimates(field: Field, station: StationAnalysis | None, slow: SlowDown) -> list[Estimate]:
    """What every estimator says of a block's refill point, those without an answer with their reason."""
    if station is None or station.marks is None:
        return []
    taw = station.marks.taw_mm
    found = _by_share(field, taw)
    curves = [
        (layer, horizon_at(field.block.horizons, layer.depth_cm).curve)
        for layer in station.layers
        if layer.rooted_cm > 0
    ]
    found.append(_tension(field, curves))
    found += _shares_of_full(field, taw)
    found.append(slow_down_estimate(slow))
    found.append(growth_estimate(growth_threshold(field), HALF))
    return found


def _shares_of_full(field: Field, taw_mm: float) -> list[Estimate]:
    """Targets by share of available water that people set, by stage; one line that says so where there is none."""
    rows = [json.loads(r.body) for r in record_store.records("mark_choices", field.row.key)]
    targets = [b for b in in_force(rows, (field.now, field.zone)) if b["estimator"] == SHARE and b["how"] == "fraction"]
    if not targets:
        words = "no target is set: pick one, for all stages or for each"
        none = depletion_estimate(0.5, taw_mm, Source("entry", SHARE))
        return [replace(none, estimator=SHARE, value=None, confidence="none", evidence=words)]
    return [
        replace(
            depletion_estimate(body["value"], taw_mm, Source("entry", SHARE, body["note"]), body["stage"]),
            estimator=f"{SHARE}, {body['stage'] or 'all stages'}",
        )
        for body in targets
    ]


def _by_share(field: Field, taw_mm: float) -> list[Estimate]:
    row = field.row
    defaults = crop_defaults(row.crop)
    found = []
    if row.allowable_depletion_fraction is not None:
        source = Source("entry", "block set-up", "allowable depletion, entered")
        found.append(replace(depletion_estimate(row.allowable_depletion_fraction, taw_mm, source), estimator="set-up"))
    if defaults is None:
        return found
    source = Source("table", CROP_TABLE, Notice("source.p_of", crop=defaults.crop, use_mm_d=5.0))
    found.append(depletion_estimate(defaults.depletion_fraction, taw_mm, source))
    etc = _mean_etc(field)
    if etc is not None:
        share = adjusted_fraction(defaults.depletion_fraction, etc)
        source = Source(
            "equation", f"{CROP_TABLE}, p + 0.04 (5 − ETc)", Notice("source.etc", etc_mm_d=etc, last_days=USE_DAYS)
        )
        found.append(replace(depletion_estimate(share, taw_mm, source), estimator="allowable depletion, for this use"))
    return found


def _mean_etc(field: Field) -> float | None:
    """Mean crop use by weather over the last two weeks [mm/day], None where ET or Kc is not known."""
    today = times.local_day(field.now, field.zone)
    days = [(mm, crop_coefficient(field, d)) for d, mm, _ in readings_store.eto(today - USE_DAYS, today - 1)]
    values = [mm * kc for mm, kc in days if kc is not None]
    return sum(values) / len(values) if len(values) >= USE_DAYS // 2 else None


def _tension(field: Field, curves: Sequence[tuple[Layer, Any]]) -> Estimate:
    entered = json.loads(field.row.crop_values)
    library = library_crop(field.row.crop)
    names = ("tension_low_kpa", "tension_high_kpa")
    if all(name in entered for name in names):
        source = Source("entry", "block set-up", "tension threshold, entered")
        return tension_estimate((entered[names[0]], entered[names[1]]), curves, source)
    values = [library.value(name) if library else None for name in names]
    if library is None or values[0] is None or values[1] is None:
        return tension_estimate(None, curves, Source("assumption", "none"))
    source = next(v.source for v in library.values if v.name == names[0])
    return tension_estimate((values[0], values[1]), curves, source)


def slow_down(field: Field) -> SlowDown:
    """Where the crop's uptake slows, from dawn depletion and reference ET as known at the field's moment."""
    depletion = dawn_depletion(field)
    wet = wet_days(field)
    if not depletion:
        return refill_from_slow_down(UptakeDays(np.empty(0), np.empty(0), np.empty(0)))
    eto = {d: mm for d, mm, _ in readings_store.eto(min(depletion), max(depletion))}
    nothing = UptakeDays(np.empty(0), np.empty(0), np.empty(0))
    if crop_coefficient(field, max(depletion)) is None:
        return replace(refill_from_slow_down(nothing), words=Notice("slow_down.no_calendar"))
    if not eto:
        return replace(refill_from_slow_down(nothing), words=Notice("slow_down.no_eto"))
    rows = []
    for day in dry_days(depletion, wet):
        kc, value = crop_coefficient(field, day), depletion[day]
        if day + 1 not in depletion or value < 0 or day not in eto or kc is None:
            continue
        used = (depletion[day + 1] - value) * field.block.limits.wetted_fraction  # the probe stands in the wetted soil
        rows.append((value, used, kc * eto[day], day))
    table = np.array(rows, dtype=float).reshape(-1, 4)
    return refill_from_slow_down(UptakeDays(*table.T))


def crop_coefficient(field: Field, day: int) -> float | None:
    """Kc of the block's crop on a day number [-], None where its calendar is not known."""
    if field.block.calendar is None:
        return None
    kc = float(field.block.calendar.kc_on(np.array([day]))[0])
    return None if math.isnan(kc) else kc
