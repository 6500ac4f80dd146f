import io
import json
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from flask.testing import FlaskClient
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis_settings
from pydantic import BaseModel
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import response_schema_conformance, status_code_conformance

from embalse.api.limits import limiter
from embalse.api.signing import cookie_name
from embalse.app import create_app
from embalse.config import Settings
from embalse.services.intake import telemetry
from tests.web import client_of, pages_of, sits_here


@pytest.fixture
def client(farm: Settings) -> FlaskClient:
    return client_of(farm)


@pytest.fixture
def demo_client(demo: Settings) -> FlaskClient:
    return pages_of(create_app(demo))


def upload(client: FlaskClient, path: Path) -> dict[str, Any]:
    body = {"file": (io.BytesIO(path.read_bytes()), path.name)}
    answer = client.post("/api/files", data=body, content_type="multipart/form-data")
    assert answer.status_code == 200, answer.json
    return answer.json  # type: ignore[return-value]


def run(client: FlaskClient, token: str, body: dict[str, Any]) -> dict[str, Any]:
    started = client.post(f"/api/files/{token}/import", json=body)
    assert started.status_code == 202, started.json
    for _ in range(200):
        job = client.get(f"/api/imports/running/{started.json['token']}").json
        if job["finished"]:
            return job  # type: ignore[return-value]
        time.sleep(0.02)
    raise AssertionError("the import did not finish")


def test_a_file_from_upload_to_advice(client: FlaskClient, logger_file: Callable[..., Path]) -> None:
    seen = upload(client, logger_file())
    assert seen["suggestion"] == {f"one-{d}": f"one/a/{d}" for d in (10, 30, 50)}
    assert [c["is_time"] for c in seen["columns"]] == [True, False, False, False]
    plan = {
        "time_zone": "Europe/Madrid",
        "date_order": "ymd",
        "columns": [{"column": c, "sensor": s} for c, s in seen["suggestion"].items()],
    }
    rows = client.post(f"/api/files/{seen['token']}/preview", json={"plan": plan}).json["rows"]
    assert rows[0]["values"] == {"one-10": 0.27, "one-30": 0.27, "one-50": 0.27}
    job = run(client, seen["token"], {"plan": plan, "save_as": "probe"})
    assert job["report"]["readings_new"] == 723 and job["done_bytes"] == job["total_bytes"]
    assert client.get("/api/imports").json["imports"][0]["status"] == "done"
    block = client.get("/api/round?working=true").json["blocks"][0]
    assert block["refill"]["days"]["mid"] >= 0 and block["working"][-1]["key"] == "wait_h"
    again = upload(client, logger_file())
    assert again["matched"] == "the saved mapping 'probe'"


def test_refused_rows_come_back_with_their_lines(client: FlaskClient, logger_file: Callable[..., Path]) -> None:
    path = logger_file()
    path.write_text(path.read_text().replace("0.26", "x", 1))
    seen = upload(client, path)
    plan = {"time_zone": "UTC", "date_order": "ymd", "columns": [{"column": "one-10", "sensor": "one/a/10"}]}
    report = run(client, seen["token"], {"plan": plan})["report"]
    assert report["status"] == "refused" and report["refusals"][0]["line"] > 1
    assert run(client, seen["token"], {"plan": plan, "skip_refused": True})["report"]["status"] == "done"


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "where"),
    [
        ("get", "/api/blocks/none", None, 404, "block"),
        ("get", "/api/round?as_of=lunch", None, 422, "as_of"),
        ("get", "/api/blocks/one?days=1", None, 422, "days"),
        ("post", "/api/farm", {"embalse": 1, "blocks": [{"key": "X Y"}]}, 422, "blocks[0].key"),
        ("post", "/api/blocks/one/what-if", {"changes": {"efficiency_fraction": 2}}, 422, "efficiency_fraction"),
        ("post", "/api/blocks/one/what-if", {"changes": {}}, 422, "changes"),
        ("post", "/api/blocks/none/sets", {"start": "2026-07-01T20:00", "hours": 1, "gross_mm": 3}, 404, "block"),
        ("post", "/api/blocks/one/sets", {"start": "2026-07-01T20:00", "hours": 0, "gross_mm": 3}, 422, "hours"),
        ("get", "/api/files/nothing", None, 404, "file"),
        ("get", "/api/imports/running/nothing", None, 404, "import"),
        ("get", "/api/nothing", None, 404, "request"),
        ("delete", "/api/round", None, 405, "request"),
    ],
)
def test_refusals_have_one_shape(
    client: FlaskClient, method: str, path: str, body: Any, status: int, where: str
) -> None:
    answer = getattr(client, method)(path, json=body) if body is not None else getattr(client, method)(path)
    assert answer.status_code == status
    assert answer.json["errors"][0]["path"] == where
    assert answer.json["errors"][0]["reason"]


