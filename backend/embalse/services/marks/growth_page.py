"""Growth on a block: stems, trunk and fruit, and the depletion that goes with the growth falling off."""

import json
from typing import Any

from embalse.core.crop.growth import (
    HALF,
    USUAL_PLANTS,
    FruitState,
    GrowthCycle,
    GrowthRate,
    GrowthThreshold,
    StemDay,
    fruit_state,
    growth_rates,
    threshold_from_growth,
)
from embalse.core.crop.tree_signal import tree_days
from embalse.core.field.drain_down import joined
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field, depletion_series, field_at, waters
from embalse.services.load.schemas import Content
from embalse.services.load.trees import days_of_gauge, fruit_path, trunk_gauges
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.soil_water import FruitSamplePart, FruitTargetPart, GrowthDayPart
from embalse.store import records as record_store


class RateOut(Content):
    """Growth between two measurings, at the middle of them."""

    at: int
    rate_mm_d: float
    error_mm_d: float
    plants: int
    shrank: list[str]


class CycleOut(Content):
    """A dry-down seen by growth; ``reading_mm`` is the root zone's depletion when growth had fallen to the share."""

    wetted_at: int
    peak_at: int | None
    peak_mm_d: float | None
    half_at: int | None
    reading_mm: float | None
    error_mm: float | None
    words: Words


class TrunkOut(Content):
    """A day of a trunk gauge [mm]."""

    day: str
    shrinkage_mm: float
    growth_mm: float | None


class FruitOut(Content):
    """Fruit of a day against the path to the target [mm]."""

    day: str
    mean_mm: float
    error_mm: float
    count: int
    path_mm: float
    behind_mm: float
    words: Words


class TargetOut(Content):
    """The path fruit should follow [mm]."""

    first_day: str
    first_mm: float
    harvest: str
    target_mm: float


class SignalOut(Content):
    """Trunk shrinkage over that of full trees on the same weather [-], with its limits and the plan."""

    intensity: float
    low: float
    high: float
    trees: int
    growth_mm_d: float | None
    plan: float | None
    plan_growth_mm_d: float | None


class HarvestOut(Content):
    """Fruit at harvest against the size that was wanted [mm]."""

    day: str
    mean_mm: float
    error_mm: float
    count: int
    target_mm: float
    words: Words


class GrowthContent(Content):
    """Everything measured of a block's growth, with the water it grew on (depletion of the root zone, mm)."""

    block: str
    name: str
    as_of: str
    share: float
    plants: list[str]
    usual_plants: int
    last_lengths_mm: dict[str, float]
    last_at: str | None
    rates: list[RateOut]
    cycles: list[CycleOut]
    threshold_mm: float | None
    threshold_error_mm: float | None
    words: Words
    depletion_times: list[int]
    depletion_mm: list[float]
    trunk_sensor: str | None
    trunk: list[TrunkOut]
    fruit: list[FruitOut]
    target: TargetOut | None
    trees: int = 0
    signal: SignalOut | None = None
    signal_words: str = ""
    verdict: str = ""
    verdict_words: str = ""
    measure_again_at: str | None = None
    harvest: HarvestOut | None = None


