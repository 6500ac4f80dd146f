"""Set-up, stations and bench over the API, as another program would use them."""

import io
import json
import struct
import zlib
from typing import Any

import pytest
from flask.testing import FlaskClient

from embalse.config import Settings
from tests.web import client_of


@pytest.fixture
def client(farm: Settings) -> FlaskClient:
    return client_of(farm)


def ok(answer: Any) -> Any:
    assert answer.status_code == 200, answer.json
    return answer.json


def apply(client: FlaskClient, **lists: Any) -> Any:
    return ok(client.post("/api/farm", json={"embalse": 1, **lists}))


def png(padding: int = 0) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", 1, 1, 8, 0, 0, 0, 0))
    body = chunk(b"IDAT", zlib.compress(b"\x00\x00")) + chunk(b"IEND", b"")
    return b"\x89PNG\r\n\x1a\n" + head + body + b"\0" * padding


def upload(client: FlaskClient, data: bytes) -> Any:
    body = {"photo": (io.BytesIO(data), "photo.png")}
    return client.post("/api/photos", data=body, content_type="multipart/form-data")


def test_a_photo_is_kept_once_and_comes_back(client: FlaskClient) -> None:
    key = ok(upload(client, png()))["key"]
    assert ok(upload(client, png()))["key"] == key
    found = client.get(f"/api/photos/{key}")
    assert found.data == png() and found.mimetype == "image/png"
    document = ok(client.get("/api/farm/document?photos=true"))
    assert [p["key"] for p in document["photos"]] == [key]
    assert ok(client.get("/api/farm/document"))["photos"] == []


@pytest.mark.parametrize(("data", "reason"), [(b"<svg>", "JPEG, PNG or WebP"), (png(2_100_000), "larger than 2 MB")])
def test_what_is_no_photo_is_refused(client: FlaskClient, data: bytes, reason: str) -> None:
    answer = upload(client, data)
    assert answer.status_code == 422
    assert answer.json["errors"] == [{"path": "photo", "reason": answer.json["errors"][0]["reason"]}]
    assert reason in answer.json["errors"][0]["reason"]


def test_a_photo_with_another_content_than_its_key_is_refused(client: FlaskClient) -> None:
    photo = {"key": "0" * 64, "media_type": "image/png", "data": "AAAA"}
    answer = client.post("/api/farm", json={"embalse": 1, "photos": [photo]})
    assert answer.json["errors"][0] == {"path": "photos[0].key", "reason": "is not the SHA-256 of the content"}


def test_what_is_typed_is_answered_and_not_stored(client: FlaskClient) -> None:
    before = ok(client.get("/api/farm/document"))
    horizons = [
        {"top_cm": 0, "bottom_cm": 50, "texture": "sandy loam"},
        {"top_cm": 50, "bottom_cm": 120, "texture": "clay"},
    ]
    curves = ok(client.post("/api/soil-curves", json={"horizons": horizons}))["horizons"]
    assert [c["texture"] for c in curves] == ["sandy loam", "clay"]
    for curve in curves:
        thetas = [p["theta"] for p in curve["points"]]
        assert thetas == sorted(thetas, reverse=True) and thetas[-1] == pytest.approx(curve["theta_wilting"])
        assert curve["available_mm"] == pytest.approx(
            10 * (curve["bottom_cm"] - curve["top_cm"]) * (curve["theta_full"] - curve["theta_wilting"])
        )
    drip = {
        "key": "d",
        "kind": "drip",
        "efficiency_fraction": 0.9,
        "flow_l_h": 1.6,
        "spacing_m": 0.5,
        "line_spacing_m": 1.5,
    }
    facts = ok(client.post("/api/system-facts", json={"system": drip, "block_area_ha": 2.0}))
    assert facts["rate_mm_h"] == pytest.approx(2.133, abs=1e-3) and facts["flow_m3_h"] == pytest.approx(42.67, abs=0.01)
    furrow = {"key": "f", "kind": "furrow", "efficiency_fraction": 0.6,
              "furrows": {"inflow_l_s": 1.5, "count": 20, "spacing_m": 1.5, "length_m": 400}}  # fmt: skip
    facts = ok(client.post("/api/system-facts", json={"system": furrow, "block_area_ha": 12.0}))
    assert (facts["sets"], facts["flow_m3_h"]) == (10, pytest.approx(108))
    pivot = {"key": "p", "kind": "pivot", "efficiency_fraction": 0.85,
             "pivot": {"length_m": 400, "flow_m3_h": 180, "turn_h": 18}}  # fmt: skip
    facts = ok(client.post("/api/system-facts", json={"system": pivot, "block_area_ha": 40.0, "wetted_width_m": 15.0}))
    assert facts["pivot_area_ha"] == pytest.approx(50.27, abs=0.01) and "40.0 ha is entered" in facts["notes"][0]
    assert facts["end_rate_mm_h"] > facts["rate_mm_h"]
    wetted = ok(client.post("/api/wetted-share", json={"horizon": {"top_cm": 0, "bottom_cm": 40, "texture": "clay"},
                                                       "bulb_m": 0.9, "emitter_spacing_m": 0.5,
                                                       "lines_per_row": 2.0, "row_spacing_m": 6.0}))  # fmt: skip
    assert wetted["wetted_fraction"] == pytest.approx(0.3) and wetted["usual_low_m"] == 1.2
    for sand, clay, low in ((0.9, 0.04, 0.4), (0.4, 0.2, 0.8), (0.2, 0.5, 1.2)):
        top = {"top_cm": 0, "bottom_cm": 40, "sand_fraction": sand, "clay_fraction": clay}
        assert ok(client.post("/api/wetted-share", json={"horizon": top}))["usual_low_m"] == low
    assert ok(client.post("/api/wetted-share", json={}))["usual_low_m"] is None
    assert ok(client.get("/api/farm/document")) == before


