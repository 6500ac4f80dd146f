"""Bodies that are too large, too deep or out of the calendar: refused early, with a word, and nothing else suffers."""

import io
import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from embalse.api.limits import limiter
from embalse.api.signing import LARGEST_BODY, SMALL_BODY, USUAL_BODY
from embalse.app import create_app
from embalse.config import Settings
from embalse.services.intake import telemetry
from tests.web import client_of


@pytest.fixture
def client(farm: Settings) -> FlaskClient:
    limiter.reset()
    return client_of(farm)


def bearer(token: str) -> dict[str, str]:
    return {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}


class TestDevices:
    def test_the_token_is_looked_at_before_the_body(self, farm: Settings) -> None:
        door = create_app(farm).test_client()
        read: list[int] = []

        class Watched(io.BytesIO):
            """A body that notes how much of it was asked for."""

            def read(self, size: int | None = -1) -> bytes:
                read.append(size or 0)
                return super().read(size)

        for headers in ({}, {"Authorization": "Bearer wrong"}):
            answer = door.post(
                "/api/ingest", headers={**headers, "Content-Type": "application/json"},
                input_stream=Watched(), content_length=60_000_000,
            )  # fmt: skip
            assert answer.status_code == 401
        assert read == []

    def test_more_than_four_mebibytes_are_not_taken(self, farm: Settings) -> None:
        token = telemetry.register("probe", "", [])
        door = create_app(farm).test_client()
        body = b'{"readings": [' + b" " * LARGEST_BODY["telemetry.ingest"] + b"]}"
        assert door.post("/api/ingest", data=body, headers=bearer(token)).status_code == 413
        fits = b'{"readings": [' + b" " * (LARGEST_BODY["telemetry.ingest"] - 100) + b"]}"
        assert door.post("/api/ingest", data=fits, headers=bearer(token)).status_code == 200

    def test_a_body_nested_without_end_is_refused(self, farm: Settings) -> None:
        token = telemetry.register("probe", "", [])
        deep = b"[" * 100_000
        answer = create_app(farm).test_client().post("/api/ingest", data=deep, headers=bearer(token))
        assert answer.status_code in (400, 422)


class TestPages:
    @pytest.mark.parametrize(("address", "most"), [("/api/blocks/one/sets", USUAL_BODY), ("/api/session", SMALL_BODY)])
    def test_a_page_sends_so_much_and_no_more(self, client: FlaskClient, address: str, most: int) -> None:
        body = json.dumps({"note": "x" * most})
        assert client.post(address, data=body, content_type="application/json").status_code == 413

    def test_a_farm_document_may_be_larger(self, client: FlaskClient) -> None:
        document: dict[str, Any] = {"embalse": 1, "soils": []}
        body = json.dumps(document)[:-1] + " " * (2 * USUAL_BODY) + "}"
        assert client.post("/api/farm", data=body, content_type="application/json").status_code != 413

    def test_nesting_without_end(self, client: FlaskClient) -> None:
        answer = client.post("/api/farm", data=b'{"a":' * 50_000, content_type="application/json")
        assert answer.status_code in (400, 422)


class TestCalendar:
    @pytest.mark.parametrize("start", ["0001-01-01T00:00", "1969-12-31T23:00", "2101-01-01T00:00", "9999-12-31T23:59"])
    def test_a_set_outside_the_years_of_use_is_refused_on_its_field(self, client: FlaskClient, start: str) -> None:
        body = {"start": start, "hours": 2, "gross_mm": 5}
        answer = client.post("/api/blocks/one/sets", json=body)
        assert answer.status_code == 422 and "between 1970 and 2100" in answer.json["errors"][0]["reason"]
        assert answer.json["errors"][0]["path"] == "start"

    @pytest.mark.parametrize("start", ["1970-01-02T00:00", "2026-07-13T21:00"])
    def test_and_one_within_them_is_taken(self, client: FlaskClient, start: str) -> None:
        assert client.post("/api/blocks/one/sets", json={"start": start, "hours": 2, "gross_mm": 5}).status_code == 200
        assert client.get("/api/changes").status_code == 200

    @pytest.mark.parametrize(
        "part",
        [
            {"rain": [{"day": "0001-01-01", "depth_mm": 3}]},
            {"eto": [{"day": "9999-12-31", "eto_mm": 3}]},
            {"blocks": [{"key": "one", "planting_date": "0004-02-29"}]},
        ],
    )
    def test_days_of_the_farm_document_too(self, client: FlaskClient, part: dict[str, Any]) -> None:
        answer = client.post("/api/farm", json={"embalse": 1, **part})
        assert answer.status_code == 422
        assert any("between 1970 and 2100" in e["reason"] for e in answer.json["errors"])

    @pytest.mark.parametrize(
        "moment",
        ["0001-01-01T00:00", "9999-12-31T23:59", "9999-12-31T23:59-14:00", "0001-01-01T00:00+14:00", "x" * 500, "-"],
    )
    @pytest.mark.parametrize("page", ["/api/round", "/api/blocks/one", "/api/blocks/one/ledger"])
    def test_a_moment_outside_them_is_no_fault_inside(self, client: FlaskClient, page: str, moment: str) -> None:
        answer = client.get(page, query_string={"as_of": moment})
        assert answer.status_code == 422 and answer.json["log_id"] is None

    @pytest.mark.parametrize("at", [-1, 0, 2**40, "0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-14:00"])
    def test_readings_out_of_time_are_refused_one_by_one(self, farm: Settings, at: int | str) -> None:
        token = telemetry.register("probe", "", [])
        body = {"readings": [{"channel": "one-10", "at": at, "value": 0.2}]}
        answer = create_app(farm).test_client().post("/api/ingest", json=body, headers=bearer(token))
        assert answer.status_code in (200, 422)
        if answer.status_code == 200 and at != 0:
            assert answer.json["report"]["refused"] == 1
