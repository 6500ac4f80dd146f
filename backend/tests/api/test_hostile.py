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
from embalse.store import farm as farm_store
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


class TestFoundByRequestsMadeUp:
    """What requests made from the interface's own document found (``python -m bench contract``)."""

    def test_a_form_part_without_a_name(self, client: FlaskClient) -> None:
        body = b"--x\r\nContent-Disposition: form-data\r\n\r\n0\r\n--x--\r\n"
        answer = client.post("/api/photos", data=body, content_type="multipart/form-data; boundary=x")
        assert answer.status_code == 400 and "no name" in answer.text

    @pytest.mark.parametrize("within_mm", ["1e-300", "1e-160", "0.000001", "0.5"])
    def test_a_sampling_plan_for_an_error_nobody_can_reach(self, demo: Settings, within_mm: str) -> None:
        answer = client_of(demo).get(f"/api/blocks/ladera/sampling-plan?within_mm={within_mm}")
        assert answer.status_code == 422 and "more than anyone digs" in answer.text

    @pytest.mark.parametrize(
        ("door", "more"),
        [("/api/weather", {"elevation_m": 10, "latitude": 41}), ("/api/weather/forecast", {"issued": "2026-07-13"})],
    )
    @pytest.mark.parametrize(
        ("table", "where"),
        [
            ("day,tmax_c,tmin_c\n2026-07-01," + "3" * 200_000, "line 2"),
            ("d" * 200_000 + "\n", "line 1"),
            ("day,tmax_c\r2026-07-01,hot\r", "line 2, "),
        ],
    )
    def test_tables_of_weather_that_are_none(
        self, client: FlaskClient, door: str, more: dict[str, Any], table: str, where: str
    ) -> None:
        answer = client.post(door, json={"table": table, **more})
        assert answer.status_code == 422 and answer.json is not None
        assert answer.json["errors"][0]["path"].startswith(where), answer.text

    @pytest.mark.parametrize(
        ("system", "field"),
        [
            ({"kind": "drip", "flow_l_h": 1e308, "spacing_m": 1e-300, "line_spacing_m": 1}, "flow_l_h"),
            ({"kind": "sprinkler", "rate_mm_h": 5001}, "rate_mm_h"),
            ({"kind": "sprinkler", "rate_mm_h": 0.0009}, "rate_mm_h"),
            ({"kind": "pivot", "pivot": {"length_m": 1, "flow_m3_h": 1e9, "turn_h": 1}}, "pivot.flow_m3_h"),
            (
                {"kind": "furrow", "furrows": {"inflow_l_s": 1e9, "count": 1, "spacing_m": 1, "length_m": 1}},
                "furrows.inflow_l_s",
            ),
        ],
    )
    def test_rates_no_system_gives(self, client: FlaskClient, system: dict[str, Any], field: str) -> None:
        body = {"system": {"key": "s", "efficiency_fraction": 0.9, **system}}
        answer = client.post("/api/system-facts", json=body)
        assert answer.status_code == 422 and field in answer.text, answer.text

    @pytest.mark.parametrize("rate", [0.001, 5000])
    def test_and_the_last_that_are_taken(self, client: FlaskClient, rate: float) -> None:
        system = {"key": "s", "kind": "sprinkler", "efficiency_fraction": 0.9, "rate_mm_h": rate}
        assert client.post("/api/system-facts", json={"system": system}).status_code == 200

    def test_a_cell_without_end_in_a_file_of_a_reading_a_row(self, client: FlaskClient) -> None:
        rows = [f"2026-07-{1 + n // 24:02} {n % 24:02}:00,one-10,0.2" for n in range(200)]
        rows.insert(120, '2026-07-06 00:30,one-10,"' + "0" * 200_000)
        text = "time,sensor,value\n" + "\n".join(rows) + "\n"
        answer = client.post("/api/files", data={"file": (io.BytesIO(text.encode()), "long.csv")})
        assert answer.status_code in (200, 422), answer.text

    def test_the_demonstration_sends_to_this_server_whatever_a_request_says(self, farm: Settings) -> None:
        from embalse.api.demo import _this_server

        app = create_app(farm)
        with app.test_request_context(headers={"Host": "elsewhere.test:99"}, environ_overrides={"SERVER_PORT": "8470"}):
            assert _this_server() == "http://127.0.0.1:8470/"

    def test_a_server_that_does_not_answer_its_own_loggers_moves_no_clock(self, demo: Settings) -> None:
        (demo.data_dir / "demo").mkdir(exist_ok=True)
        (demo.data_dir / "demo" / "tokens.json").write_text("{}")
        before = farm_store.farm()
        answer = client_of(demo).post("/api/demo/advance", json={"hours": 1}, environ_overrides={"SERVER_PORT": "9"})
        assert answer.status_code == 409 and "nothing was moved" in answer.text
        assert farm_store.farm() == before
