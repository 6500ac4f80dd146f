"""A block's set-up: its parts of the farm document, what they amount to, the instrument plan and the siting sheet."""

import json
from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel

from embalse.core.errors import CoreError
from embalse.core.install.boundary import checked_ring, edge_distance_m
from embalse.core.install.instruments import (
    InstrumentChoice,
    InstrumentCost,
    PlanBasis,
    boundary_notices,
    instrument_choices,
    instrument_costs,
    reading_ways,
)
from embalse.core.install.siting import (
    Replicate,
    limit_text,
    replicate_cautions,
    rules_for,
    spot_verdict,
    zone_cautions,
)
from embalse.core.root_zone.block import Block
from embalse.core.soil.horizon_marks import root_limit_cm
from embalse.core.soil.roots import root_depth_cm
from embalse.services import times
from embalse.services.document.export import land_parts
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.zones import zones_of
from embalse.services.reader import Words, say, say_all
from embalse.services.schema.records import SpotPart, UniformityTestPart
from embalse.services.setup.previews import CropOutFull, OutlineFacts, crop_out, outline_facts, uniformity_facts
from embalse.store import farm as store
from embalse.store import records as record_store
from embalse.store.rows import BlockRow


class PastUniformity(BaseModel):
    """A stored uniformity test of the block's system."""

    key: str
    on: str
    kind: str
    who: str
    count: int
    du_low_quarter: float
    christiansen_cu: float
    efficiency_fraction: float


class BlockSetup(BaseModel):
    """A block's parts of the farm document, its crop, its outline's area."""

    document: dict[str, Any]
    crop: CropOutFull
    outline: OutlineFacts | None
    supplies: list[str]
    uniformity: list[PastUniformity]


def block_setup(key: str) -> BlockSetup:
    """What the set-up page of a block starts from; raises NotFound."""
    farm = clock.the_farm()
    rows = store.farm_rows([key])
    row = rows.blocks[0]
    document = land_parts(rows, [key])
    part = document["blocks"][0]
    own = dict(part["crop_values"])
    for name in ("root_depth_cm", "allowable_depletion_fraction"):
        if getattr(row, name) is not None:
            own[name] = getattr(row, name)
    today = times.local(clock.farm_now(farm), farm.time_zone).date()
    planted = None if row.planting_date is None else today.fromisoformat(row.planting_date)
    return BlockSetup(
        document=document,
        crop=crop_out(row.crop, own, planted, today),
        outline=None if part["outline"] is None else outline_facts(part["outline"], row.area_ha),
        supplies=[s.key for s in rows.supplies.values()],
        uniformity=_past_uniformity(part["system"]),
    )


def _past_uniformity(system: str | None) -> list[PastUniformity]:
    found = []
    for row in record_store.records("uniformity_tests", system) if system else []:
        part = UniformityTestPart.model_validate(json.loads(row.body))
        facts = uniformity_facts(part.values, part.kept_fraction)
        found.append(
            PastUniformity(
                key=part.key,
                on=part.on.isoformat(),
                kind=part.kind,
                who=part.who,
                count=facts.count,
                du_low_quarter=facts.du_low_quarter,
                christiansen_cu=facts.christiansen_cu,
                efficiency_fraction=facts.efficiency_fraction,
            )
        )
    return sorted(found, key=lambda u: u.on, reverse=True)


class CostOut(BaseModel):
    """What a kind of instrument costs."""

    kind: str
    per: str
    buy: float
    install: float
    yearly_fee: float
    install_min: float
    visit_min: float
    source: Words


class ChoiceOut(BaseModel):
    """A way to instrument the block."""

    choice: str
    title: Words
    instrument: str
    stations: int
    depths_cm: list[float]
    watch_cm: float | None
    sensors: int
    first_year: float
    later_years: float
    total: float
    tells: list[Words]
    cannot_tell: list[Words]


class WayOut(BaseModel):
    """A way to read the choice: what it costs and asks for."""

    reading: str
    by: str
    title: Words
    convenience: Words
    duties: list[Words]
    first_year: float
    later_years: float
    total: float


class ZoneOut(BaseModel):
    """Another block, and whether a station here could stand for it."""

    key: str
    name: str
    fits: bool
    why: Words


class InstrumentContent(BaseModel):
    """The instrument plan of a block."""

    block: str
    root_depth_cm: float
    soil_depth_cm: float
    seasons: float
    labour_per_h: float
    visits: float
    chosen: str
    choices: list[ChoiceOut]
    costs: list[CostOut]
    notes: list[str]
    ways: list[WayOut]
    zones: list[ZoneOut]


def instrument_content(key: str) -> InstrumentContent:
    """Choices for a block with what its plan says of seasons, labour and costs; raises NotFound or CoreError."""
    block, _ = _core_block(key)
    plan = _plan(key)
    roots = _root_depth(block)
    basis = PlanBasis(
        root_depth_cm=roots,
        soil_depth_cm=max(h.bottom_cm for h in block.horizons),
        seasons=plan.get("seasons", 3.0),
        labour_per_h=plan.get("labour_per_h", 20.0),
        visits=plan.get("visits", 20.0),
    )
    own = plan.get("costs", {})
    choices = instrument_choices(basis, own)
    return InstrumentContent(
        block=block.name,
        root_depth_cm=basis.root_depth_cm,
        soil_depth_cm=basis.soil_depth_cm,
        seasons=basis.seasons,
        labour_per_h=basis.labour_per_h,
        visits=basis.visits,
        chosen=plan.get("choice", ""),
        choices=[_choice_out(c) for c in choices],
        costs=[_cost(c, own) for c in instrument_costs().values()],
        notes=say_all(boundary_notices([h.bottom_cm for h in block.horizons[:-1]], choices)),
        ways=_ways(choices, plan.get("choice", ""), basis, own),
        zones=_zones(key),
    )


