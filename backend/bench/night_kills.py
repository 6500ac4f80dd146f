"""A night of sets with Embalse and the valve controller killed at random: nothing lost, doubled, or left open."""

import json
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from bench import farms
from bench.timing import line
from embalse.services.acting.stepping import step
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.planning.arming import arm
from embalse.services.planning.planned import planned_sets
from embalse.standins.valve_process import ask_valves
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.database import connection, database, open_database, transaction

KILLS = 20
ZONE = "Europe/Madrid"
STEP_S, PATIENCE_S = 60, 30.0
SETS = 14
TOKEN = "bench-token"


@dataclass
class NightReport:
    """What a night of kills left behind."""

    kills: int = 0
    box_kills: int = 0
    sets: int = 0
    done: int = 0
    opened_twice: int = 0
    open_too_long: int = 0
    doubled: int = 0
    lost: list[str] = field(default_factory=list)


def a_night(folder: Path, kills: int, box_kills: int, sets: int = SETS, seed: int = 1) -> NightReport:
    """Sets one after another through a night; whoever runs it is killed at random moments and started again."""
    chance, report = random.Random(seed), NightReport(sets=sets)
    start = _set_up(folder, sets)
    end = start + sets * 5400 + 3600
    port = _free_port()
    box = _box(folder, port)
    runner = _runner(folder, port, end)
    killed_at = time.monotonic() + chance.uniform(0.3, 1.0)
    while runner.poll() is None:
        time.sleep(0.01)
        if time.monotonic() < killed_at:
            continue
        if report.kills < kills:
            runner.send_signal(signal.SIGKILL)
            runner.wait()
            runner = _runner(folder, port, end)
            report.kills += 1
        if report.box_kills < box_kills:
            box.send_signal(signal.SIGKILL)
            box.wait()
            box = _box(folder, port)
            report.box_kills += 1
        killed_at = time.monotonic() + chance.uniform(0.3, 1.0)
    box.kill()
    box.wait()
    _look(folder, report)
    return report


def _set_up(folder: Path, count: int) -> int:
    farms.farm(folder / "embalse.db", 1)
    start = farms.NOW + 3600
    at = datetime.fromtimestamp(start, ZoneInfo(ZONE))
    sets = [
        {
            "key": f"s{n}", "block": "b0", "supply": "pump", "valve": f"V{n % 2}", "flow_m3_h": 60.0, "net_mm": 4.0,
            "gross_mm": 5.0, "start": (at + timedelta(minutes=90 * n)).isoformat(),
            "end": (at + timedelta(minutes=90 * n + 60)).isoformat(),
            "events": [{"at": at.isoformat(), "state": "approved", "by": "bench"}],
        }
        for n in range(count)
    ]  # fmt: skip
    document = {"embalse": 1, "supplies": [{"key": "pump", "flow_m3_h": 100.0}], "planned_sets": sets}
    apply_document(parse_document(json.dumps(document)))
    with transaction():
        entry = {"name": "box", "supply": "pump", "url": "http://127.0.0.1:1", "token": TOKEN, "valves": ["V0", "V1"]}
        store.put_controller("box", entry)
        farm_store.hold_clock(farms.NOW)
    arm("pump", True, True)
    database.close()
    config = {"token": TOKEN, "valves": {"V0": 60.0, "V1": 60.0}, "at": float(farms.NOW)}
    (folder / "valves.json").write_text(json.dumps(config), encoding="utf-8")
    return start


def _box(folder: Path, port: int) -> "subprocess.Popen[bytes]":
    command = [sys.executable, "-m", "embalse", "standin", "valves", "--port", str(port), "--folder", str(folder)]
    box = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    limit = time.monotonic() + PATIENCE_S
    while time.monotonic() < limit:
        try:
            ask_valves(f"http://127.0.0.1:{port}", TOKEN, "GET", "/v1/state")
            return box
        except OSError:
            time.sleep(0.02)
    raise TimeoutError("the controller did not start")


def _runner(folder: Path, port: int, end: int) -> "subprocess.Popen[bytes]":
    words = [sys.executable, "-m", "bench.night_kills", "run", str(folder), str(port), str(end)]
    return subprocess.Popen(words, env={**os.environ}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def run(folder: Path, port: int, end: int) -> None:
    """Let the night go on minute by minute, as the server's own thread does, until it is over or somebody kills it."""
    open_database(folder / "embalse.db")
    url = f"http://127.0.0.1:{port}"
    with connection():
        row = store.controllers()[0]
        with transaction():
            entry = {"name": row.name, "supply": row.supply, "url": url, "token": TOKEN, "valves": list(row.valves)}
            store.put_controller(row.key, entry)
        farm = farm_store.farm()
        now = farm.clock_at if farm is not None and farm.clock_at is not None else end
        while now < end:
            now += STEP_S
            _box_to(url, now)
            with transaction():
                farm_store.hold_clock(now)
            step(now)


def _box_to(url: str, now: int) -> None:
    limit = time.monotonic() + PATIENCE_S
    while time.monotonic() < limit:
        try:
            ask_valves(url, TOKEN, "PUT", "/standin/clock", {"at": now})
            return
        except OSError:
            time.sleep(0.02)


def _look(folder: Path, report: NightReport) -> None:
    open_database(folder / "embalse.db")
    memory: dict[str, Any] = json.loads((folder / "valves-memory.json").read_text(encoding="utf-8"))
    opened = Counter(e["command"].split("|")[0] for e in memory["events"] if e["what"] == "opened")
    report.opened_twice = sum(count - 1 for count in opened.values())
    report.open_too_long = _too_long(memory["events"]) + sum(v["since"] is not None for v in memory["valves"].values())
    kept = planned_sets(ZONE)
    report.done = sum(p.state in ("done", "cut short") for p in kept)
    report.lost = [p.key for p in kept if p.live or (p.key in opened) != (p.part.logged is not None)]
    logged = readings_store.sets("b0", farms.NOW, farms.NOW + 86400 * 2)
    report.doubled = len(logged) - len({s.start_at for s in logged}) + max(0, len(logged) - len(opened))


def _too_long(events: list[dict[str, Any]]) -> int:
    """Valves open longer than their planned hour and the two minutes they may."""
    since: dict[str, float] = {}
    found = 0
    for event in events:
        if event["what"] == "opened":
            since[event["valve"]] = event["at"]
        elif event["what"].startswith("closed") and event["valve"] in since:
            found += event["at"] - since.pop(event["valve"]) > 3600 + 120
    return found


def _free_port() -> int:
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        return int(asked.getsockname()[1])


def main() -> None:
    """Print what a night of kills left behind."""
    with tempfile.TemporaryDirectory() as folder:
        report = a_night(Path(folder), KILLS, KILLS)
        line(f"Night with {report.kills} kills of Embalse, {report.box_kills} of the controller", "", "20 and 20")
        line("  sets run, of those approved", f"{report.done} of {report.sets}", "all")
        line("  lost, doubled", f"{len(report.lost)}, {report.doubled}", "0, 0")
        line("  opened twice, open past their limit", f"{report.opened_twice}, {report.open_too_long}", "0, 0")
        database.close()


if __name__ == "__main__" and sys.argv[1:2] == ["run"]:
    run(Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
