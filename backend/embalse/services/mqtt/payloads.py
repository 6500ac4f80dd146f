"""What a message holds: readings as Embalse's own shape has them, or by a map for devices of another shape."""

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Final

from pydantic import BaseModel, ConfigDict, Field, StrictInt, StringConstraints, ValidationError

from embalse.services.acting.lines import LineIn
from embalse.services.intake.telemetry import LARGEST_BATCH
from embalse.services.schema.base import Number
from embalse.services.schema.payload_maps import PLACE, PayloadMapPart

LARGEST: Final = 2_000_000
MILLISECONDS_FROM: Final = 100_000_000_000  # epoch seconds beyond the year 5000 are milliseconds (ours)
STEP: Final = re.compile(r"([^.\[\]]+)|\[(\d+)\]")


class NotUnderstood(Exception):
    """A message nobody can make readings of, and why."""


class SentReading(BaseModel):
    """One reading of a message."""

    model_config = ConfigDict(extra="forbid")
    channel: Annotated[str, StringConstraints(min_length=1, max_length=200)]
    at: StrictInt | Annotated[str, StringConstraints(max_length=40)]
    value: Number


class SentBatch(BaseModel):
    """A message in Embalse's own shape: the body the HTTP door takes."""

    model_config = ConfigDict(extra="forbid")
    readings: list[SentReading] = Field(max_length=LARGEST_BATCH)
    lines: list[LineIn] = Field([], max_length=LARGEST_BATCH)
    battery_v: Annotated[Number, Field(ge=0, le=100)] | None = None
    signal_dbm: Annotated[Number, Field(ge=-200, le=50)] | None = None


@dataclass(frozen=True)
class Message:
    """A message that was understood: which gateway it is of, and what it holds."""

    gateway: str
    batch: SentBatch


def understood(topic: str, payload: bytes, prefix: str, maps: Sequence[PayloadMapPart]) -> Message:
    """What a message holds.

    Parameters
    ----------
    topic, payload : str, bytes
    prefix : str
        First level of Embalse's own topics: ``prefix/GATEWAY/readings``.
    maps : sequence of PayloadMapPart
        For other topics; the first that fits counts.

    Raises
    ------
    NotUnderstood
        With what is wrong.
    """
    if len(payload) > LARGEST:
        raise NotUnderstood("more than 2 million bytes")
    try:
        body = json.loads(payload)
    except (ValueError, RecursionError) as wrong:
        raise NotUnderstood("it is not JSON") from wrong
    levels = topic.split("/")
    if levels[0] == prefix and len(levels) == 3 and levels[2] == "readings":
        return Message(levels[1], _batch(body))
    for one in maps:
        if fits(one.topic, topic):
            return Message(one.gateway, _batch({"readings": [_mapped(one, r, levels, body) for r in one.readings]}))
    raise NotUnderstood("no map is entered for this topic")


def fits(topic_filter: str, topic: str) -> bool:
    """Whether a topic is one of a filter's (MQTT 3.1.1, 4.7).

    Examples
    --------
    >>> fits("a/+/c", "a/b/c"), fits("a/#", "a/b/c"), fits("a/+", "a/b/c"), fits("a/#", "a")
    (True, True, False, True)
    """
    wanted, given = topic_filter.split("/"), topic.split("/")
    for n, level in enumerate(wanted):
        if level == "#":
            return True
        if n >= len(given) or level not in ("+", given[n]):
            return False
    return len(wanted) == len(given)


def _batch(body: Any) -> SentBatch:
    try:
        return SentBatch.model_validate(body)
    except ValidationError as wrong:
        first = wrong.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise NotUnderstood(f"{where}: {first['msg']}" if where else first["msg"]) from wrong


def _mapped(one: PayloadMapPart, reading: Any, levels: Sequence[str], body: Any) -> dict[str, Any]:
    del one

    def place(match: re.Match[str]) -> str:
        name = match[1]
        if name.isdigit():
            if int(name) >= len(levels):
                raise NotUnderstood(f"the topic has no level {name}")
            return levels[int(name)]
        return str(at_path(body, name))

    value, at = at_path(body, reading.value), at_path(body, reading.at)
    if isinstance(at, float) and at.is_integer():
        at = int(at)
    if isinstance(at, int) and not isinstance(at, bool) and at > MILLISECONDS_FROM:
        at //= 1000
    if isinstance(value, str):
        try:
            value = float(value)
        except ValueError as wrong:
            raise NotUnderstood(f"{reading.value}: '{value[:40]}' is no number") from wrong
    if isinstance(value, bool):
        raise NotUnderstood(f"{reading.value}: it is no number")
    return {"channel": PLACE.sub(place, reading.channel), "at": at, "value": value}


def at_path(body: Any, path: str) -> Any:
    """The value at a path of a message; raises NotUnderstood.

    Examples
    --------
    >>> at_path({"data": {"soil": [{"m": 0.21}]}}, "data.soil[0].m")
    0.21
    """
    found = body
    for name, number in STEP.findall(path):
        try:
            found = found[name] if name else found[int(number)]
        except (KeyError, IndexError, TypeError) as wrong:
            raise NotUnderstood(f"there is no {path} in it") from wrong
    return found
