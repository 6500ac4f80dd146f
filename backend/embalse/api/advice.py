"""The Round, a block, what-if, and logging a set."""

from flask import Response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer, as_json, checked_moment
from embalse.api.schemas import ApplyOut, BlockPath, BlockQuery, MarkPicksIn, RoundQuery, SetIn, WhatIfIn
from embalse.services.advice.advise import Picked, picked_content, what_if_content
from embalse.services.advice.block_page import block_content
from embalse.services.advice.kept_round import losses_json, round_json
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument, SetPart
from embalse.services.load.schemas import BlockContent, LossesContent, RoundContent, WhatIfContent
from embalse.store import farm as store

advice_api = APIBlueprint("advice", __name__, url_prefix="/api")


@advice_api.get("/round", responses={"200": RoundContent, **FAULTS}, operation_id="round")
def round_(query: RoundQuery) -> Response:
    """All blocks, most urgent first."""
    return as_json(round_json(checked_moment(query.as_of), query.working))


@advice_api.get("/round/losses", responses={"200": LossesContent, **FAULTS}, operation_id="losses")
def losses(query: RoundQuery) -> Response:
    """Water below the roots in the last week, of blocks with a probe below them."""
    return as_json(losses_json(checked_moment(query.as_of)))


@advice_api.get("/blocks/<key>", responses={"200": BlockContent, **FAULTS}, operation_id="block")
def block(path: BlockPath, query: BlockQuery) -> Response:
    """Everything on the Block page."""
    return answer(block_content(path.key, checked_moment(query.as_of), query.days))


@advice_api.post("/blocks/<key>/what-if", responses={"200": WhatIfContent, **FAULTS}, operation_id="whatIf")
def what_if(path: BlockPath, body: WhatIfIn) -> Response:
    """The advice as it stands and with some entries changed; nothing is stored."""
    return answer(what_if_content(path.key, body.changes, checked_moment(body.as_of)))


@advice_api.post("/blocks/<key>/marks/preview", responses={"200": WhatIfContent, **FAULTS}, operation_id="previewPicks")
def preview_picks(path: BlockPath, body: MarkPicksIn) -> Response:
    """The advice as it stands and as it would be with these marks picked from today; nothing is stored."""
    return answer(picked_content(path.key, [Picked(**pick.model_dump()) for pick in body.picks]))


@advice_api.post("/blocks/<key>/sets", responses={"200": ApplyOut, **FAULTS}, operation_id="logSet")
def log_set(path: BlockPath, body: SetIn) -> Response:
    """Log an irrigation that was applied."""
    store.farm_rows([path.key])
    part = SetPart.model_construct(
        block=path.key, start=body.start, hours=body.hours, gross_mm=body.gross_mm, note=body.note
    )
    report = apply_document(FarmDocument.model_construct(embalse=1, farm=None, sets=[part]))
    return answer(ApplyOut.of(report))