def test_a_set_is_logged_once(client: FlaskClient) -> None:
    body = {"start": "2026-07-13T20:00", "hours": 5.5, "gross_mm": 11, "note": "night"}
    assert client.post("/api/blocks/one/sets", json=body).json["created"] == {"sets": 1}
    assert client.post("/api/blocks/one/sets", json=body).json["unchanged"] == {"sets": 1}
    assert client.get("/api/blocks/one").json["sets"][0]["gross_mm"] == 11


def test_an_upload_that_is_no_logger_file(client: FlaskClient, tmp_path: Path) -> None:
    path = tmp_path / "letter.txt"
    path.write_text("Dear reader")
    body = {"file": (io.BytesIO(path.read_bytes()), "letter.txt")}
    answer = client.post("/api/files", data=body, content_type="multipart/form-data")
    assert answer.status_code == 422 and answer.json["errors"][0]["path"] == "file"


def test_an_unexpected_fault_says_nothing_of_the_inside(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: Any) -> None:
        raise ZeroDivisionError("secret detail")

    monkeypatch.setattr("embalse.api.advice.round_json", broken)
    answer = client.get("/api/round")
    assert answer.status_code == 500 and answer.json["log_id"]
    assert "secret" not in answer.text


def test_before_the_farm_is_set_up(empty: Settings) -> None:
    client = client_of(empty)
    assert client.get("/api/farm").json["set_up"] is False
    assert client.get("/api/round").status_code == 409


def test_other_sites_may_not_write(client: FlaskClient) -> None:
    body = {"changes": {"efficiency_fraction": 0.5}}
    answer = client.post("/api/blocks/one/what-if", json=body, headers={"Sec-Fetch-Site": "cross-site"})
    assert answer.status_code == 403


def test_command_line_and_api_say_the_same(demo: Settings, demo_client: FlaskClient) -> None:
    from embalse.services.advice.advise import round_content

    assert demo_client.get("/api/round?working=true").json == round_content().model_dump(mode="json")


OPERATIONS = [
    "seasonAccount",
    "seasonTable",
    "farmSeasons",
    "farmSeasonsTable",
    "farmClosing",
    "takeBack",
    "blockMap",
    "blockNodes",
    "addNodes",
    "farmMap",
    "groundTable",
    "health",
    "metrics",
    "tableText",
    "messages",
    "chooseMessages",
    "tryMessages",
    "farmPackage",
    "readPackage",
    "tableCsv",
    "readingsCsv",
    "layerGeojson",
    "visitsCalendar",
    "readingTokens",
    "makeReadingToken",
    "revokeReadingToken",
    "keepZones",
    "refurbish",
    "blockZones",
    "blockZonesGeojson",
    "blockZonesTable",
    "blockMapGeojson",
    "blockMapCells",
    "waterUsed",
    "waterUsedTable",
    "closing",
    "nextSeason",
    "saidThen",
    "benchPractice",
    "power",
    "landscape",
    "rainBasin",
    "stages",
    "redesign",
    "comparisons",
    "farmAudit",
    "auditTable",
    "followedUp",
    "blockAudit",
    "pickAudit",
    "auditRules",
    "farm",
    "sensors",
    "choices",
    "season",
    "losses",
    "plan",
    "round",
    "block",
    "whatIf",
    "previewPicks",
    "weatherColumns",
    "logSet",
    "applyFarm",
    "takeBackEntry",
    "runImport",
    "previewFile",
    "importProgress",
    "farmDocument",
    "library",
    "soilCurves",
    "systemFacts",
    "outlineFacts",
    "uniformity",
    "wettedShare",
    "tubeCuts",
    "blockSetup",
    "instruments",
    "siting",
    "stations",
    "station",
    "procedures",
    "run",
    "closeRun",
    "channelCheck",
    "swapChannels",
    "bench",
    "deleteRecord",
    "restoreRecord",
    "faults",
    "sensor",
    "decideFault",
    "decideSuspicion",
    "gateways",
    "makeGateway",
    "revokeGateway",
    "ingest",
    "ingestLines",
    "handRoute",
    "readByHand",
    "advanceDemo",
    "pastImports",
    "sampleFile",
    "undoImport",
    "photo",
    "uploadPhoto",
    "uploadFile",
    "file",
    "session",
    "signOut",
    "people",
    "changes",
    "invite",
    "changePerson",
    "inviteAgain",
    "signIn",
    "changeOwn",
    "makeOwner",
    "acceptInvitation",
    "sampleSheets",
    "sampleSheet",
    "workSheet",
    "calibrations",
    "applyCalibration",
    "compareCalibration",
    "withdrawCalibration",
    "restoreCalibration",
    "warmth",
    "samplingPlan",
    "marks",
    "tension",
    "growth",
    "wetness",
    "profile",
    "ledger",
    "skill",
    "blockRules",
    "setRules",
    "addWindow",
    "order",
    "withdrawRule",
    "importWeather",
    "importForecast",
    "approvePlan",
    "armSupply",
    "calendarFeed",
    "calendarFeeds",
    "changePlannedSet",
    "checkPlan",
    "enterController",
    "forgetController",
    "itWasASet",
    "layGroup",
    "makeCalendarFeed",
    "planCalendar",
    "planTable",
    "revokeCalendarFeed",
    "stopAll",
    "tellSets",
    "tonight",
    "water",
]
SIGNING = {"signIn", "changeOwn", "makeOwner", "acceptInvitation"}  # what is made up opens no door


