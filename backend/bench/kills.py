"""A server killed while a device sends: nothing acknowledged is lost, nothing is doubled, no batch is half stored."""

import json
import os
import random
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from dataclasses import dataclass
from pathlib import Path
from typing import IO

import numpy as np

from bench import farms
from bench.timing import line
from embalse.services.intake import telemetry
from embalse.store.database import database

KILLS = 20
BATCH = 60
PATIENCE_S = 60.0
STARTS = 3
Batch = list[dict[str, object]]


@dataclass
class KillReport:
    """What a run of kills did: batches acknowledged; readings lost, doubled, or of a batch cut in two."""

    kills: int = 0
    acknowledged: int = 0
    lost: int = 0
    doubled: int = 0
    cut: int = 0
    stale_rollups: int = 0


def batches(count: int) -> list[Batch]:
    """Hourly readings of one sensor in batches that follow one another, up to the farm's clock."""
    hours = count * BATCH
    values = farms.saw(hours, 3)
    first = farms.NOW - 3600 * (hours - 1)
    rows: Batch = [{"channel": "b0-10", "at": first + 3600 * n, "value": float(values[n])} for n in range(hours)]
    return [rows[n : n + BATCH] for n in range(0, hours, BATCH)]


def killed_while_sending(data: Path, token: str, kills: int, seed: int = 1) -> KillReport:
    """Start the server, send until it is killed at a random moment, look at the file; again and again.

    Every batch is sent until it is acknowledged, from the start each time, as a device that lost its memory would.
    """
    chance, report = random.Random(seed), KillReport()
    to_send = batches(400)
    sure = 0
    for _ in range(kills):
        server, port = serve(data)
        kill_at = time.monotonic() + chance.uniform(0.15, 1.2)
        place = max(0, sure - 3)
        while True:
            if time.monotonic() >= kill_at:
                server.send_signal(signal.SIGKILL)
                server.wait()
                break
            if _acknowledged(port, token, to_send[place % len(to_send)]):
                report.acknowledged += 1
                place += 1
                sure = max(sure, place)
        report.kills += 1
        _look(data, [row for batch in to_send[: min(sure, len(to_send))] for row in batch], report)
    return report


def serve(data: Path) -> tuple["subprocess.Popen[bytes]", int]:
    """A server on a free port, answering; on another one where somebody took the port first.

    Raises `RuntimeError` with the server's own last words where it stops by itself three times, `TimeoutError` where
    it does not answer.
    """
    said = ""
    for _ in range(STARTS):
        port = _free_port()
        settings = {"EMBALSE_DATA": str(data), "EMBALSE_PORT": str(port), "EMBALSE_BACKUP_HOURS": "0"}
        with tempfile.TemporaryFile() as words:
            server = subprocess.Popen(
                [sys.executable, "-m", "embalse", "serve"], env={**os.environ, **settings}, stdout=words, stderr=words
            )
            limit = time.monotonic() + PATIENCE_S
            while server.poll() is None:
                try:
                    with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/session", timeout=2):
                        return server, port
                except OSError:
                    time.sleep(0.02)
                if time.monotonic() > limit:
                    server.kill()
                    server.wait()
                    words.seek(0)
                    raise TimeoutError(f"the server did not answer in {PATIENCE_S:.0f} s; it said: {_last(words)}")
            words.seek(0)
            said = _last(words)
    raise RuntimeError(f"the server stopped by itself {STARTS} times; it said: {said}")


def _last(words: IO[bytes]) -> str:
    return words.read()[-2000:].decode(errors="replace")


def _acknowledged(port: int, token: str, batch: Batch) -> bool:
    body = json.dumps({"readings": batch}).encode()
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    try:
        with urllib.request.urlopen(
            urllib.request.Request(f"http://127.0.0.1:{port}/api/ingest", body, headers), timeout=5
        ) as answer:
            said = json.load(answer)["report"]
    except urllib.error.HTTPError as refused:
        if refused.code == 429:
            time.sleep(0.05)
            return False
        raise
    except OSError:
        return False
    return int(said["new"] + said["known"]) == len(batch)


def _look(data: Path, sure: Batch, report: KillReport) -> None:
    connection = sqlite3.connect(data / "embalse.db")
    stored = dict(connection.execute("SELECT ts, raw FROM reading").fetchall())
    rows = connection.execute("SELECT count(*) FROM reading").fetchone()[0]
    hourly = connection.execute("SELECT day, raw FROM hours").fetchall()
    waiting = connection.execute("SELECT start_at, end_at FROM unjudged").fetchall()
    assert connection.execute("PRAGMA integrity_check").fetchone()[0] == "ok"
    connection.close()
    report.lost += sum(stored.get(row["at"]) != row["value"] for row in sure)
    report.doubled += rows - len(stored)
    report.cut += rows % BATCH
    # what waits to be looked at stands in no hour yet, and is said to wait
    known = [(day, np.flatnonzero(np.isfinite(np.frombuffer(raw))).tolist()) for day, raw in hourly]
    hours = {86400 * day + 3600 * hour for day, those in known for hour in those}
    lacking = set(stored) ^ hours
    report.stale_rollups += sum(not any(a <= ts <= b for a, b in waiting) for ts in lacking)


def _free_port() -> int:
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        return int(asked.getsockname()[1])


def main() -> None:
    """Print what the kills did."""
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder)
        farms.farm(data / "embalse.db", 1)
        token = telemetry.register("bench", "", [])
        database.close()
        report = killed_while_sending(data, token, KILLS)
    told = (
        f"{report.lost} lost, {report.doubled} doubled, {report.cut} of a batch cut, {report.stale_rollups} stale hours"
    )
    line(
        f"{report.kills} kills of a server that takes batches ({report.acknowledged} acknowledged)", told, "0, 0, 0, 0"
    )


if __name__ == "__main__":
    main()
