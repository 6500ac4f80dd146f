"""The whole farm out and back: ten million readings as a package, in time, memory and identity."""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench import farms
from bench.timing import line
from embalse.store import farm as farm_store
from embalse.store.database import database, transaction
from embalse.store.models import ImportJob

READINGS = 10_000_000
OUT = """
import sys, resource
from pathlib import Path
from embalse.services.document.package import write_package
from embalse.store.database import open_database
open_database(Path(sys.argv[1]))
with open(sys.argv[2], "wb") as file:
    write_package(file, Path(sys.argv[1]))
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""
BACK = """
import sys, resource
from pathlib import Path
from embalse.services.document.package import read_package
from embalse.store.database import open_database
open_database(Path(sys.argv[1]))
with open(sys.argv[2], "rb") as file:
    read_package(file, Path(sys.argv[1]).with_name("part"))
print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)
"""


def _run(script: str, *arguments: Path) -> tuple[float, int]:
    start = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-c", script, *map(str, arguments)], check=True, capture_output=True, text=True
    )
    return time.perf_counter() - start, int(done.stdout)


def _filled(path: Path) -> int:
    farms.farm(path, 1)
    job, _ = ImportJob.get_or_create(file_name="bench", sha256="", status="done", started_at=0)
    sensors = [s.id for s in farm_store.sensors()]
    each = READINGS // len(sensors)
    with transaction():
        for sensor in sensors:
            rows = ((sensor, 900 * n, 0.2 + 0.0001 * (n % 997), job.id) for n in range(each))
            database.connection().executemany("INSERT OR IGNORE INTO reading VALUES (?, ?, ?, ?)", rows)
    return int(database.execute_sql("SELECT count(*) FROM reading").fetchone()[0])


def main() -> None:
    """Print seconds and peak memory out and back, the size, and whether the second package is the first."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        here, there = folder / "here" / "embalse.db", folder / "there" / "embalse.db"
        here.parent.mkdir()
        there.parent.mkdir()
        count = _filled(here)
        database.close()
        first, second = folder / "first.zip", folder / "second.zip"
        out = _run(OUT, here, first)
        back = _run(BACK, there, first)
        _run(OUT, there, second)
        same = first.read_bytes() == second.read_bytes()
        size = first.stat().st_size / 1e6
    line(f"package of {count / 1e6:.1f} million readings, out", f"{out[0]:.0f} s, {out[1]} MB", "constant memory")
    line("  back", f"{back[0]:.0f} s, {back[1]} MB", "constant memory")
    line("  size", f"{size:.0f} MB", "none")
    line("  the second package is the first", "yes" if same else "NO", "yes")


if __name__ == "__main__":
    main()
