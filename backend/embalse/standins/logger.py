"""A simulated logger: it speaks to Embalse over HTTP only, as a real device would, drop-outs and backlog included."""

import json
import urllib.error
import urllib.request
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

BATCH = 1000
TIMEOUT_S = 60
Reading = dict[str, Any]


@dataclass
class Sent:
    """What the door said over a run: readings new, known and refused; batches sent, lost and sent again."""

    new: int = 0
    known: int = 0
    refused: int = 0
    batches: int = 0
    dropped: int = 0
    repeated: int = 0
    refusals: list[dict[str, Any]] = field(default_factory=list)


class LoggerStandIn:
    """Posts batches of readings with a token; some posts are lost on the way and come later, some come twice.

    ``drop_share`` of the batches are held back as when there is no signal and sent with the next that gets through;
    ``repeat_share`` are sent again as when the answer was lost.
    """

    def __init__(self, url: str, token: str, drop_share: float = 0.0, repeat_share: float = 0.0, seed: int = 1) -> None:
        self._url = url.rstrip("/") + "/api/ingest"
        self._token = token
        self._shares = (drop_share, repeat_share)
        self._random = np.random.default_rng(seed)
        self._held: list[list[Reading]] = []

    def send(self, readings: Sequence[Reading], battery_v: float = 3.6, signal_dbm: float = -85.0) -> Sent:
        """Send readings in batches, oldest first; what was held back goes out at the end."""
        sent = Sent()
        drop, repeat = self._shares
        batches = list(_batches(readings))
        for number, batch in enumerate(batches, start=1):
            if self._random.random() < drop and number < len(batches):
                self._held.append(batch)
                sent.dropped += 1
                continue
            self._post(batch, (battery_v, signal_dbm), sent)
            if self._random.random() < repeat:
                sent.repeated += 1
                self._post(batch, (battery_v, signal_dbm), sent)
        while self._held:
            self._post(self._held.pop(0), (battery_v, signal_dbm), sent)
        return sent

    def _post(self, batch: list[Reading], said: tuple[float, float], sent: Sent) -> None:
        body = json.dumps({"readings": batch, "battery_v": said[0], "signal_dbm": said[1]}).encode()
        headers = {"Authorization": f"Bearer {self._token}", "Content-Type": "application/json"}
        request = urllib.request.Request(self._url, body, headers)
        try:
            with urllib.request.urlopen(request, timeout=TIMEOUT_S) as answer:
                report = json.load(answer)["report"]
        except urllib.error.HTTPError as refused:
            text = refused.read().decode("utf-8", "replace")
            raise ConnectionError(f"the server answered {refused.code}: {text[:300]}") from refused
        sent.batches += 1
        sent.new += report["new"]
        sent.known += report["known"]
        sent.refused += report["refused"]
        sent.refusals += report["refusals"][:3]


def _batches(readings: Sequence[Reading]) -> Iterator[list[Reading]]:
    for start in range(0, len(readings), BATCH):
        yield list(readings[start : start + BATCH])


def dry_down_readings(channels: Sequence[str], hours: int, until: int, unit: str = "m3/m3") -> list[Reading]:
    """Hourly readings of a profile that dries from the top and is wetted every four days, up to an instant [s, UTC]."""
    random = np.random.default_rng(int(until) // 3600)
    scale, decimals = (100.0, 2) if unit == "%" else (1.0, 4)
    last = until // 3600 * 3600
    found = []
    for hour in range(hours, -1, -1):
        at = last - 3600 * hour
        since_wetted = (at // 3600) % 96
        for depth, channel in enumerate(channels):
            arrived = max(0, since_wetted - 6 * depth)
            theta = 0.28 - 0.0006 * arrived / (1 + depth) + random.normal(0, 0.001)
            found.append({"channel": channel, "at": at, "value": round(scale * theta, decimals)})
    return found
