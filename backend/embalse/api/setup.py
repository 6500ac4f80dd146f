"""Set-up: what the pages show while a person types, a block's parts, its instrument plan and siting sheet."""

from typing import Any

from flask import Response, jsonify
from flask_openapi3 import APIBlueprint
from pydantic import RootModel

from embalse.api.answers import FAULTS, answer
from embalse.api.schemas import (
    BlockPath,
    CurveIn,
    DocumentQuery,
    OutlineIn,
    SystemFactsIn,
    TubeOut,
    TubesIn,
    TubesOut,
    UniformityIn,
    WettedIn,
)
from embalse.api.signing import check_kinds
from embalse.core.delivery.wetted_fraction import WettedPattern
from embalse.core.install.access_tubes import tube_cuts
from embalse.services.document import export
from embalse.services.intake.ground_tables import GroundTableIn, GroundTableOut, ground_table
from embalse.services.setup import bench_practice, block_setup, previews

setup_api = APIBlueprint("setup", __name__, url_prefix="/api")


class DocumentOut(RootModel[dict[str, Any]]):
    """A farm document; its schema is docs/farm.schema.json."""


@setup_api.get("/farm/document", responses={"200": DocumentOut, **FAULTS}, operation_id="farmDocument")
def farm_document(query: DocumentQuery) -> Response:
    """The whole farm but its readings, as a farm document."""
    return jsonify(export.farm_document(query.photos))


@setup_api.get("/library", responses={"200": previews.LibraryContent, **FAULTS}, operation_id="library")
def library() -> Response:
    """Crop library, texture by feel, numbers of practice."""
    return answer(previews.library_content())


@setup_api.post("/soil-curves", responses={"200": previews.SoilCurves, **FAULTS}, operation_id="soilCurves")
def soil_curves(body: CurveIn) -> Response:
    """Curves and marks of horizons; nothing is stored."""
    return answer(previews.soil_curves(body.horizons))


@setup_api.post("/system-facts", responses={"200": previews.SystemFacts, **FAULTS}, operation_id="systemFacts")
def system_facts(body: SystemFactsIn) -> Response:
    """Rate and flow of a system; nothing is stored."""
    return answer(previews.system_facts(body.system, body.block_area_ha, body.wetted_width_m))


@setup_api.post("/outline-facts", responses={"200": previews.OutlineFacts, **FAULTS}, operation_id="outlineFacts")
def outline_facts(body: OutlineIn) -> Response:
    """Area of an outline on the ellipsoid; nothing is stored."""
    return answer(previews.outline_facts(body.outline, body.entered_ha))


@setup_api.post("/uniformity", responses={"200": previews.UniformityFacts, **FAULTS}, operation_id="uniformity")
def uniformity(body: UniformityIn) -> Response:
    """Evenness from catches or flows; nothing is stored."""
    return answer(previews.uniformity_facts(body.values, body.kept_fraction))


@setup_api.post("/wetted-share", responses={"200": previews.WettedFacts, **FAULTS}, operation_id="wettedShare")
def wetted_share(body: WettedIn) -> Response:
    """Wetted share of the ground from the wet bulb; nothing is stored."""
    pattern = None
    if body.bulb_m is not None:
        pattern = WettedPattern(body.bulb_m, body.emitter_spacing_m, body.lines_per_row, body.row_spacing_m)
    return answer(previews.wetted_facts(body.horizon, pattern))


@setup_api.post("/tube-cuts", responses={"200": TubesOut, **FAULTS}, operation_id="tubeCuts")
def tubes(body: TubesIn) -> Response:
    """Cut-and-mark list for a set of depths."""
    cuts = tube_cuts(body.depths_cm, body.stick_out_cm, body.overhang_cm)
    parts = bench_practice.parts_of(cuts, body.prices)
    tubes = [TubeOut(**vars(cut)) for cut in cuts]
    cost = sum(p.cost for p in parts)
    return answer(TubesOut(tubes=tubes, parts=parts, cost=cost, sets=bench_practice.depth_sets()))


@setup_api.get("/blocks/<key>/setup", responses={"200": block_setup.BlockSetup, **FAULTS}, operation_id="blockSetup")
def block_setup_(path: BlockPath) -> Response:
    """A block's parts of the farm document, its crop and its outline."""
    return answer(block_setup.block_setup(path.key))


@setup_api.get(
    "/blocks/<key>/instruments",
    responses={"200": block_setup.InstrumentContent, **FAULTS},
    operation_id="instruments",
)
def instruments(path: BlockPath) -> Response:
    """Ways to instrument a block, what each costs and tells."""
    return answer(block_setup.instrument_content(path.key))


@setup_api.get("/blocks/<key>/siting", responses={"200": block_setup.SitingContent, **FAULTS}, operation_id="siting")
def siting(path: BlockPath) -> Response:
    """Candidate spots of a block held against the rules."""
    return answer(block_setup.siting_content(path.key))


@setup_api.post("/ground", responses={"200": GroundTableOut, **FAULTS}, operation_id="groundTable")
def ground(body: GroundTableIn) -> Response:
    """Look at soil analyses of a table or blocks of GeoJSON, or store them: all of it or nothing."""
    if body.store:
        check_kinds([body.kind])
    return answer(ground_table(body))
