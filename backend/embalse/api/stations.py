"""Stations, guided procedures, channel checks, the bench, photos; deleting and bringing back."""

import hashlib
from typing import Any, Final

from flask import Response, make_response
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer
from embalse.api.schemas import (
    CloseIn,
    DeletedOut,
    KeyPath,
    PhotoForm,
    PhotoOut,
    RecordPath,
    StationPath,
    SwapIn,
)
from embalse.api.signing import check_kinds
from embalse.services.document import deleting
from embalse.services.load import clock
from embalse.services.schema.records import LARGEST_PHOTO
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.services.setup import procedure_runs, register, stations
from embalse.store import records as record_store
from embalse.store.database import transaction

stations_api = APIBlueprint("stations", __name__, url_prefix="/api")
SIGNATURES = {b"\xff\xd8\xff": "image/jpeg", b"\x89PNG": "image/png", b"RIFF": "image/webp"}


@stations_api.get("/stations", responses={"200": stations.StationsContent, **FAULTS}, operation_id="stations")
def all_stations() -> Response:
    """Every station and outline."""
    return answer(stations.stations_content())


@stations_api.get(
    "/stations/<block>/<station>", responses={"200": stations.StationSheet, **FAULTS}, operation_id="station"
)
def station(path: StationPath) -> Response:
    """Everything of one station."""
    return answer(stations.station_sheet(f"{path.block}/{path.station}"))


@stations_api.get(
    "/procedures", responses={"200": procedure_runs.ProceduresContent, **FAULTS}, operation_id="procedures"
)
def procedures() -> Response:
    """Every guided procedure with its steps."""
    return answer(procedure_runs.procedures_content())


@stations_api.get("/runs/<key>", responses={"200": procedure_runs.RunContent, **FAULTS}, operation_id="run")
def run(path: KeyPath) -> Response:
    """A run: what is done, what is missing, the verdict."""
    return answer(procedure_runs.run_content(path.key))


@stations_api.post("/runs/<key>/close", responses={"200": procedure_runs.RunContent, **FAULTS}, operation_id="closeRun")
def close_run(path: KeyPath, body: CloseIn) -> Response:
    """Close a run; refused while a depth is unmeasured or two sensors share a channel."""
    return answer(procedure_runs.close_run(path.key, body.even_failed, body.at))


@stations_api.get(
    "/channel-checks/<key>",
    responses={"200": procedure_runs.ChannelCheckContent, **FAULTS},
    operation_id="channelCheck",
)
def channel_check(path: KeyPath) -> Response:
    """What a channel check found."""
    return answer(procedure_runs.channel_check_content(path.key))


@stations_api.post(
    "/channel-checks/<key>/swap",
    responses={"200": procedure_runs.ChannelCheckContent, **FAULTS},
    operation_id="swapChannels",
)
def swap(path: KeyPath, body: SwapIn) -> Response:
    """Make the swap a channel check found."""
    return answer(procedure_runs.make_swaps(path.key, body.with_readings))


@stations_api.get("/bench", responses={"200": register.BenchContent, **FAULTS}, operation_id="bench")
def the_bench() -> Response:
    """Register, batches, runs on devices, stock."""
    return answer(register.bench_content())


@stations_api.delete("/records/<kind>/<key>", responses={"200": DeletedOut, **FAULTS}, operation_id="deleteRecord")
def delete(path: RecordPath) -> Response:
    """Delete a record or a device; it can be brought back."""
    check_kinds([path.kind])
    deleting.delete(path.kind, path.key)
    return answer(DeletedOut(kind=path.kind, key=path.key, deleted=True))


@stations_api.post(
    "/records/<kind>/<key>/restore", responses={"200": DeletedOut, **FAULTS}, operation_id="restoreRecord"
)
def restore(path: RecordPath) -> Response:
    """Bring a deleted record or device back."""
    check_kinds([path.kind])
    deleting.restore(path.kind, path.key)
    return answer(DeletedOut(kind=path.kind, key=path.key, deleted=False))


@stations_api.post("/photos", responses={"200": PhotoOut, **FAULTS}, operation_id="uploadPhoto")
def upload_photo(form: PhotoForm) -> Response:
    """Keep a photo; its key goes into the record it belongs to."""
    clock.the_farm()
    data = form.photo.stream.read(LARGEST_PHOTO + 1)
    media_type = next((kind for start, kind in SIGNATURES.items() if data.startswith(start)), None)
    if media_type is None or len(data) > LARGEST_PHOTO:
        reason = "must be a JPEG, PNG or WebP picture" if media_type is None else "is larger than 2 MB"
        raise DocumentErrors([PathError(path="photo", reason=reason)])
    key = hashlib.sha256(data).hexdigest()
    with transaction():
        record_store.put_photo(key, media_type, data)
    return answer(PhotoOut(key=key))


PHOTO: Final[dict[str, Any]] = {
    "description": "The photo",
    "content": {name: {"schema": {"type": "string", "format": "binary"}} for name in SIGNATURES.values()},
}


@stations_api.get("/photos/<key>", operation_id="photo", responses={"200": PHOTO, **FAULTS})
def photo(path: KeyPath) -> Response:
    """A photo."""
    media_type, data = record_store.photo(path.key)
    response = make_response(data)
    response.mimetype = media_type
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response
