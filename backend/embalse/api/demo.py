"""The demonstration's clock."""

from typing import Literal

from flask import Response, request
from flask_openapi3 import APIBlueprint

from embalse.api.answers import FAULTS, answer, settings
from embalse.api.schemas import In, Out
from embalse.standins.advance import advance

demo_api = APIBlueprint("demo", __name__, url_prefix="/api")


class AdvanceIn(In):
    """How far: an hour, a day or a week."""

    hours: Literal[1, 24, 168]


class AdvanceOut(Out):
    """What the simulated loggers sent: readings new and already known, batches lost on the way and sent again."""

    new: int
    known: int
    refused: int
    dropped: int
    repeated: int


def _this_server() -> str:
    """Where this server is reached from its own machine: never what a request says it is."""
    host = settings().host
    host = "127.0.0.1" if host in ("0.0.0.0", "::", "localhost") else host
    host = f"[{host}]" if ":" in host else host
    return f"http://{host}:{request.environ['SERVER_PORT']}/"


@demo_api.post("/demo/advance", responses={"200": AdvanceOut, **FAULTS}, operation_id="advanceDemo")
def advance_demo(body: AdvanceIn) -> Response:
    """Move the demonstration forward; its simulated devices send what they saw through the public doors."""
    sent = advance(settings().data_dir / "demo", _this_server(), body.hours)
    return answer(
        AdvanceOut(new=sent.new, known=sent.known, refused=sent.refused, dropped=sent.dropped, repeated=sent.repeated)
    )
