"""The simulated valve controller as a process of its own: a small HTTP interface with its own description."""

import hmac
import json
import os
import time
from pathlib import Path
from threading import Lock, Thread
from typing import Any, Literal

from flask import Flask, Response, abort, jsonify, request
from flask_openapi3 import Info, OpenAPI
from pydantic import BaseModel, ConfigDict, Field

from embalse.standins.valve_box import ValveBox


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class CommandIn(_Body):
    """Open or close a valve. The same id again does nothing more. An opening closes itself after ``longest_s``."""

    id: str = Field(min_length=1, max_length=200)
    valve: str
    action: Literal["open", "close"]
    longest_s: float = Field(0, ge=0, le=864_000)


class StopIn(_Body):
    """Close every valve."""

    id: str = Field(min_length=1, max_length=200)


class LogQuery(_Body):
    """Lines after this number."""

    after: int = Field(0, ge=0)


class ClockIn(_Body):
    """Hold the simulated clock at this instant [s, UTC]."""

    at: float = Field(gt=0)


class FaultsIn(_Body):
    """Faults to switch on or off; what is not named stays."""

    faults: dict[str, Any]


class HandIn(_Body):
    """Somebody turns a valve."""

    valve: str
    open: bool


def valves_app(path: Path, valves: dict[str, float], token: str, at: float | None = None) -> Flask:
    """The controller as a web application.

    Parameters
    ----------
    path : Path
        Where its memory lies.
    valves : dict of str to float
        Flow of each valve [m³/h].
    token : str
        What a caller must send along.
    at : float, optional
        Holds its clock at an instant [s, UTC]; its clock is the machine's if None.
    """
    box = ValveBox(path, valves, time.time() if at is None else at)
    if at is not None:
        box.held = True
    lock = Lock()
    app = OpenAPI(__name__, info=Info(title="Valve controller (simulated)", version="1"), doc_prefix="/description")

    _let_in(app, box, lock, token)

    @app.get("/v1/state")
    def state() -> Response:
        """Valves, line and clock."""
        if box.faults.nonsense:
            return Response("<html>proxy error</html>", mimetype="text/html")
        with lock:
            return jsonify(box.state())

    @app.get("/v1/log")
    def log(query: LogQuery) -> Response:
        """What happened after a line."""
        with lock:
            return jsonify({"events": [e for e in box.events if e["seq"] > query.after][:2000]})

    @app.post("/v1/commands")
    def command(body: CommandIn) -> tuple[Response, int] | Response:
        """Open or close a valve."""
        with lock:
            if body.valve not in box.valves:
                return jsonify({"reason": f"there is no valve '{body.valve}'"}), 404
            if body.action == "open" and body.longest_s <= 0:
                return jsonify({"reason": "an opening needs its longest time"}), 400
            box.command(body.id, body.valve, body.action, body.longest_s)
        return jsonify({"id": body.id, "taken": True})

    @app.post("/v1/stop-all")
    def stop_all(body: StopIn) -> Response:
        """Close every valve."""
        with lock:
            box.stop_all(body.id)
        return jsonify({"id": body.id, "taken": True})

    _stand_in_doors(app, box, lock)
    return app


def _let_in(app: OpenAPI, box: ValveBox, lock: Lock, token: str) -> None:
    """Who may ask; and time that goes on before anything is answered."""

    @app.before_request
    def let_in() -> None:
        given = request.headers.get("Authorization", "")
        if not request.path.startswith("/description") and not hmac.compare_digest(given, f"Bearer {token}"):
            abort(401)
        with lock:
            if not box.held:
                box.run_to(time.time())
        if request.path.startswith("/v1/") and box.faults.line_lost(box.at):
            abort(503)


def _stand_in_doors(app: OpenAPI, box: ValveBox, lock: Lock) -> None:
    """Doors no real controller has: its clock, what goes wrong, and somebody at the valve."""

    @app.put("/standin/clock")
    def clock(body: ClockIn) -> Response:
        """Only of the stand-in: let its time go on to an instant and hold it there."""
        with lock:
            box.hold(body.at)
        return jsonify({"at": box.at})

    @app.put("/standin/peek")
    def peek() -> Response:
        """Only of the stand-in: its whole log and state, whatever line is lost."""
        with lock:
            return jsonify({"events": box.events, **box.state()})

    @app.put("/standin/faults")
    def faults(body: FaultsIn) -> Response:
        """Only of the stand-in: what goes wrong."""
        with lock:
            box.set_faults(body.faults)
        return jsonify(json.loads(json.dumps(box.faults.__dict__)))

    @app.put("/standin/hand")
    def hand(body: HandIn) -> Response:
        """Only of the stand-in: somebody at the valve."""
        with lock:
            box.by_hand(body.valve, body.open)
        return jsonify(box.state())


def stop_with(parent: int, every_s: float = 1.0) -> None:
    """End this process when the one that began it is gone, however that ended."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(every_s)
        os._exit(0)

    Thread(target=watch, daemon=True).start()
