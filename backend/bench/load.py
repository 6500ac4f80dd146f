"""Fifty people and the devices of a farm of 200 blocks at once, and what an import of three million readings does."""

import json
import statistics
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

from bench import farms
from bench.kills import serve
from bench.timing import line
from embalse.services.admin.people import make_demo_people
from embalse.services.intake import telemetry
from embalse.services.intake.import_plan import ImportPlan, PlanColumn
from embalse.store.database import database

BLOCKS, CLIENTS, SECONDS = 200, 50, 10.0
ROWS = 500_000
"""Rows of six sensors in the file that is read in meanwhile: three million readings."""


@dataclass
class Times:
    """How long answers took [s], and how many failed."""

    seconds: list[float] = field(default_factory=list)
    failed: int = 0

    def p95_ms(self) -> float:
        """The time within which 95 of 100 answers came [ms]."""
        return 1000 * statistics.quantiles(self.seconds, n=20)[-1] if len(self.seconds) > 1 else float("nan")

    def worst_s(self) -> float:
        """The longest time [s]."""
        return max(self.seconds, default=float("nan"))


def asked_again(ask: Callable[[], None], until: Callable[[], bool], clients: int, pause_s: float = 0.0) -> Times:
    """Ask from so many threads over and over until told to stop."""
    times, lock = Times(), threading.Lock()

    def run() -> None:
        while not until():
            begun = time.perf_counter()
            try:
                ask()
            except OSError:
                with lock:
                    times.failed += 1
                continue
            with lock:
                times.seconds.append(time.perf_counter() - begun)
            time.sleep(pause_s)

    threads = [threading.Thread(target=run) for _ in range(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return times


def main() -> None:
    """Print rates and times."""
    with tempfile.TemporaryDirectory() as folder:
        data = Path(folder)
        farms.farm(data / "embalse.db", BLOCKS)
        farms.fill(60)
        token = telemetry.register("bench", "", [])
        make_demo_people([("bench", "Bench", "owner", True)])
        database.close()
        server, port = serve(data)
        try:
            _measure(f"http://127.0.0.1:{port}", data, token)
        finally:
            server.terminate()
            server.wait()


def _measure(base: str, data: Path, token: str) -> None:
    _up(base)
    _get(f"{base}/api/round")
    end = time.monotonic() + SECONDS
    rounds = asked_again(lambda: _get(f"{base}/api/round"), lambda: time.monotonic() > end, CLIENTS)
    rate = len(rounds.seconds) / SECONDS
    line(f"Rounds of {BLOCKS} blocks, {CLIENTS} clients at once", f"{rate:.0f} a second", "60 or more")
    line("  95 of 100 came within", f"{rounds.p95_ms():.0f} ms", "400 ms or less")
    _during_an_import(base, data, token)


def _during_an_import(base: str, data: Path, token: str) -> None:
    job = _start_import(base, data)
    begun = time.perf_counter()

    def over() -> bool:
        return bool(found)

    found: list[dict[str, object]] = []
    watcher = threading.Thread(target=lambda: found.append(_finished(base, job)))
    watcher.start()
    results: dict[str, Times] = {}
    batch = iter(range(10**9))
    asks: dict[str, Callable[[], None]] = {
        "Rounds": lambda: _get(f"{base}/api/round"),
        "block pages": lambda: _get(f"{base}/api/blocks/b7?days=28"),
        "batches": lambda: _send(base, token, next(batch)),
    }
    threads = [
        threading.Thread(target=lambda n=name, a=ask: results.update({n: asked_again(a, over, 1, 0.2)}))
        for name, ask in asks.items()
    ]
    for thread in (*threads, watcher):
        if not thread.is_alive():
            thread.start()
    for thread in threads:
        thread.join()
    took = time.perf_counter() - begun
    report = found[0]
    line(f"import of {6 * ROWS:,} readings meanwhile", f"{took:.1f} s, {report.get('status')}", "none")
    line("  Rounds, longest", f"{results['Rounds'].worst_s():.2f} s", "1 s or less")
    line("  block pages, longest", f"{results['block pages'].worst_s():.2f} s", "1 s or less")
    failed = results["batches"].failed
    line("  batches accepted, longest", f"{results['batches'].worst_s():.2f} s, {failed} refused", "2 s or less, 0")


def _up(base: str) -> None:
    for _ in range(400):
        try:
            return _get(f"{base}/api/session")
        except OSError:
            time.sleep(0.05)
    raise TimeoutError("the server did not start")


_signed_in: dict[str, str] = {}
"""The cookie of the person who asks, once signed in."""


def _get(address: str) -> None:
    with urllib.request.urlopen(urllib.request.Request(address, headers=_signed_in), timeout=60) as answer:
        body = answer.read()
        cookie = answer.headers.get("Set-Cookie")
        if cookie and not _signed_in:
            _signed_in["Cookie"] = cookie.split(";", maxsplit=1)[0]
            _signed_in["X-CSRF-Token"] = json.loads(body)["csrf_token"]


def _post(address: str, body: object, headers: dict[str, str] | None = None) -> dict[str, object]:
    data = body if isinstance(body, bytes) else json.dumps(body).encode()
    asked = urllib.request.Request(
        address,
        data,
        {
            "Content-Type": "application/json",
            "Origin": address.split("/api", maxsplit=1)[0],
            **_signed_in,
            **(headers or {}),
        },
    )
    try:
        with urllib.request.urlopen(asked, timeout=60) as answer:
            found: dict[str, object] = json.load(answer)
            return found
    except urllib.error.HTTPError as refused:
        if refused.code in (409, 429):
            raise
        raise RuntimeError(f"{address}: {refused.read()[:300]!r}") from refused


def _send(base: str, token: str, number: int) -> None:
    at = farms.NOW - 86400 * 59 - 60 * (number + 1) - 7
    _post(
        f"{base}/api/ingest",
        {"readings": [{"channel": "b5-10", "at": at, "value": 0.2}]},
        {"Authorization": f"Bearer {token}"},
    )


def _start_import(base: str, data: Path) -> str:
    columns = [PlanColumn(column=f"b0-{d}", sensor=f"b0/a/{d}") for d in farms.DEPTHS]
    plan = ImportPlan(time_zone="UTC", date_order="ymd", columns=columns)
    path = _file(data)
    boundary = "----bench"
    head = f'--{boundary}\r\nContent-Disposition: form-data; name="file"; filename="big.csv"\r\n\r\n'.encode()
    body = head + path.read_bytes() + f"\r\n--{boundary}--\r\n".encode()
    upload = _post(f"{base}/api/files", body, {"Content-Type": f"multipart/form-data; boundary={boundary}"})
    started = _post(f"{base}/api/files/{upload['token']}/import", {"plan": plan.model_dump(mode="json")})
    return str(started["token"])


def _finished(base: str, token: str) -> dict[str, object]:
    while True:
        try:
            asked = urllib.request.Request(f"{base}/api/imports/running/{token}", headers=_signed_in)
            with urllib.request.urlopen(asked, timeout=60) as answer:
                found = json.load(answer)
        except OSError:
            time.sleep(0.1)
            continue
        if found.get("report") or found.get("error"):
            return dict(found.get("report") or {"status": found["error"]})
        time.sleep(0.1)


def _file(folder: Path) -> Path:
    start = datetime.fromtimestamp(farms.NOW, UTC) - timedelta(minutes=5 * (ROWS - 1))
    columns = [farms.saw(ROWS, seed) for seed in range(6)]
    path = folder / "big.csv"
    with path.open("w") as stream:
        stream.write("time," + ",".join(f"b0-{d}" for d in farms.DEPTHS) + "\n")
        for row in range(ROWS):
            moment = start + timedelta(minutes=5 * row, seconds=13)
            stream.write(f"{moment:%Y-%m-%d %H:%M:%S}," + ",".join(f"{c[row]:.4f}" for c in columns) + "\n")
    return path


if __name__ == "__main__":
    main()
