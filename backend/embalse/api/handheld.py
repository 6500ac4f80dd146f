"""Rounds by hand."""

from flask import Response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer
from embalse.services.intake import manual

handheld_api = APIBlueprint("handheld", __name__, url_prefix="/api")


@handheld_api.get("/handheld", responses={"200": manual.HandRoute, **FAULTS}, operation_id="handRoute")
def route() -> Response:
    """Stations to read by hand in walking order, with last values and plausible limits."""
    return answer(manual.route())


@handheld_api.post("/handheld", responses={"200": manual.HandReport, **FAULTS}, operation_id="readByHand")
def read_by_hand(body: manual.HandEntry) -> Response:
    """Store what was read at a station; sending it again changes nothing."""
    return answer(manual.accept(body))