@pytest.mark.parametrize(
    ("address", "body", "path"),
    [
        ("soil-curves", {"horizons": [{"top_cm": 0, "bottom_cm": 50}]}, "horizons[0].texture"),
        (
            "system-facts",
            {"system": {"key": "d", "kind": "drip", "efficiency_fraction": 0.0}},
            "system.efficiency_fraction",
        ),
        ("outline-facts", {"outline": [[0.0, 0.0], [1.0, 1.0]]}, "outline"),
        ("outline-facts", {"outline": [[0.0, 95.0], [1.0, 1.0], [2.0, 2.0]]}, "outline[0][1]"),
        ("uniformity", {"values": [1.0, 2.0]}, "catches"),
        ("uniformity", {"values": ["a", 2.0, 3.0, 4.0]}, "values[0]"),
        ("tube-cuts", {"depths_cm": [30.0, 30.0]}, "depths_cm"),
        ("wetted-share", {"bulb_m": 0.0}, "bulb_m"),
    ],
)
def test_bad_entries_are_named(client: FlaskClient, address: str, body: Any, path: str) -> None:
    answer = client.post(f"/api/{address}", json=body)
    assert answer.status_code == 422 and answer.json["errors"][0]["path"] == path, answer.json


def test_the_library_tells_every_source(client: FlaskClient) -> None:
    library = ok(client.get("/api/library"))
    assert len(library["crops"]) == 48 and len(library["feel"]) == 12
    for crop in library["crops"]:
        named = {v["name"]: v for v in crop["values"]}
        assert named["kc_mid"]["source"]["title"] == "FAO-56 Table 12"
        assert all(v["source"]["title"] for v in crop["values"] if v["value"] is not None)
    assert all(p["source"] for p in library["practice"])


def test_a_run_over_the_api(client: FlaskClient) -> None:
    apply(client, devices=[{"key": "te", "type": "tensiometer"}])
    run: dict[str, Any] = {
        "key": "s1",
        "procedure": "tensiometer-service",
        "device": "te",
        "started": "2026-07-14T05:00",
    }
    apply(client, procedure_runs=[run])
    found = ok(client.get("/api/runs/s1"))
    assert found["next_id"] == "fill" and len(found["gaps"]) == 6
    assert client.post("/api/runs/s1/close", json={}).status_code == 409
    values = {"pump": 82.0, "hold": 2.0}
    done = {s["id"]: {"at": "2026-07-14T05:10", **({"value": values[s["id"]]} if s["id"] in values else {})}
            for s in found["steps"]}  # fmt: skip
    apply(client, procedure_runs=[{**run, "done": done}])
    ahead = client.post("/api/runs/s1/close", json={"at": "2027-01-01T00:00"})
    assert ahead.json["errors"] == [{"path": "at", "reason": "lies ahead of the farm's clock"}]
    closed = ok(client.post("/api/runs/s1/close", json={"at": "2026-07-14T05:30"}))
    assert closed["verdict"] == "ready" and closed["closed"] == "2026-07-14T05:30+02:00"
    assert client.post("/api/runs/none/close", json={}).status_code == 404


