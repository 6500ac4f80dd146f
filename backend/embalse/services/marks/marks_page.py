"""The marks of a block: what every estimator says of each, with its evidence, and what is in force."""

import json
from collections.abc import Sequence
from datetime import UTC, date, datetime
from typing import Any

from embalse.core.advice.block_analysis import StationAnalysis
from embalse.core.crop.stages import stage_spans
from embalse.core.field.drain_down import FieldFullPoint, full_point_from_drain_down, pooled
from embalse.core.field.mark_estimates import (
    Estimate,
    curve_estimates,
    drain_down_estimate,
    entered_estimates,
    full_point_offer,
    lowest_seen,
    texture_estimates,
)
from embalse.core.field.uptake_slowdown import SlowDown
from embalse.core.soil.horizon_marks import Horizon, horizon_at, horizon_marks, same_soil_cm
from embalse.core.soil.layers import Layer
from embalse.core.soil.mark_choices import Mark
from embalse.core.sources import Source
from embalse.services import times
from embalse.services.advice.field_series import Field, dawn_thetas, field_at, profile
from embalse.services.load.in_force import in_force, soil_horizons, stage_days
from embalse.services.load.schemas import Content, SourceOut
from embalse.services.marks.refill_evidence import refill_estimates, slow_down
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.store import faults as fault_store
from embalse.store import records as record_store

LABORATORY = "laboratory"


class EstimateOut(Content):
    """One estimator's answer, or why it has none. ``how`` says what the value is: theta m³/m³, tension kPa,
    fraction of available water, depletion mm."""

    mark: str
    estimator: str
    how: str
    value: float | None
    low: float | None
    high: float | None
    confidence: str
    evidence: str
    source: SourceOut
    meaning: Words
    stage: str


class NightOut(Content):
    """A night of a drain-down."""

    hours: float
    theta: float
    drained_share_d: float
    error_share_d: float


class DrainDownOut(Content):
    """One drain-down, accepted with its full point or rejected with the reason."""

    station: str
    ended: str
    theta: float | None
    why_not: Words
    nights: list[NightOut]


class LayerMarksOut(Content):
    """A layer with its marks in force [m³/m³], where they come from, and what else could be picked."""

    top_cm: float
    bottom_cm: float
    depth_cm: float
    in_roots: bool
    theta_full: float
    theta_refill: float
    theta_wilting: float
    full_source: SourceOut
    wilting_source: SourceOut
    full: list[EstimateOut]
    wilting: list[EstimateOut]
    drain_downs: list[DrainDownOut]


class StageOut(Content):
    """A stage of the crop with its first day and the day after its last."""

    stage: str
    first_day: str
    after: str


class PickedOut(Content):
    """Something picked, as it was entered, and whether it holds."""

    key: str
    body: dict[str, Any]
    state: str


class SlowDownOut(Content):
    """Use over demand against depletion, and the line fitted through it."""

    points: list[list[float]]
    line: list[list[float]]
    depletion_mm: float | None
    interval_mm: list[float] | None
    words: Words


class OfferOut(Content):
    """What the field suggests; nothing is changed until a person picks it."""

    words: Words
    picks: list[dict[str, Any]]


class MarksContent(Content):
    """Everything on the Marks page of a block."""

    block: str
    name: str
    crop: str
    as_of: str
    stage: str | None
    stages: list[StageOut]
    root_depth_cm: float | None
    full_mm: float | None
    refill_mm: float | None
    wilting_mm: float | None
    layers: list[LayerMarksOut]
    refill: list[EstimateOut]
    slow_down: SlowDownOut
    chosen: list[PickedOut]
    offers: list[OfferOut]
    why_not: Words


@as_known_then
def marks_content(key: str, moment: str | None = None) -> MarksContent:
    """Every estimator's answer for a block's marks, as known at a farm-local moment.

    Raises as :func:`field_at` does.
    """
    field = field_at(key, moment)
    analysis = field.analysis
    station = next((s for s in analysis.stations if s.layers), None)
    layers, drained = _layers(field, station) if station else ([], [])
    slow = slow_down(field)
    state = analysis.state
    marks = state.marks if state else station.marks if station else None
    days, _ = stage_days(field.row)
    return MarksContent(
        block=key,
        name=field.row.name,
        crop=field.row.crop,
        as_of=times.iso(field.now, field.zone) or "",
        stage=field.block.stage,
        stages=_stages(field, days),
        root_depth_cm=analysis.root_depth_cm,
        full_mm=marks.full_mm if marks else None,
        refill_mm=marks.refill_mm if marks else None,
        wilting_mm=marks.wilting_mm if marks else None,
        layers=layers,
        refill=[estimate_out(e) for e in refill_estimates(field, station, slow)],
        slow_down=_slow_out(slow),
        chosen=_chosen(field),
        offers=_offers(station.layers if station else (), drained, field.block.horizons),
        why_not="" if station else say(analysis.advice.why_no_date or analysis.advice.reason),
    )


def estimate_out(one: Estimate) -> EstimateOut:
    """An estimate as it is sent out."""
    return EstimateOut(
        mark=one.mark, estimator=one.estimator, how=one.how, value=one.value, low=one.low, high=one.high,
        confidence=one.confidence, evidence=say(one.evidence), source=source_out(one.source), meaning=say(one.meaning),
        stage=one.stage,
    )  # fmt: skip


def source_out(source: Source) -> SourceOut:
    """A source as it is sent out."""
    return SourceOut.of(source)


