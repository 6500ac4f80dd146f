"""The kept Round, what a night of readings costs in the background, and how long a command takes to start."""

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

from bench import farms
from bench.timing import line, median_ms
from embalse.services.advice import kept_round
from embalse.services.intake import telemetry
from embalse.services.readings import judging
from embalse.store import farm as farm_store
from embalse.store.database import connection, database, transaction

NIGHT_H = 24
STARTS = 5


class Sent(NamedTuple):
    """A reading as a device sends it."""

    channel: str
    at: int
    value: float


def main() -> None:
    """Print the medians."""
    for blocks, aim in ((200, "60 ms or less"), (1000, "250 ms or less")):
        with tempfile.TemporaryDirectory() as folder:
            farms.farm(Path(folder) / "embalse.db", blocks)
            farms.fill(60)
            with connection():
                kept_round.round_json(None, with_working=False)
                asked = median_ms(lambda: kept_round.round_json(None, with_working=False), runs=20)
                line(f"Round kept, {blocks} blocks", f"{asked:.2f} ms", aim)
                if blocks == 200:
                    _night(blocks)
            database.close()
    for name, module in (("any command's list", "embalse.cli"), ("advise", "embalse.cli.advising")):
        line(f"start of the command line, {name}, median of {STARTS}", f"{_start_s(module):.2f} s", "0.6 s or less")


def _night(blocks: int) -> None:
    """A day's readings of all blocks at once: looked at and the Round made anew, as the keeper does it."""
    gateway = telemetry.gateway_of(telemetry.register("bench", "", []))
    with transaction():
        farm_store.hold_clock(farms.NOW + 3600 * NIGHT_H)
    judging.kept_up_by("bench")
    for number in range(blocks):
        sent = []
        for depth in farms.DEPTHS:
            values = farms.saw(NIGHT_H, number + depth).tolist()
            name = f"b{number}-{depth}"
            sent += [Sent(name, farms.NOW + 3600 * (n + 1), value) for n, value in enumerate(values)]
        assert telemetry.accept(gateway, sent).new == len(sent)
    begun = time.perf_counter()
    assert judging.judge_waiting() == blocks * len(farms.DEPTHS)
    looked = time.perf_counter()
    assert kept_round.renew() == 1
    done = time.perf_counter()
    judging.no_longer_kept_up_by("bench")
    each = 1000 * (done - begun) / blocks
    told = f"readings {1000 * (looked - begun) / blocks:.1f}, answer {1000 * (done - looked) / blocks:.1f}"
    line(f"a night's readings of {blocks} blocks, a block ({told})", f"{each:.1f} ms", "30 ms or less")


def _start_s(module: str) -> float:
    times = []
    for _ in range(STARTS):
        begun = time.perf_counter()
        subprocess.run([sys.executable, "-c", f"import {module}"], check=True)
        times.append(time.perf_counter() - begun)
    return statistics.median(times)
