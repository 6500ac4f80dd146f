"""Small pieces every resource uses."""

from typing import Any

from flask import Response, current_app, make_response
from pydantic import BaseModel

from embalse.api.schemas import ErrorOut
from embalse.config import Settings
from embalse.services.load import clock
from embalse.services.schema.refused import DocumentErrors, PathError

FAULTS: dict[str | int, Any] = {name: ErrorOut for name in ("400", "401", "403", "404", "409", "413", "415", "422")}


def answer(content: BaseModel, status: int = 200) -> Response:
    """A model as JSON."""
    return as_json(content.model_dump_json(), status)


def as_json(text: str, status: int = 200) -> Response:
    """JSON text that is made already."""
    response = make_response(text, status)
    response.mimetype = "application/json"
    return response


def as_table(text: str, name: str) -> Response:
    """CSV text as a file to keep."""
    response = make_response(text)
    response.mimetype = "text/csv"
    response.headers["Content-Disposition"] = f"attachment; filename={name}"
    return response


def settings() -> Settings:
    """The running application's settings."""
    found: Settings = current_app.config["EMBALSE"]
    return found


def checked_moment(text: str | None) -> str | None:
    """The moment as sent, refused under ``as_of`` when it cannot be read."""
    if text:
        try:
            clock.as_of(clock.the_farm(), text)
        except (ValueError, OverflowError) as wrong:
            raise DocumentErrors([PathError(path="as_of", reason=str(wrong))]) from wrong
    return text
