"""Logger files through the API: rows of one reading, columns beside a sensor, and what they do to the lists."""

from pathlib import Path
from typing import Any

import pytest

from embalse.config import Settings
from tests.api.test_api import run, upload
from tests.web import Pages, client_of

LONG = "probe,depth,time,parameter,value\n" + "".join(
    f"A,{depth},2026-07-{day:02d} {hour:02d}:00,{what},{value}\n"
    for day in range(1, 13)
    for hour in (0, 12)
    for depth in (10, 30)
    for what, value in (("VWC %", 20 + depth / 10 - 0.1 * day), ("soil temp", 18 + hour / 6))
)


@pytest.fixture
def client(farm: Settings) -> Pages:
    return client_of(farm)


@pytest.fixture
def long_file(tmp_path: Path) -> Path:
    path = tmp_path / "long.csv"
    path.write_text(LONG)
    return path


def plan(columns: dict[str, tuple[str, str | None]]) -> dict[str, Any]:
    given = [{"column": name, "sensor": sensor, "unit": unit} for name, (sensor, unit) in columns.items()]
    return {"time_zone": "UTC", "date_order": "ymd", "rows_hold": "reading", "columns": given}


def test_a_file_with_one_reading_a_row_is_told_and_can_be_taken_the_other_way(client: Pages, long_file: Path) -> None:
    seen = upload(client, long_file)
    assert seen["rows_hold"] == "reading"
    assert (seen["said_by"], seen["value_column"]) == (["probe", "depth", "parameter"], "value")
    assert [(c["name"], c["unit"]) for c in seen["columns"]] == [
        ("A / 10 / VWC %", "%"), ("A / 10 / soil temp", ""), ("A / 30 / VWC %", "%"), ("A / 30 / soil temp", ""),
    ]  # fmt: skip
    wide = client.get(f"/api/files/{seen['token']}?rows_hold=time").json
    assert wide["rows_hold"] == "time" and [c["name"] for c in wide["columns"]][:2] == ["probe", "depth"]
    assert [c["is_time"] for c in wide["columns"]] == [False, False, True, False, False]
    assert client.get(f"/api/files/{seen['token']}?rows_hold=sideways").status_code == 422


def test_from_long_rows_to_readings_and_temperatures(client: Pages, long_file: Path) -> None:
    before = {s["ref"]: s for s in client.get("/api/sensors").json["sensors"]}
    assert before["one/a/10.temperature"]["channel"] == ""
    assert before["one/a/10.temperature"]["label"].endswith("10 cm, soil temperature")
    assert list(before)[:3] == ["one/a/10", "one/a/30", "one/a/50"]
    seen = upload(client, long_file)
    body = plan(
        {
            "A / 10 / VWC %": ("one/a/10", "%"),
            "A / 30 / VWC %": ("one/a/30", "%"),
            "A / 10 / soil temp": ("one/a/10.temperature", "degC"),
        }
    )
    tried = client.post(f"/api/files/{seen['token']}/preview", json={"plan": body}).json
    assert tried["refusals"] == [] and tried["rows"][0]["values"] == {"A / 10 / VWC %": 20.9}
    assert client.get("/api/sensors").json["sensors"] == list(before.values())  # trying makes nothing
    report = run(client, seen["token"], {"plan": body, "save_as": "long probe"})["report"]
    assert (report["status"], report["readings_new"], report["out_of_order"]) == ("done", 72, 0)
    after = {s["ref"]: s for s in client.get("/api/sensors").json["sensors"]}
    assert after["one/a/10.temperature"]["channel"] == "A / 10 / soil temp"
    page = client.get("/api/stations/one/a/sensors/10").json
    assert [c["quantity"] for c in page["companions"]] == ["temperature"]
    assert page["companions"][0]["values"][:2] == [18.0, 20.0]
    again = upload(client, long_file)
    assert again["matched"] == "the saved mapping 'long probe'"
    assert again["suggestion"]["A / 10 / soil temp"] == "one/a/10.temperature"
    line = client.get("/api/changes?about=long.csv").json["changes"][0]
    assert (line["who"], line["kind"], line["what"]) == ("Tester", "files", "read in")


@pytest.mark.parametrize(
    ("sensor", "unit", "path"),
    [
        ("one/a/10", "degC", "columns[0].unit"),
        ("one/a/10.ph", None, "columns[0].sensor"),
        ("one/a/10.salinity", "%", "columns[0].unit"),
    ],
)
def test_a_column_that_cannot_go_there_is_refused_before_anything_starts(
    client: Pages, long_file: Path, sensor: str, unit: str | None, path: str
) -> None:
    seen = upload(client, long_file)
    body = plan({"A / 10 / soil temp": (sensor, unit)})
    refused = client.post(f"/api/files/{seen['token']}/import", json={"plan": body})
    assert refused.status_code == 422 and refused.json["errors"][0]["path"] == path


def test_telemetry_finds_companions_by_channel_and_by_name(client: Pages) -> None:
    station = {"key": "a", "sensors": [{"depth_cm": 10, "companions": [
        {"quantity": "temperature", "channel": "T-10", "raw_unit": "degC"}]}]}  # fmt: skip
    block = {"key": "one", "soil": "loam", "area_ha": 10, "crop": "tomato", "stations": [station]}
    assert client.post("/api/farm", json={"embalse": 1, "blocks": [block]}).status_code == 200
    token = client.post("/api/gateways", json={"key": "g"}).json["token"]
    head = {"Authorization": f"Bearer {token}"}
    sent = [
        {"channel": "T-10", "at": "2026-07-13T06:00:00Z", "value": 19.5},
        {"channel": "one/a/10.temperature", "at": "2026-07-13T07:00:00Z", "value": 19.7},
        {"channel": "T-10", "at": "2026-07-13T08:00:00Z", "value": 195.0},
    ]
    report = client.post("/api/ingest", json={"readings": sent}, headers=head).json["report"]
    assert (report["new"], report["refused"]) == (2, 1)
    assert "outside -40 to 80" in report["refusals"][0]["reason"]
