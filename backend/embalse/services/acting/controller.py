"""A valve controller over HTTP: what is asked of it, and answers that are looked at before they are believed."""

import http.client
import json
import urllib.error
import urllib.request
from typing import Annotated, Any, Final, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError

TIMEOUT_S: Final = 5.0
LARGEST: Final = 2_000_000
_Answer = TypeVar("_Answer", bound=BaseModel)


class ControllerAway(Exception):
    """A controller that cannot be reached, or answers what nobody understands."""


class ControllerRefuses(Exception):
    """A command that a controller takes notice of and refuses."""


class _Said(BaseModel):
    model_config = ConfigDict(extra="ignore")


class ValveState(_Said):
    """A valve: whether it is open, since when and until when at the latest [s, UTC by the controller's clock]."""

    valve: str
    open: bool
    since: float | None = None
    closes_at: float | None = None
    command: str = ""


class LineState(_Said):
    """The line: whether it has pressure, how much, its flow, and what its meter shows."""

    pressure: bool | None = None
    bar: Annotated[float, Field(ge=0, le=100)] | None = None
    flow_m3_h: Annotated[float, Field(ge=0, le=100_000)] | None = None
    meter_m3: Annotated[float, Field(ge=0)] | None = None


class ControllerState(_Said):
    """What a controller says of itself."""

    at: float = Field(gt=0, lt=2**37)
    valves: list[ValveState] = Field(max_length=1000)
    line: LineState = LineState()
    last_seq: int = Field(0, ge=0)


class LogLine(_Said):
    """A line of a controller's log."""

    seq: int = Field(gt=0)
    at: float = Field(gt=0, lt=2**37)
    valve: str = ""
    what: str = Field(max_length=60)
    command: str = ""
    value: float | None = None


class Log(_Said):
    """Lines of a controller's log."""

    events: list[LogLine] = Field(max_length=5000)


class Taken(_Said):
    """A controller's word that it has a command."""

    id: str
    taken: bool


class Controller:
    """Speaks to a controller at an address with its token."""

    def __init__(self, url: str, token: str) -> None:
        self._url, self._token = url.rstrip("/"), token
        self._opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))

    def state(self) -> ControllerState:
        """What it does now. Raises ControllerAway."""
        return self._asked("GET", "/v1/state", None, ControllerState)

    def log(self, after: int) -> list[LogLine]:
        """Lines of its log after a number, oldest first. Raises ControllerAway."""
        return sorted(self._asked("GET", f"/v1/log?after={after}", None, Log).events, key=lambda e: e.seq)

    def command(self, command_id: str, valve: str, action: Literal["open", "close"], longest_s: int) -> None:
        """Open or close a valve; the same id again does nothing more. Raises ControllerAway or ControllerRefuses."""
        body = {"id": command_id, "valve": valve, "action": action, "longest_s": longest_s}
        said = self._asked("POST", "/v1/commands", body, Taken)
        if said.id != command_id or not said.taken:
            raise ControllerAway("it answered for another command")

    def stop_all(self, command_id: str) -> None:
        """Close every valve now. Raises ControllerAway or ControllerRefuses."""
        self._asked("POST", "/v1/stop-all", {"id": command_id}, Taken)

    def _asked(self, method: str, path: str, body: dict[str, Any] | None, kind: type[_Answer]) -> _Answer:
        headers = {"Authorization": f"Bearer {self._token}", "Accept": "application/json"}
        data = None
        if body is not None:
            data, headers["Content-Type"] = json.dumps(body).encode(), "application/json"
        try:
            request = urllib.request.Request(self._url + path, data, headers, method=method)
            with self._opener.open(request, timeout=TIMEOUT_S) as answer:
                return kind.model_validate_json(answer.read(LARGEST))
        except urllib.error.HTTPError as said:
            if method == "POST" and said.code in (400, 404, 409, 422):
                raise ControllerRefuses(_reason(said)) from said
            known = "its token is not accepted" if said.code in (401, 403) else f"it answers {said.code}"
            raise ControllerAway(known) from said
        except ValidationError as nonsense:
            raise ControllerAway("it answers what is not understood") from nonsense
        except (OSError, ValueError, http.client.HTTPException) as away:
            raise ControllerAway("it is not reached") from away


def _reason(said: urllib.error.HTTPError) -> str:
    try:
        return str(json.loads(said.read(2000))["reason"])[:200]
    except (ValueError, KeyError, TypeError, OSError):
        return f"it refuses ({said.code})"