def _ways(
    choices: Sequence[InstrumentChoice], chosen: str, basis: PlanBasis, own: Mapping[str, Mapping[str, float]]
) -> list[WayOut]:
    """Ways to read the choice that was made, else the cheapest."""
    choice = next((c for c in choices if c.choice == chosen), choices[0])
    return [WayOut(**{**vars(w), "duties": list(w.duties)}) for w in reading_ways(choice, basis, own)]


def _zones(key: str) -> list[ZoneOut]:
    """Every other block: whether one sensor here could stand for it, as a controller of several zones asks."""
    farm = clock.the_farm()
    rows = store.farm_rows()
    zones = zones_of(rows, core_blocks(rows, clock.farm_now(farm)))
    home = zones[key]
    found = []
    for other, zone in zones.items():
        if other != key:
            differs = zone_cautions(home, [zone])
            found.append(ZoneOut(key=other, name=zone.name, fits=not differs, why=say(differs[0]) if differs else ""))
    return found


def _core_block(key: str) -> tuple[Block, BlockRow]:
    farm = clock.the_farm()
    rows = store.farm_rows([key])
    return core_blocks(rows, clock.farm_now(farm))[0], rows.blocks[0]


def _root_depth(block: Block) -> float:
    if block.roots is None:
        raise CoreError("root_depth_cm", "no root depth is given and the crop is not in the crop table")
    farm = clock.the_farm()
    depth = root_depth_cm(block.roots, times.local_day(clock.farm_now(farm), farm.time_zone))
    limit = root_limit_cm(block.horizons)
    return depth if limit is None else min(depth, limit)


def _plan(key: str) -> dict[str, Any]:
    found = record_store.records("instrument_plans", key)
    plan: dict[str, Any] = json.loads(found[0].body) if found else {}
    return plan


def _choice_out(choice: InstrumentChoice) -> ChoiceOut:
    said = {"title": say(choice.title), "tells": say_all(choice.tells), "cannot_tell": say_all(choice.cannot_tell)}
    return ChoiceOut(**{**vars(choice), **said, "depths_cm": list(choice.depths_cm)})


def _cost(cost: InstrumentCost, own: Mapping[str, Mapping[str, float]]) -> CostOut:
    values = {**{n: v for n, v in vars(cost).items() if n != "signal"}, **own.get(cost.kind, {})}
    if cost.kind in own:
        values["source"] = "entered"
    return CostOut(**values)


class RuleOut(BaseModel):
    """A rule of siting with its limits, reason and source."""

    rule: str
    fact: str
    kind: str
    low: float | None
    high: float | None
    unit: str
    must: bool
    question: Words
    wanted: str
    reason: Words
    source: Words


class JudgedOut(BaseModel):
    """What a rule says of a spot."""

    rule: str
    outcome: str
    words: Words


class SpotOut(BaseModel):
    """A candidate spot with its verdict."""

    key: str
    name: str
    longitude: float | None
    latitude: float | None
    facts: dict[str, bool | float]
    row: str
    inlet_m: float | None
    chosen: bool
    station: str
    note: str
    edge_from_outline_m: float | None
    word: str
    share: float | None
    judged: list[JudgedOut]


class SitingContent(BaseModel):
    """The siting sheet of a block."""

    block: str
    system: str
    outline: list[list[float]] | None
    rules: list[RuleOut]
    spots: list[SpotOut]
    cautions: list[Words]


def siting_content(key: str) -> SitingContent:
    """Candidate spots of a block held against the rules of its system, best first; raises NotFound."""
    block, _ = _core_block(key)
    kind = block.system.kind if block.system else ""
    limits = {
        row.key: (body["low"], body["high"])
        for row in record_store.records("siting_limits")
        for body in [json.loads(row.body)]
    }
    rules = rules_for(kind, limits)
    outline = json.loads(store.land(key)[key].outline)
    ring = checked_ring(outline) if outline else None
    parts = [SpotPart.model_validate(json.loads(r.body)) for r in record_store.records("spots", key)]
    spots = []
    for part in parts:
        edge = None
        if ring and part.longitude is not None and part.latitude is not None:
            edge = round(edge_distance_m(ring, (part.longitude, part.latitude)), 1)
        facts = {**({} if edge is None else {"edge_m": edge}), **part.facts}
        verdict = spot_verdict(rules, facts)
        spots.append(
            SpotOut(
                **part.model_dump(exclude={"block", "facts"}),
                facts=facts,
                edge_from_outline_m=edge,
                word=verdict.word,
                share=verdict.share,
                judged=[JudgedOut(rule=v.rule.rule, outcome=v.outcome, words=say(v.words)) for v in verdict.rules],
            )
        )
    order = ("good", "usable", "not looked at", "not here")
    chosen = [s for s in spots if s.chosen]
    replicates = [Replicate(s.name, _number(s.facts.get("emitter_cm")), s.row, s.inlet_m) for s in chosen]
    return SitingContent(
        block=block.name,
        system=kind,
        outline=outline or None,
        rules=[
            RuleOut(
                **{n: getattr(r, n) for n in ("rule", "fact", "kind", "low", "high", "unit", "must", "question")},
                wanted=say(limit_text(r)),
                reason=r.reason,
                source=r.source,
            )
            for r in rules
        ],
        spots=sorted(spots, key=lambda s: (order.index(s.word), -(s.share or 0))),
        cautions=say_all(replicate_cautions(replicates)),
    )


def _number(value: bool | float | None) -> float | None:
    return float(value) if value is not None and not isinstance(value, bool) else None
