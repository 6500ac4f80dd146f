"""How the server is: a word for whoever watches it, figures for Prometheus, and a log line a request with its id."""

import json
import logging
import re
import secrets
import time
from datetime import UTC, datetime
from typing import Any, Final, Literal

from flask import Flask, Response, g, request
from flask_openapi3 import APIBlueprint
from prometheus_client import CONTENT_TYPE_LATEST, CollectorRegistry, Counter, Gauge, Histogram, generate_latest

from embalse import __version__
from embalse.api.answers import FAULTS, answer, settings
from embalse.api.request_ids import request_id
from embalse.services import helpers, times
from embalse.services.load.schemas import Content
from embalse.store import keeping
from embalse.store.database import FILE_TROUBLE

watching_api = APIBlueprint("watching", __name__, url_prefix="/api")
log = logging.getLogger("embalse.requests")
ID: Final = re.compile(r"^[A-Za-z0-9._-]{1,64}$")
HEADER: Final = "X-Request-Id"


class Figures:
    """Figures of this process."""

    def __init__(self) -> None:
        self.registry = CollectorRegistry()
        self.requests = Counter(
            "embalse_requests", "Requests answered", ["operation", "status"], registry=self.registry
        )
        self.seconds = Histogram(
            "embalse_request_seconds", "Time to answer", ["operation"], registry=self.registry,
            buckets=(0.005, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10),
        )  # fmt: skip
        self.readings = Gauge("embalse_readings", "Readings taken in since the beginning", registry=self.registry)
        self.last = Gauge("embalse_last_reading_age_seconds", "Age of the newest reading", registry=self.registry)
        self.waiting = Gauge("embalse_sensors_waiting", "Sensors with readings not looked at", registry=self.registry)
        self.troubles = Gauge("embalse_troubles", "What does not go well by itself now", registry=self.registry)
        self.size = Gauge("embalse_database_bytes", "Size of the database", registry=self.registry)


figures = Figures()


class HealthOut(Content):
    """Whether the server can do its work; ``troubles`` are what it tries again by itself."""

    status: Literal["well", "troubled", "ill"]
    version: str
    schema_version: int
    troubles: list[str]


@watching_api.get("/health", responses={"200": HealthOut, "503": HealthOut, **FAULTS}, operation_id="health")
def health() -> Response:
    """Whether the database can be read, and what does not go well; nobody need be signed in."""
    troubles = [f"{t.what}: {t.why}" for t in helpers.troubles()]
    try:
        version = keeping.version_now()
    except FILE_TROUBLE as wrong:
        ill = HealthOut(status="ill", version=__version__, schema_version=0, troubles=[*troubles, helpers.why(wrong)])
        return answer(ill, 503)
    status: Literal["well", "troubled"] = "troubled" if troubles else "well"
    return answer(HealthOut(status=status, version=__version__, schema_version=version, troubles=troubles))


@watching_api.get("/metrics", responses={"200": None, **FAULTS}, operation_id="metrics")
def metrics() -> Response:
    """Figures in Prometheus' text format; a token that reads only opens it."""
    told = keeping.figures_now()
    figures.readings.set(told.readings)
    figures.last.set(float("nan") if told.last_reading_at is None else times.now_utc() - told.last_reading_at)
    figures.waiting.set(told.waiting)
    figures.troubles.set(len(helpers.troubles()))
    figures.size.set(settings().database.stat().st_size)
    return Response(generate_latest(figures.registry), mimetype=CONTENT_TYPE_LATEST)


def watch(app: Flask) -> None:
    """Give every request an id and a line in the log, and count it."""
    app.before_request(_begin)
    app.after_request(_end)


def _begin() -> None:
    given = request.headers.get(HEADER, "")
    request_id.set(given if ID.match(given) else secrets.token_hex(8))
    g.begun = time.perf_counter()


def _end(response: Response) -> Response:
    response.headers[HEADER] = request_id.get()
    if not request.path.startswith("/api/"):
        return response
    operation = request.endpoint or "none"
    seconds = time.perf_counter() - g.get("begun", time.perf_counter())
    figures.requests.labels(operation, str(response.status_code)).inc()
    figures.seconds.labels(operation).observe(seconds)
    told = {"method": request.method, "path": request.path, "status": response.status_code,
            "ms": round(1000 * seconds, 1)}  # fmt: skip
    log.info("%(method)s %(path)s %(status)d %(ms).1f ms", told, extra={"told": told})
    return response


class JsonLines(logging.Formatter):
    """A log line as JSON: when, how grave, who says it, the request, and the words."""

    def format(self, record: logging.LogRecord) -> str:
        """The line."""
        line: dict[str, Any] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "says": record.getMessage(),
        }
        if request_id.get():
            line["request"] = request_id.get()
        line |= getattr(record, "told", {})
        if record.exc_info:
            line["fault"] = self.formatException(record.exc_info)
        return json.dumps(line, ensure_ascii=False)


def log_as(kind: str) -> None:
    """Write the log as lines of text, or as JSON with a line a request."""
    handler = logging.StreamHandler()
    if kind == "json":
        handler.setFormatter(JsonLines())
        logging.getLogger("embalse").setLevel(logging.INFO)
    else:
        handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
        log.setLevel(logging.WARNING)
    root = logging.getLogger()
    root.handlers = [handler]
