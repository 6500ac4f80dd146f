"""Readings sent by devices: taken once, refused one by one, whoever sends them and in whatever order."""

import json
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from embalse.api.limits import limiter
from embalse.config import Settings
from embalse.services.advice.advise import round_content
from embalse.services.intake import telemetry
from embalse.services.setup import fault_review
from embalse.standins.logger import LoggerStandIn, dry_down_readings
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound, Unauthorized
from embalse.store.models import Dawn, Gateway, ImportJob, Reading
from tests.conftest import CLOCK
from tests.web import client_of

HOUR = 3600


@pytest.fixture
def client(farm: Settings) -> FlaskClient:
    client = client_of(farm)
    limiter.reset()
    return client


@pytest.fixture
def token(farm: Settings) -> str:
    return telemetry.register("probe", "Probe", ["one/a"])


def head(token: str) -> dict[str, str]:
    return {"Authorization": f"Bearer {token}"}


def send(client: FlaskClient, token: str, readings: list[dict[str, Any]], **more: Any) -> Any:
    return client.post("/api/ingest", json={"readings": readings, **more}, headers=head(token))


def hourly(count: int, channel: str = "one-10", start: float = 0.25) -> list[dict[str, Any]]:
    return [
        {"channel": channel, "at": CLOCK - HOUR * n, "value": round(start + 0.0001 * (n % 9), 4)} for n in range(count)
    ]


def test_a_batch_is_taken_once_in_any_order(client: FlaskClient, token: str) -> None:
    batch = hourly(50)
    first = send(client, token, batch, battery_v=3.6, signal_dbm=-90.0).json["report"]
    assert (first["new"], first["known"], first["refused"]) == (50, 0, 0)
    again = send(client, token, batch[::-1]).json["report"]
    assert (again["new"], again["known"], again["refused"]) == (0, 50, 0)
    late = send(client, token, [{"channel": "one-10", "at": "2026-06-01T06:00:00+02:00", "value": 0.3}]).json["report"]
    assert late["new"] == 1
    assert Reading.select().count() == 51
    assert ImportJob.get(file_name="telemetry probe 2026-07-14").readings_new == 51
    [gateway] = client.get("/api/gateways").json["gateways"]
    assert gateway["battery_v"] == 3.6 and gateway["last_seen"] == "2026-07-14T06:00+02:00"


def test_what_is_wrong_is_refused_reading_by_reading(client: FlaskClient, token: str) -> None:
    send(client, token, [{"channel": "one-10", "at": CLOCK, "value": 0.25}])
    wrong = [
        {"channel": "one-10", "at": CLOCK, "value": 0.26},
        {"channel": "nobody", "at": CLOCK, "value": 0.2},
        {"channel": "one-30", "at": CLOCK + 10 * HOUR, "value": 0.2},
        {"channel": "one-30", "at": "2026-07-14T06:00:00", "value": 0.2},
        {"channel": "one-30", "at": "noon", "value": 0.2},
        {"channel": "one-30", "at": CLOCK, "value": 27.0},
        {"channel": "one/a/30", "at": CLOCK, "value": 0.27},
    ]
    report = send(client, token, wrong).json["report"]
    assert (report["new"], report["known"], report["refused"]) == (1, 0, 6)
    reasons = {r["index"]: r["reason"] for r in report["refusals"]}
    assert "another value is stored for this time: 0.25" in reasons[0]
    assert "no sensor of this gateway" in reasons[1]
    assert reasons[2] == "the time is in the future"
    assert "needs an offset" in reasons[3] and "neither ISO text" in reasons[4]
    assert "27 m3/m3 is outside" in reasons[5]


def test_only_a_token_in_force_opens_the_door(client: FlaskClient, token: str) -> None:
    for headers in ({}, {"Authorization": "Bearer wrong"}, {"Authorization": f"Basic {token}"}):
        answer = client.post("/api/ingest", json={"readings": []}, headers=headers)
        assert answer.status_code == 401 and "token" in answer.json["errors"][0]["path"]
    assert send(client, token, []).status_code == 200
    assert client.delete("/api/gateways/probe").json["gateways"][0]["revoked"] is True
    assert send(client, token, []).status_code == 401
    assert client.delete("/api/gateways/probe").status_code == 404
    stored = Gateway.get(key="probe").token_hash
    assert stored == telemetry.token_hash(token) and token not in stored


def test_a_gateway_sends_for_its_own_stations_only(client: FlaskClient) -> None:
    with pytest.raises(NotFound):
        telemetry.register("x", "", ["one/z"])
    telemetry.register("other", "", [])
    with pytest.raises(Conflict):
        telemetry.register("other", "", [])
    with pytest.raises(Unauthorized):
        telemetry.gateway_of("")


