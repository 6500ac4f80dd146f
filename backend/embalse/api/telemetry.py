"""Devices that send readings: their tokens, and the door they send through."""

import json
from typing import Annotated

from flask import Response, request
from flask_openapi3 import APIBlueprint
from pydantic import Field, StrictInt, StringConstraints, ValidationError

from embalse.api.answers import FAULTS, answer
from embalse.api.limits import limiter
from embalse.api.schemas import ErrorOut, In, KeyPath, Out
from embalse.api.signing import device_token
from embalse.services.acting.lines import LineIn, accept_lines
from embalse.services.intake import telemetry
from embalse.services.schema.base import Key, Number
from embalse.services.schema.refused import DocumentErrors, PathError

telemetry_api = APIBlueprint("telemetry", __name__, url_prefix="/api")
BATCHES_A_MINUTE = "120 per minute"


def _sender() -> str:
    return telemetry.token_hash(device_token())[:16] if device_token() else (request.remote_addr or "")


INGEST_FAULTS = {**FAULTS, "429": ErrorOut}


class GatewayIn(In):
    """A new gateway; without stations it may send for all."""

    key: Key
    name: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""
    stations: list[Annotated[str, StringConstraints(max_length=90)]] = Field([], max_length=200)


class TokenOut(Out):
    """The token of a new gateway; it is shown this once."""

    key: str
    token: str


class GatewaysOut(Out):
    """All gateways."""

    gateways: list[telemetry.GatewayOut]


class ReadingIn(In):
    """One reading: the sensor's channel (or block/station/sensor), when, and the raw value."""

    channel: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    at: StrictInt | Annotated[str, StringConstraints(max_length=40)] = Field(
        description="ISO text with an offset, or whole epoch seconds"
    )
    value: Number


class IngestIn(In):
    """A batch of readings, and what the device says of itself."""

    readings: list[ReadingIn] = Field(max_length=telemetry.LARGEST_BATCH)
    lines: list[LineIn] = Field([], max_length=telemetry.LARGEST_BATCH, description="pressure switches and meters")
    battery_v: Annotated[Number, Field(ge=0, le=100)] | None = None
    signal_dbm: Annotated[Number, Field(ge=-200, le=50)] | None = None


class IngestOut(Out):
    """What became of a batch's readings, and of what lines said."""

    report: telemetry.IngestReport
    lines: telemetry.IngestReport | None = None


@telemetry_api.get("/gateways", responses={"200": GatewaysOut, **FAULTS}, operation_id="gateways")
def gateways() -> Response:
    """Devices that send readings, with what they last said of themselves."""
    return answer(GatewaysOut(gateways=telemetry.gateways()))


@telemetry_api.post("/gateways", responses={"200": TokenOut, **FAULTS}, operation_id="makeGateway")
def make_gateway(body: GatewayIn) -> Response:
    """A new gateway and its token, shown this once."""
    return answer(TokenOut(key=body.key, token=telemetry.register(body.key, body.name, body.stations)))


@telemetry_api.delete("/gateways/<key>", responses={"200": GatewaysOut, **FAULTS}, operation_id="revokeGateway")
def revoke_gateway(path: KeyPath) -> Response:
    """Revoke a gateway's token; what it sent stays."""
    telemetry.revoke(path.key)
    return answer(GatewaysOut(gateways=telemetry.gateways()))


@telemetry_api.post("/ingest", responses={"200": IngestOut, **INGEST_FAULTS}, operation_id="ingest")
@limiter.limit(BATCHES_A_MINUTE, key_func=_sender)
def ingest(body: IngestIn) -> Response:
    """Take a batch of readings from a device; sending it again changes nothing."""
    gateway = telemetry.gateway_of(device_token())
    report = telemetry.accept(gateway, body.readings, body.battery_v, body.signal_dbm)
    lines = accept_lines(body.lines, telemetry.stations_of(gateway)) if body.lines else None
    return answer(IngestOut(report=report, lines=lines))


@telemetry_api.post("/ingest/lines", responses={"200": IngestOut, **INGEST_FAULTS}, operation_id="ingestLines")
@limiter.limit(BATCHES_A_MINUTE, key_func=_sender)
def ingest_lines() -> Response:
    """The same, one JSON reading a line (``application/x-ndjson``)."""
    gateway = telemetry.gateway_of(device_token())
    lines = [line for line in request.get_data(as_text=True).splitlines() if line.strip()]
    if len(lines) > telemetry.LARGEST_BATCH:
        reason = f"{len(lines)} lines; at most {telemetry.LARGEST_BATCH} are taken at once"
        raise DocumentErrors([PathError(path="lines", reason=reason)])
    return answer(IngestOut(report=telemetry.accept(gateway, [_line(n, text) for n, text in enumerate(lines, 1)])))


def _line(number: int, text: str) -> ReadingIn:
    try:
        return ReadingIn.model_validate(json.loads(text))
    except (ValidationError, ValueError, RecursionError) as wrong:
        detail = wrong.errors()[0]["msg"] if isinstance(wrong, ValidationError) else "not JSON"
        raise DocumentErrors([PathError(path=f"lines[{number}]", reason=detail)]) from wrong
