"""Readings over HTTP in batches of 1,000, against the bare SQLite rate; and the trust pass over a million readings."""

import json
import sqlite3
import statistics
import tempfile
import threading
import time
import urllib.request
from pathlib import Path

import numpy as np
from waitress.server import create_server

from bench import farms
from bench.timing import line
from embalse.api.limits import limiter
from embalse.app import create_app
from embalse.config import Settings
from embalse.core.quality.faults import WATER, faults
from embalse.services.advice.keeper import Keeper
from embalse.services.intake import telemetry
from embalse.store import unjudged
from embalse.store.database import database

BATCH = 1000
BATCHES = 60
MILLION = 1_000_000


def main() -> None:
    """Print rows a second over HTTP, its share of the bare rate, and the seconds of the trust pass."""
    with tempfile.TemporaryDirectory() as folder:
        rows = [(1 + n % 6, farms.NOW - 900 * (n // 6), 0.25 + 0.0001 * (n % 97)) for n in range(BATCH * BATCHES)]
        bare = _bare(Path(folder) / "bare.db", rows)
        http = _http(Path(folder), rows)
    line("readings over HTTP, batches of 1,000", f"{http:,.0f} rows/s".replace(",", " "), "40 000 or more")
    line("bare SQLite, the same batches", f"{bare:,.0f} rows/s".replace(",", " "), "none")
    line("share of the bare rate", f"{100 * http / bare:.0f} %", "none")
    ts = np.arange(MILLION, dtype=np.int64) * 3600
    values = np.tile(farms.saw(10_000, seed=1), MILLION // 10_000)
    values[::1777] += 0.1
    seconds = statistics.median(_timed(ts, values) for _ in range(5))
    line("trust pass over 1,000,000 readings, median of 5", f"{seconds:.2f} s", "3 s or less")


def _timed(ts: np.ndarray, values: np.ndarray) -> float:
    start = time.perf_counter()
    assert len(faults(ts, values, WATER)) > 100
    return time.perf_counter() - start


def _bare(path: Path, rows: list[tuple[int, int, float]]) -> float:
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA journal_mode = wal")
    connection.execute("PRAGMA synchronous = normal")
    connection.execute("CREATE TABLE reading (s INTEGER, ts INTEGER, raw REAL, PRIMARY KEY (s, ts)) WITHOUT ROWID")
    start = time.perf_counter()
    for first in range(0, len(rows), BATCH):
        with connection:
            connection.executemany("INSERT INTO reading VALUES (?, ?, ?)", rows[first : first + BATCH])
    seconds = time.perf_counter() - start
    connection.close()
    return len(rows) / seconds


def _http(folder: Path, rows: list[tuple[int, int, float]]) -> float:
    farms.farm(folder / "embalse.db", 1)
    limiter.enabled = False
    token = telemetry.register("bench", "", [])
    keeper = Keeper()
    keeper.start()
    server = create_server(create_app(Settings(data=str(folder))), host="127.0.0.1", port=0, threads=4)
    threading.Thread(target=server.run, daemon=True).start()
    url = f"http://127.0.0.1:{server.effective_port}/api/ingest"
    bodies = [
        json.dumps(
            {"readings": [{"channel": f"b0-{farms.DEPTHS[s - 1]}", "at": at, "value": v} for s, at, v in
                          rows[first : first + BATCH]]}
        ).encode()
        for first in range(0, len(rows), BATCH)
    ]  # fmt: skip
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    start = time.perf_counter()
    for body in bodies:
        with urllib.request.urlopen(urllib.request.Request(url, body, headers), timeout=60) as answer:
            report = json.load(answer)["report"]
        assert report["new"] == BATCH, report
    seconds = time.perf_counter() - start
    begun = time.perf_counter()
    while unjudged.unjudged():
        time.sleep(0.02)
    line("  all of it looked at after", f"{time.perf_counter() - begun:.2f} s", "none")
    keeper.stop()
    server.close()
    limiter.enabled = True
    database.close()
    return len(rows) / seconds