def test_stations_and_their_log(client: FlaskClient) -> None:
    visit = {
        "key": "v",
        "station": "one/a",
        "at": "2026-07-10T08:00",
        "who": "Inés",
        "what": "battery",
        "note": "3.4 V",
    }
    apply(client, visits=[visit])
    sheet = ok(client.get("/api/stations/one/a"))
    assert sheet["log"][0]["what"] == "battery" and sheet["log"][0]["at"] == "2026-07-10T08:00+02:00"
    assert ok(client.delete("/api/records/visits/v"))["deleted"] is True
    assert ok(client.get("/api/stations/one/a"))["log"] == []
    assert ok(client.post("/api/records/visits/v/restore"))["deleted"] is False
    assert len(ok(client.get("/api/stations/one/a"))["log"]) == 1
    for address in ("stations/one/z", "stations/none/a", "channel-checks/c", "photos/p", "blocks/none/setup"):
        assert client.get(f"/api/{address}").status_code == 404
    assert client.delete("/api/records/weather/x").status_code == 404


def test_zones_a_station_should_not_steer(client: FlaskClient) -> None:
    two = {"key": "two", "name": "Two", "area_ha": 3, "crop": "olive", "soil": "loam", "slope_pct": 9.0}
    one = {"key": "one", "area_ha": 10, "crop": "tomato", "soil": "loam", "slope_pct": 1.0}
    sensors = [{"depth_cm": d} for d in (10, 30, 50)]
    apply(client, blocks=[two, {**one, "stations": [{"key": "a", "stands_for": ["two"], "sensors": sensors}]}])
    sheet = ok(client.get("/api/stations/one/a"))
    assert sheet["zone_cautions"] == [
        "Two differs in crop (olive, here tomato), slope (9 %, here 1 %), system (none, here drip)"
    ]


def test_a_furrow_block_is_advised_set_by_set(client: FlaskClient, farm: Settings, logger_file: Any) -> None:
    from embalse.services.intake.import_plan import ImportPlan, PlanColumn
    from embalse.services.intake.imports import run_import

    path = logger_file(days=10, start=0.25, use=0.006)
    columns = [PlanColumn(column=f"one-{d}", sensor=f"one/a/{d}", unit=None) for d in (10, 30, 50)]
    assert (
        run_import(path, path.name, ImportPlan(time_zone="UTC+02:00", date_order="ymd", columns=columns)).status
        == "done"
    )
    furrows = {"inflow_l_s": 1.5, "count": 20, "spacing_m": 1.5, "length_m": 400, "tailwater_fraction": 0.2}
    apply(
        client,
        supplies=[{"key": "well", "name": "well", "flow_m3_h": 50.0}],
        systems=[{"key": "f", "kind": "furrow", "efficiency_fraction": 0.75, "furrows": furrows}],
        blocks=[{"key": "one", "area_ha": 12, "crop": "tomato", "soil": "loam", "system": "f", "supply": "well",
                 "wetted_fraction": 1.0}],
    )  # fmt: skip
    block = ok(client.get("/api/round?working=true"))["blocks"][0]
    lines = {line["key"]: line for line in block["working"]}
    # what runs off the end is part of what an efficiency of 0.75 loses: it is not taken off twice
    assert lines["efficiency_fraction"]["value"] == pytest.approx(0.75)
    assert "20 % runs off the end" in lines["efficiency_fraction"]["source"]["detail"]
    assert lines["sets"]["value"] == 10
    assert lines["all_sets_h"]["value"] == pytest.approx(10 * lines["set_time_h"]["minutes"] / 60)
    assert lines["set_time_h"]["label"] == "Time of one set"
    assert any("needs 108 m³/h, well gives 50" in note for note in block["not_trusted"])
    json.dumps(block)
