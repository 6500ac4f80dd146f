"""A valve controller through a broker: the same questions as over HTTP, asked on one topic and answered on another."""

import json
import secrets
import threading
from typing import Any, Final, Literal, TypeVar
from urllib.parse import urlsplit

import paho.mqtt.client as mqtt
from paho.mqtt.enums import CallbackAPIVersion
from pydantic import BaseModel, ValidationError

from embalse.services.acting.controller import (
    TIMEOUT_S,
    ControllerAway,
    ControllerRefuses,
    ControllerState,
    Log,
    LogLine,
    Taken,
)

SCHEME: Final = "mqtt"
_Answer = TypeVar("_Answer", bound=BaseModel)


class BrokerController:
    """Speaks to a controller at ``mqtt://HOST:PORT/TOPIC``: asks on TOPIC/ask, hears on TOPIC/answer.

    A question is ``{"ask": "state" | "log" | "command" | "stop-all", "question": ID, "token": TOKEN, …}``, an answer
    ``{"question": ID, "status": 200, "body": …}`` with the bodies and statuses of the HTTP interface.
    """

    def __init__(self, url: str, token: str) -> None:
        parts = urlsplit(url)
        self._host, self._port = parts.hostname or "127.0.0.1", parts.port or 1883
        self._user, self._password = parts.username, parts.password
        self._topic, self._token = parts.path.strip("/"), token

    def state(self) -> ControllerState:
        """What it does now. Raises ControllerAway."""
        return self._asked("state", {}, ControllerState)

    def log(self, after: int) -> list[LogLine]:
        """Lines of its log after a number, oldest first. Raises ControllerAway."""
        return sorted(self._asked("log", {"after": after}, Log).events, key=lambda e: e.seq)

    def command(self, command_id: str, valve: str, action: Literal["open", "close"], longest_s: int) -> None:
        """Open or close a valve; the same id again does nothing more. Raises ControllerAway or ControllerRefuses."""
        body = {"id": command_id, "valve": valve, "action": action, "longest_s": longest_s}
        said = self._asked("command", {"body": body}, Taken)
        if said.id != command_id or not said.taken:
            raise ControllerAway("it answered for another command")

    def stop_all(self, command_id: str) -> None:
        """Close every valve now. Raises ControllerAway or ControllerRefuses."""
        self._asked("stop-all", {"body": {"id": command_id}}, Taken)

    def _asked(self, what: str, more: dict[str, Any], kind: type[_Answer]) -> _Answer:
        question = secrets.token_hex(8)
        told: dict[str, Any] = {}
        done, ready = threading.Event(), threading.Event()

        def heard(_client: mqtt.Client, _data: Any, message: mqtt.MQTTMessage) -> None:
            try:
                found = json.loads(message.payload)
            except ValueError:
                return
            if isinstance(found, dict) and found.get("question") == question:
                told.update(found)
                done.set()

        client = mqtt.Client(CallbackAPIVersion.VERSION2, client_id=f"embalse-{question}", protocol=mqtt.MQTTv311)
        if self._user:
            client.username_pw_set(self._user, self._password)
        client.on_message = heard
        client.on_connect = lambda c, *_: c.subscribe(f"{self._topic}/answer", 1)
        client.on_subscribe = lambda *_: ready.set()
        try:
            client.connect(self._host, self._port, keepalive=30)
            client.loop_start()
            if not ready.wait(TIMEOUT_S):
                raise ControllerAway("the broker does not let us hear its answers")
            body = {"ask": what, "question": question, "token": self._token, **more}
            client.publish(f"{self._topic}/ask", json.dumps(body), qos=1)
            if not done.wait(TIMEOUT_S):
                raise ControllerAway("it does not answer")
        except (OSError, ValueError) as away:
            raise ControllerAway("the broker is not reached") from away
        finally:
            client.disconnect()
            client.loop_stop()
        return _read(what, told, kind)


def _read(what: str, told: dict[str, Any], kind: type[_Answer]) -> _Answer:
    status, body = told.get("status"), told.get("body")
    if what in ("command", "stop-all") and status in (400, 404, 409, 422):
        reason = body.get("reason") if isinstance(body, dict) else None
        raise ControllerRefuses(str(reason or f"it refuses ({status})")[:200])
    if status in (401, 403):
        raise ControllerAway("its token is not accepted")
    if status not in (200, 202):
        raise ControllerAway(f"it answers {status}")
    try:
        return kind.model_validate(body)
    except ValidationError as nonsense:
        raise ControllerAway("it answers what is not understood") from nonsense
