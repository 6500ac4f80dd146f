"""What messages hold: Embalse's own shape, other shapes by a map, and what nobody understands."""

import json
from typing import Any

import pytest
from paho.mqtt.client import topic_matches_sub
from pydantic import ValidationError

from embalse.services.mqtt.payloads import NotUnderstood, fits, understood
from embalse.services.schema.payload_maps import PayloadMapPart

OWN = {"readings": [{"channel": "one-10", "at": 1_784_000_000, "value": 0.21}], "battery_v": 3.6}
SOIL = PayloadMapPart.model_validate({
    "key": "soil", "gateway": "hill", "topic": "sensors/+/soil", "readings": [
        {"channel": "{1} 10", "value": "data.soil[0].m", "at": "time"},
        {"channel": "{1} {data.deep}", "value": "data.soil[1].m", "at": "time"},
    ]})  # fmt: skip
BODY = {"time": 1_784_000_000_000, "data": {"deep": 30, "soil": [{"m": 0.2}, {"m": "0.31"}]}}


def held(topic: str, body: Any, maps: list[PayloadMapPart] | None = None) -> Any:
    payload = body if isinstance(body, bytes) else json.dumps(body).encode()
    return understood(topic, payload, "embalse", maps or [])


def test_embalses_own_shape_is_that_of_the_http_door() -> None:
    told = held("embalse/hill/readings", OWN)
    assert told.gateway == "hill" and told.batch.battery_v == 3.6
    assert [(r.channel, r.at, r.value) for r in told.batch.readings] == [("one-10", 1_784_000_000, 0.21)]


def test_another_shape_is_read_by_its_map() -> None:
    told = held("sensors/n7/soil", BODY, [SOIL])
    assert told.gateway == "hill"
    assert [(r.channel, r.at, r.value) for r in told.batch.readings] == [
        ("n7 10", 1_784_000_000, 0.2), ("n7 30", 1_784_000_000, 0.31),
    ]  # fmt: skip
    assert held("sensors/n7/soil", BODY | {"time": 1.784e9}, [SOIL]).batch.readings[0].at == 1_784_000_000
    iso = held("sensors/n7/soil", BODY | {"time": "2026-07-14T06:00:00Z"}, [SOIL])
    assert iso.batch.readings[0].at == "2026-07-14T06:00:00Z"


@pytest.mark.parametrize(
    ("topic", "body", "why"),
    [
        ("embalse/hill/readings", b"{", "not JSON"),
        ("embalse/hill/readings", b"\xff", "not JSON"),
        ("embalse/hill/readings", {"readings": [{"channel": "a", "at": 1.5, "value": 1}]}, "readings.0.at"),
        ("embalse/hill/readings", {"readings": [], "more": 1}, "more"),
        ("embalse/hill/readings", [], "dict"),
        ("embalse/hill/other", OWN, "no map"),
        ("sensors/n7/air", BODY, "no map"),
        ("sensors/n7/soil", {"time": 1}, "there is no data.soil[0].m in it"),
        ("sensors/n7/soil", BODY | {"data": {"deep": 1, "soil": [{"m": "wet"}, {"m": 1}]}}, "'wet' is no number"),
        ("sensors/n7/soil", BODY | {"data": {"deep": 1, "soil": [{"m": True}, {"m": 1}]}}, "no number"),
        ("sensors/n7/soil", BODY | {"time": None}, "at"),
        ("embalse/hill/readings", b"[" * 100_000, "not JSON"),
        ("embalse/hill/readings", b" " * 2_000_001, "2 million"),
    ],
)
def test_what_is_not_understood_says_why(topic: str, body: Any, why: str) -> None:
    with pytest.raises(NotUnderstood) as wrong:
        held(topic, body, [SOIL])
    assert why in str(wrong.value)


@pytest.mark.parametrize(
    "part",
    [
        {"topic": "a/b#"}, {"topic": "a/#/b"}, {"topic": "a/b+/c"},
        {"readings": [{"channel": "{1", "value": "a..b", "at": "t"}]},
        {"readings": [{"channel": "{a b}", "value": "a", "at": "t"}]},
        {"readings": []},
    ],
)  # fmt: skip
def test_a_map_that_cannot_be_is_refused(part: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        PayloadMapPart.model_validate({**SOIL.model_dump(), **part})


@pytest.mark.published(source="MQTT 3.1.1 (OASIS), 4.7, by the paho library's own matching")
def test_topics_fit_filters_as_the_standard_says() -> None:
    filters = ["a/+/c", "a/#", "#", "+", "a/+", "+/+/c", "a/b/c", "a/b/#", "+/b"]
    topics = ["a/b/c", "a", "a/b", "x/b", "a//c", "a/b/c/d"]
    for one in filters:
        for topic in topics:
            assert fits(one, topic) == topic_matches_sub(one, topic), (one, topic)
