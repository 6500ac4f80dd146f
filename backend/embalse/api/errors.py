"""The one error handler: every refusal becomes the same body."""

import logging
import secrets

from flask import Response, make_response
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from embalse.api.request_ids import request_id
from embalse.api.schemas import ErrorOut
from embalse.core.errors import CoreError
from embalse.ingest.layout import FileRefused
from embalse.services.document.farm_document import path_errors
from embalse.services.reader import say
from embalse.services.schema.refused import DocumentErrors, PathError
from embalse.store.errors import Conflict, NotFound, StoreError, Unauthorized

STATUS: dict[type[Exception], int] = {NotFound: 404, Conflict: 409, Unauthorized: 401}
log = logging.getLogger("embalse")


def error_response(status: int, errors: list[PathError], log_id: str | None = None) -> Response:
    """An answer with the error body, its reasons in the reader's language."""
    said = [PathError(path=e.path, reason=say(e.reason)) for e in errors]
    response = make_response(ErrorOut(errors=said, log_id=log_id).model_dump_json(), status)
    response.mimetype = "application/json"
    return response


def invalid_response(invalid: ValidationError) -> Response:
    """The answer to a body, query or path that does not fit its schema."""
    return error_response(422, path_errors(invalid))


def handle(error: Exception) -> Response:
    """Any exception as an answer; what is unknown is logged under an id and says nothing of the inside."""
    if isinstance(error, DocumentErrors):
        return error_response(422, error.errors)
    if isinstance(error, CoreError | StoreError):
        status = STATUS.get(type(error), 422)
        return error_response(status, [PathError(path=error.field, reason=say(error.reason))])
    if isinstance(error, RecursionError):
        return error_response(422, [PathError(path="request", reason="the body is nested too deeply")])
    if isinstance(error, FileRefused):
        return error_response(422, [PathError(path="file", reason=str(error))])
    if isinstance(error, HTTPException):
        return error_response(error.code or 500, [PathError(path="request", reason=error.description or error.name)])
    log_id = request_id.get() or secrets.token_hex(4)
    log.error("unexpected fault %s", log_id, exc_info=error)
    return error_response(
        500, [PathError(path="program", reason="something went wrong inside; nothing was stored")], log_id
    )
