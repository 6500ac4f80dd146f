"""Faults, what people decide of them, and a sensor's own page."""

from typing import Annotated, Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel, Field, StringConstraints

from embalse.api.answers import FAULTS, answer
from embalse.api.schemas import In, Token
from embalse.services.setup import fault_review

trust_api = APIBlueprint("trust", __name__, url_prefix="/api")


class SensorPath(BaseModel):
    """A sensor by the keys of its block, its station and its own."""

    block: Token
    station: Token
    sensor: Token


class SensorQuery(BaseModel):
    """How many days back."""

    days: Annotated[int, Field(ge=2, le=400)] = 60


class VerdictPath(BaseModel):
    """A fault or a suspicion."""

    id: Annotated[int, Field(ge=1, le=2**53)]


class VerdictIn(In):
    """Accepted: it is one; overruled: the readings are used all the same; empty: not decided."""

    verdict: Literal["", "accepted", "overruled"]
    note: Annotated[str, StringConstraints(max_length=400, strip_whitespace=True)] = ""
    who: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""


@trust_api.get("/faults", responses={"200": fault_review.FaultsContent, **FAULTS}, operation_id="faults")
def faults() -> Response:
    """Every fault of the farm, and every pair of depths suspected to be crossed."""
    return answer(fault_review.faults_content())


@trust_api.get(
    "/stations/<block>/<station>/sensors/<sensor>",
    responses={"200": fault_review.SensorPageContent, **FAULTS},
    operation_id="sensor",
)
def sensor(path: SensorPath, query: SensorQuery) -> Response:
    """A sensor's trace with its faults."""
    return answer(fault_review.sensor_page(f"{path.block}/{path.station}/{path.sensor}", query.days))


@trust_api.post(
    "/faults/<int:id>/verdict", responses={"200": fault_review.FaultsContent, **FAULTS}, operation_id="decideFault"
)
def decide_fault(path: VerdictPath, body: VerdictIn) -> Response:
    """Accept or overrule a fault."""
    fault_review.decide("fault", path.id, body.verdict, body.note, body.who)
    return answer(fault_review.faults_content())


@trust_api.post(
    "/suspicions/<int:id>/verdict",
    responses={"200": fault_review.FaultsContent, **FAULTS},
    operation_id="decideSuspicion",
)
def decide_suspicion(path: VerdictPath, body: VerdictIn) -> Response:
    """Accept or overrule a suspicion."""
    fault_review.decide("suspicion", path.id, body.verdict, body.note, body.who)
    return answer(fault_review.faults_content())
