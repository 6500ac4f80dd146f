"""Import of a 1,000,000-reading file end to end, against a bare csv and sqlite3 loop over the same file, turn about."""

import csv
import multiprocessing
import resource
import sqlite3
import statistics
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

from bench import farms
from bench.timing import line

ROUNDS = 5
ROWS = 166_667


def main() -> None:
    """Print the ratio and the peak memory."""
    with tempfile.TemporaryDirectory() as folder:
        path = write_file(Path(folder))
        pairs = [(_timed(_bare, path), _timed(_embalse, path)) for _ in range(ROUNDS)]
        ratios = [mine[0] / bare[0] for bare, mine in pairs]
        bare, mine = (statistics.median(p[i][0] for p in pairs) for i in (0, 1))
        memory = max(p[1][1] for p in pairs)
    line("import of 1,000,002 readings, bare loop", f"{bare:.2f} s", "none")
    line("import of 1,000,002 readings, end to end", f"{mine:.2f} s", "none")
    spread = f"{min(ratios):.2f} to {max(ratios):.2f}"
    line(f"ratio, median of {ROUNDS} pairs ({spread})", f"{statistics.median(ratios):.2f}", "2.0 or less")
    line("peak memory of the importing process", f"{memory:.0f} MB", "200 MB or less")


def write_file(folder: Path) -> Path:
    """A logger file with six sensors every quarter of an hour."""
    start = datetime.fromtimestamp(farms.NOW, UTC) - timedelta(minutes=15 * (ROWS - 1))
    columns = [farms.saw(ROWS, seed) for seed in range(6)]
    path = folder / "million.csv"
    with path.open("w") as stream:
        stream.write("time," + ",".join(f"b0-{d}" for d in farms.DEPTHS) + "\n")
        for row in range(ROWS):
            moment = start + timedelta(minutes=15 * row)
            stream.write(f"{moment:%Y-%m-%d %H:%M:%S}," + ",".join(f"{c[row]:.4f}" for c in columns) + "\n")
    return path


def _timed(work, path: Path) -> tuple[float, float]:  # type: ignore[no-untyped-def]
    """Seconds and peak memory [MB] of the work in a process of its own."""
    context = multiprocessing.get_context("spawn")
    receive, send = context.Pipe(duplex=False)
    process = context.Process(target=_child, args=(work, path, send))
    process.start()
    answer: tuple[float, float] = receive.recv()
    process.join()
    return answer


def _child(work, path: Path, send) -> None:  # type: ignore[no-untyped-def]
    with tempfile.TemporaryDirectory() as folder:
        seconds = work(path, Path(folder))
    send.send((seconds, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024))


def _bare(path: Path, folder: Path) -> float:
    connection = sqlite3.connect(folder / "bare.db")
    connection.execute("PRAGMA journal_mode = wal")
    connection.execute("PRAGMA synchronous = normal")
    connection.execute(
        "CREATE TABLE reading (sensor_id INTEGER, ts INTEGER, raw REAL, PRIMARY KEY (sensor_id, ts)) WITHOUT ROWID"
    )
    start = time.perf_counter()
    with path.open(newline="") as stream, connection:
        rows = csv.reader(stream)
        next(rows)
        batch = []
        for row in rows:
            ts = int(datetime.fromisoformat(row[0]).replace(tzinfo=UTC).timestamp())
            batch.extend((sensor, ts, float(cell)) for sensor, cell in enumerate(row[1:]))
            if len(batch) >= 20_000:
                connection.executemany("INSERT INTO reading VALUES (?, ?, ?)", batch)
                batch = []
        connection.executemany("INSERT INTO reading VALUES (?, ?, ?)", batch)
    seconds = time.perf_counter() - start
    count = connection.execute("SELECT count(*) FROM reading").fetchone()[0]
    assert count == 6 * ROWS
    connection.close()
    return seconds


def _embalse(path: Path, folder: Path) -> float:
    from embalse.ingest.layout import inspect_file
    from embalse.services.intake.import_plan import plan_by_names
    from embalse.services.intake.imports import run_import
    from embalse.store import farm as farm_store
    from embalse.store.database import database

    farms.farm(folder / "farm.db", 1)
    start = time.perf_counter()
    plan = plan_by_names(inspect_file(path), farm_store.sensors(), "UTC")
    assert plan is not None
    report = run_import(path, path.name, plan)
    seconds = time.perf_counter() - start
    assert report.status == "done" and report.readings_new == 6 * ROWS, report.message
    database.close()
    return seconds