def test_lines_are_taken_like_a_batch(client: FlaskClient, token: str) -> None:
    lines = "\n".join(json.dumps(r) for r in hourly(20)) + "\n\n"
    answer = client.post("/api/ingest/lines", data=lines, headers=head(token), content_type="application/x-ndjson")
    assert answer.json["report"]["new"] == 20
    for text, reason in (('{"channel": "a"}', "Field required"), ("{", "not JSON"), ("[]", "")):
        bad = client.post("/api/ingest/lines", data=f"{json.dumps(hourly(1)[0])}\n{text}", headers=head(token))
        assert bad.status_code == 422
        assert bad.json["errors"][0]["path"] == "lines[2]" and reason in bad.json["errors"][0]["reason"]
    long = client.post("/api/ingest/lines", data="{}\n" * 10_001, headers=head(token))
    assert long.status_code == 422 and "at most 10000" in long.json["errors"][0]["reason"]


def test_ten_thousand_are_taken_and_more_are_not(client: FlaskClient, token: str) -> None:
    batch = [{"channel": "one-10", "at": CLOCK - 60 * n, "value": 0.25 + 0.0001 * (n % 7)} for n in range(10_000)]
    assert send(client, token, batch).json["report"]["new"] == 10_000
    assert send(client, token, [*batch, batch[0]]).status_code == 422


def test_who_sends_too_often_is_told_to_wait(client: FlaskClient, token: str) -> None:
    answers = [send(client, token, []).status_code for _ in range(125)]
    assert answers[:120] == [200] * 120 and set(answers[120:]) == {429}
    other = telemetry.register("other", "", [])
    assert send(client, other, []).status_code == 200


def test_what_arrives_is_looked_at_and_advised_from(client: FlaskClient, token: str) -> None:
    for depth in (10, 30, 50):
        readings = [
            {"channel": f"one-{depth}", "at": CLOCK - HOUR * n, "value": round(0.2 + 0.0002 * n + 0.0003 * (n % 5), 5)}
            for n in range(24 * 12)
        ]
        if depth == 30:
            readings[60]["value"] = 0.5
        assert send(client, token, readings).json["report"]["refused"] == 0
    assert round_content().blocks[0].depletion_mm is not None
    assert Dawn.select().count() == 3 * 12
    assert [f.fault for f in fault_review.faults_content().faults] == ["spike"]


def test_a_low_battery_is_put_on_the_list(client: FlaskClient, token: str) -> None:
    send(client, token, hourly(5), battery_v=3.1)
    [visit] = round_content().to_see
    assert visit.station == "one/a" and "battery at 3.10 V" in visit.why


def test_the_stand_in_sends_every_reading_whatever_is_lost(
    farm: Settings, served_url: str, token: str, tmp_path: Path
) -> None:
    limiter.reset()
    readings = dry_down_readings(["one-10", "one-30", "one-50"], 24 * 90, CLOCK)
    sent = LoggerStandIn(served_url, token, drop_share=0.4, repeat_share=0.4, seed=3).send(readings)
    assert sent.dropped > 0 and sent.repeated > 0
    assert (sent.new, sent.refused) == (len(readings), 0) and sent.known >= 1000 * (sent.repeated - 1)
    assert Reading.select().count() == len(readings)
    with pytest.raises(ConnectionError, match="401"):
        LoggerStandIn(served_url, "wrong").send(readings[:5])


def test_what_comes_days_later_is_noted_once_as_late(client: FlaskClient, token: str) -> None:
    send(client, token, hourly(20))  # from before the gateway was made: history
    assert [f.fault for f in fault_review.faults_content().faults if f.fault == "late"] == []
    now = CLOCK + 100 * HOUR
    with transaction():
        farm_store.hold_clock(now)
    backlog = [{"channel": "one-10", "at": now - HOUR * n, "value": 0.25} for n in range(60, 90)]
    send(client, token, backlog)
    send(client, token, backlog)
    [late] = [f for f in fault_review.faults_content().faults if f.fault == "late"]
    assert (late.readings, late.sensor, late.kept_out) == (30, "one/a/10", False)
    assert (late.start_at, late.end_at) == (now - 89 * HOUR, now - 60 * HOUR)
    assert late.reason == "came in 3.7 days after the first of them was taken"
    send(client, token, [{"channel": "one-10", "at": now - HOUR * n, "value": 0.25} for n in range(50, 60)])
    [grown] = [f for f in fault_review.faults_content().faults if f.fault == "late"]
    assert (grown.readings, grown.end_at) == (40, now - 50 * HOUR)


@pytest.mark.parametrize("channels", [("one-10", "one-30", "one-50"), ("one-30",)])
def test_a_dead_station_keeps_no_batch_out(client: FlaskClient, token: str, channels: tuple[str, ...]) -> None:
    """Every sensor stuck for days, or one channel alone: nothing is left to hold the order of wettings in."""
    for channel in channels:
        batch = [{"channel": channel, "at": CLOCK - HOUR * n, "value": 0.25} for n in range(24 * 4)]
        assert send(client, token, batch).json["report"]["new"] == len(batch)
    assert {f.fault for f in fault_review.faults_content().faults} == {"stuck"}
    assert round_content().blocks[0].depletion_mm is None