@as_known_then
def growth_content(key: str, moment: str | None = None) -> GrowthContent:
    """A block's growth as known at a farm-local moment; raises NotFound, ValueError."""
    field = field_at(key, moment)
    stems = _stems(field)
    rates = growth_rates([stem for stem, _ in stems])
    threshold = growth_threshold(field, rates)
    axis, depletion = depletion_series(field)
    step = max(1, len(axis) // 1500)
    trunk_sensor, trunk = _trunk(field)
    target = _target(field)
    last = stems[-1][0] if stems else None
    return GrowthContent(
        block=key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        share=HALF,
        plants=sorted({plant for stem, _ in stems for plant in stem.lengths_mm}, key=_plant_order),
        usual_plants=USUAL_PLANTS,
        last_lengths_mm=dict(last.lengths_mm) if last else {},
        last_at=times.iso(last.at, field.zone) if last else None,
        rates=[_rate(r) for r in rates],
        cycles=[_cycle(c) for c in threshold.cycles],
        threshold_mm=threshold.reading,
        threshold_error_mm=threshold.error,
        words=say(threshold.words),
        depletion_times=axis[::step].tolist(),
        depletion_mm=[round(float(v), 2) for v in depletion[::step]],
        trunk_sensor=trunk_sensor,
        trunk=trunk,
        fruit=[_fruit_out(f) for f in _fruit(field, target)],
        target=_target_out(target) if target else None,
        trees=len(trunk_gauges(field.rows, key)),
        measure_again_at=_again(field, last),
        harvest=_harvest(key, target),
        **_signal(field),
    )


def _signal(field: Field) -> dict[str, Any]:
    """What the trees say, with the plan they are held against."""
    evidence, rules = field.analysis.block.trees, field.analysis.block.rules
    if evidence is None:
        return {}
    verdict = field.analysis.inputs.trees if field.analysis.inputs else None
    told: dict[str, Any] = {
        "verdict": verdict.word if verdict else "",
        "verdict_words": say(verdict.notice) if verdict else "",
    }
    signal = evidence.signal
    if isinstance(signal, Notice):
        return {**told, "signal_words": say(signal)}
    out = SignalOut(
        intensity=signal.intensity, low=signal.low, high=signal.high, trees=signal.trees,
        growth_mm_d=signal.growth_mm_d, plan=rules.shrinkage_most, plan_growth_mm_d=rules.trunk_growth_mm_d,
    )  # fmt: skip
    return {**told, "signal": out}


def _again(field: Field, last: StemDay | None) -> str | None:
    """When to measure the stems again: at the same hour as the last time, while that was not long ago."""
    if last is None or field.now - last.at > 3 * 86400:
        return None
    days = max(1, -(-int(field.now - last.at) // 86400))
    return times.iso(int(last.at) + 86400 * days, field.zone)


def _harvest(key: str, target: FruitTargetPart | None) -> HarvestOut | None:
    """The fruit measured at harvest against the target, None without either."""
    parts = [FruitSamplePart.model_validate(json.loads(r.body)) for r in record_store.records("fruit_samples", key)]
    last = max((p for p in parts if p.at_harvest and len(p.diameters_mm) >= 3), key=lambda p: p.on, default=None)
    if last is None or target is None:
        return None
    day = times.day_number(last.on)
    state = fruit_state(day, last.diameters_mm, ((day - 1, target.first_mm), (day, target.target_mm)))
    return HarvestOut(
        day=last.on.isoformat(), mean_mm=state.mean_mm, error_mm=state.error_mm, count=state.count,
        target_mm=target.target_mm, words=say(state.words),
    )  # fmt: skip


def growth_threshold(field: Field, rates: list[GrowthRate] | None = None) -> GrowthThreshold:
    """The depletion of the root zone [mm] at which growth falls to half its peak."""
    found = growth_rates([stem for stem, _ in _stems(field)]) if rates is None else rates
    wettings = [(float(start), float(end)) for start, end in joined(waters(field))]
    if not found:
        return GrowthThreshold(None, None, (), 0, 0, Notice("growth.no_stems"))
    wettings = [w for w in wettings if found[0].at - 86400 * 5 <= w[1] <= field.now]
    axis, depletion = depletion_series(field)
    return threshold_from_growth(found, wettings, (axis.astype(float), depletion))


def _plant_order(plant: str) -> tuple[int, str]:
    return (int(plant) if plant.isdigit() else 10**6, plant)


def _stems(field: Field) -> list[tuple[StemDay, GrowthDayPart]]:
    parts = [
        GrowthDayPart.model_validate(json.loads(r.body)) for r in record_store.records("growth_days", field.row.key)
    ]
    days = [(StemDay(float(times.epoch(p.at, field.zone)), p.lengths_mm), p) for p in parts]
    return sorted((d for d in days if d[0].at <= field.now), key=lambda d: d[0].at)


def _rate(rate: GrowthRate) -> RateOut:
    return RateOut(
        at=round(rate.at), rate_mm_d=rate.rate_mm_d, error_mm_d=rate.error_mm_d, plants=rate.plants,
        shrank=list(rate.shrank),
    )  # fmt: skip


def _cycle(cycle: GrowthCycle) -> CycleOut:
    return CycleOut(
        wetted_at=round(cycle.wetted_at),
        peak_at=None if cycle.peak_at is None else round(cycle.peak_at),
        peak_mm_d=cycle.peak_mm_d,
        half_at=None if cycle.half_at is None else round(cycle.half_at),
        reading_mm=cycle.reading,
        error_mm=cycle.error,
        words=say(cycle.words),
    )


def _trunk(field: Field) -> tuple[str | None, list[TrunkOut]]:
    """The block's trunk gauges together: the first there is names them, the days are their mean."""
    gauges = trunk_gauges(field.rows, field.row.key)
    if not gauges:
        return None, []
    found = tree_days([days_of_gauge(g, (field.start, field.now), field.zone) for g in gauges])
    return gauges[0].ref, [
        TrunkOut(day=times.day_of(d.day).isoformat(), shrinkage_mm=d.shrinkage_mm, growth_mm=d.growth_mm) for d in found
    ]


def _target(field: Field) -> FruitTargetPart | None:
    found = record_store.records("fruit_targets", field.row.key)
    return FruitTargetPart.model_validate(json.loads(found[0].body)) if found else None


def _target_out(target: FruitTargetPart) -> TargetOut:
    return TargetOut(
        first_day=target.first_day.isoformat(), first_mm=target.first_mm, harvest=target.harvest.isoformat(),
        target_mm=target.target_mm,
    )  # fmt: skip


def _fruit(field: Field, target: FruitTargetPart | None) -> list[FruitState]:
    if target is None:
        return []
    parts = [
        FruitSamplePart.model_validate(json.loads(r.body)) for r in record_store.records("fruit_samples", field.row.key)
    ]
    path = fruit_path(target)
    today = times.day_of(times.local_day(field.now, field.zone))
    return [
        fruit_state(times.day_number(p.on), p.diameters_mm, path)
        for p in sorted(parts, key=lambda p: p.on)
        if p.on <= today and len(p.diameters_mm) >= 3 and not p.at_harvest
    ]


def _fruit_out(state: FruitState) -> FruitOut:
    return FruitOut(
        day=times.day_of(state.day).isoformat(), mean_mm=state.mean_mm, error_mm=state.error_mm, count=state.count,
        path_mm=state.path_mm, behind_mm=state.behind_mm, words=say(state.words),
    )  # fmt: skip