def _stages(field: Field, days: dict[str, float | None]) -> list[StageOut]:
    planted = field.row.planting_date
    if planted is None:
        return []
    spans = stage_spans(times.day_number(date.fromisoformat(planted)), days)
    return [
        StageOut(stage=s, first_day=times.day_of(a).isoformat(), after=times.day_of(b).isoformat()) for s, a, b in spans
    ]


def _layers(field: Field, station: StationAnalysis) -> tuple[list[LayerMarksOut], list[FieldFullPoint]]:
    """The layers of a station, and what the drain-downs of all stations like it say of each."""
    same = [s for s in field.analysis.stations if [x.top_cm for x in s.layers] == [x.top_cm for x in station.layers]]
    profiles = [(s.station.name, p) for s in same if (p := profile(field, s)) is not None]
    dawns = [dawn_thetas(field, s) for s in same]
    crossed = _crossed(field)
    plain = soil_horizons(field.row.soil_id, field.rows, (field.now, field.zone))
    found, together = [], []
    for index, layer in enumerate(station.layers):
        there = horizon_at(plain, layer.depth_cm)
        in_force = horizon_at(field.block.horizons, layer.depth_cm)
        drained = [(name, full_point_from_drain_down(p, index)) for name, p in profiles]
        trusted = [one for name, one in drained if name not in crossed]
        estimates = texture_estimates(there) + entered_estimates(there, _laboratory(field, layer))
        if there.retention is not None:
            estimates += curve_estimates(there.retention, "curve picked")
        together.append(pooled(trusted))
        estimates.append(drain_down_estimate(together[-1]))
        estimates.append(lowest_seen([columns[index] for columns in dawns]))
        found.append(_layer_out(field, layer, (estimates, drained), in_force))
    return found, together


def _crossed(field: Field) -> set[str]:
    """Names of the stations whose wires look crossed: their depths are not what is written."""
    rows = field.rows.stations.get(field.row.id, [])
    return {row.name for row in rows if any(s.verdict != "overruled" for s in fault_store.suspicions(row.id))}


def _laboratory(field: Field, layer: Layer) -> dict[Mark, tuple[float, str]]:
    """Laboratory values entered for a layer's depth, the latest, whether they are in force or not."""
    found: dict[Mark, tuple[float, str]] = {}
    for row in record_store.records("mark_choices", field.row.key):
        body = json.loads(row.body)
        inside = body["top_cm"] is None or body["top_cm"] <= layer.depth_cm <= body["bottom_cm"]
        if body["estimator"] == LABORATORY and body["how"] == "theta" and inside:
            found[body["mark"]] = (body["value"], f"{body['note']}, {body['valid_from']}")
    return found


def _layer_out(
    field: Field,
    layer: Layer,
    said: tuple[list[Estimate], list[tuple[str, FieldFullPoint]]],
    in_force: Horizon,
) -> LayerMarksOut:
    estimates, drained = said
    marks = horizon_marks(in_force)
    return LayerMarksOut(
        top_cm=layer.top_cm,
        bottom_cm=layer.bottom_cm,
        depth_cm=layer.depth_cm,
        in_roots=layer.rooted_cm > 0,
        theta_full=layer.theta_full,
        theta_refill=layer.theta_refill,
        theta_wilting=layer.theta_wilting,
        full_source=source_out(marks.full_source),
        wilting_source=source_out(marks.wilting_source),
        full=[estimate_out(e) for e in estimates if e.mark == "full"],
        wilting=[estimate_out(e) for e in estimates if e.mark == "wilting"],
        drain_downs=[
            DrainDownOut(
                station=name,
                ended=_local_iso(event.ended_at),
                theta=event.theta,
                why_not=say(event.why_not),
                nights=[NightOut(**vars(n)) for n in event.nights],
            )
            for name, found in drained
            for event in found.events
        ],
    )


def _local_iso(local_s: int) -> str:
    """Text of farm-local seconds."""
    return datetime.fromtimestamp(local_s, UTC).replace(tzinfo=None).isoformat(timespec="minutes")


def _slow_out(found: SlowDown) -> SlowDownOut:
    return SlowDownOut(
        points=[list(p) for p in found.points], line=[list(p) for p in found.line], depletion_mm=found.depletion_mm,
        interval_mm=None if found.interval_mm is None else list(found.interval_mm), words=say(found.words),
    )  # fmt: skip


def _chosen(field: Field) -> list[PickedOut]:
    found = []
    for row in record_store.records("mark_choices", field.row.key):
        body = json.loads(row.body)
        found.append(PickedOut(key=row.key, body=body, state=_state(body, field)))
    return found


def _state(body: dict[str, Any], field: Field) -> str:
    if in_force([body], (field.now, field.zone)):
        return "in force"
    withdrawn = body["withdrawn"] is not None
    return "withdrawn" if withdrawn else "to come"


def _offers(layers: Sequence[Layer], drained: Sequence[FieldFullPoint], horizons: Sequence[Horizon]) -> list[OfferOut]:
    """What the field's drain-downs would move, when they are many and agree, and nobody has picked them yet.

    A layer that lies across a change of texture is offered for the sensor's own soil alone.
    """
    found = full_point_offer(layers, drained, any(h.refill for h in horizons))
    if found is None:
        return []
    picks = []
    for place, theta in found.thetas.items():
        top, bottom = same_soil_cm(horizons, layers[place].depth_cm)
        picks.append(
            {
                "mark": "full",
                "how": "theta",
                "value": round(theta, 4),
                "top_cm": max(top, layers[place].top_cm),
                "bottom_cm": min(bottom, layers[place].bottom_cm),
                "estimator": "drain-down",
            }
        )
    return [OfferOut(words=say(found.words), picks=picks)]