@pytest.mark.parametrize("operation", OPERATIONS)
def test_nothing_that_fits_the_schema_or_breaks_it_makes_a_fault(farm: Settings, operation: str) -> None:
    sits_here()
    app = create_app(farm)
    pages = pages_of(app)
    cookie = pages.get_cookie(cookie_name(farm))
    assert cookie is not None
    device = {"Authorization": f"Bearer {telemetry.register('probe', '', [])}"} if "ingest" in operation else {}
    signed = {"headers": {"X-CSRF-Token": pages.token, **device}, "cookies": {cookie_name(farm): cookie.value}}
    schema = schemathesis.openapi.from_wsgi("/openapi.json", app)
    chosen = schema.include(operation_id=operation)
    calls, refused = 0, 0
    for result in chosen.get_all_operations():
        strategy = result.ok().as_strategy()

        from hypothesis import given

        @hypothesis_settings(max_examples=15, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)
        @given(case=strategy)
        def check(case: Any) -> None:
            nonlocal calls, refused
            calls += 1
            limiter.reset()
            checks = [not_a_server_error, response_schema_conformance, status_code_conformance]
            answer = case.call_and_validate(checks=checks, **signed)
            refused += answer.status_code in (400, 401, 403)

        check()
    assert calls > (0 if operation in SIGNING else refused)


def test_every_operation_of_the_document_is_among_them(farm: Settings) -> None:
    paths = create_app(farm).api_doc["paths"]
    known = {operation["operationId"] for path in paths.values() for operation in path.values()}
    assert known == set(OPERATIONS)


def test_the_plan_is_asked_for_days_and_quick_or_best(demo_client: FlaskClient) -> None:
    quick = demo_client.get("/api/plan?days=1&quick=true").json
    best = demo_client.get("/api/plan?days=1").json
    assert quick is not None and best is not None
    assert not quick["proven"] and best["proven"] and best["days"] == 1
    assert demo_client.get("/api/plan?days=11").status_code == 422
    assert demo_client.get("/api/plan?as_of=yesterday").status_code in (400, 422)


NOT_SENT = ("embalse.services.acting.controller",)
"""Modules whose classes are read from devices and never sent."""


def test_no_two_answers_share_a_name() -> None:
    """In the schema the later of two would silently stand for both."""
    schema = Path(__file__).parents[3] / "docs" / "openapi.json"
    sent = set(json.loads(schema.read_text(encoding="utf-8"))["components"]["schemas"])
    seen: dict[str, str] = {}
    waiting = list(BaseModel.__subclasses__())
    while waiting:
        one = waiting.pop()
        waiting += one.__subclasses__()
        if one.__module__.startswith("embalse.") and one.__module__ not in NOT_SENT and one.__name__ in sent:
            assert seen.setdefault(one.__name__, one.__module__) == one.__module__, one.__name__
    assert len(seen) > 300
