"""The demonstration's valve controller: entered once, started beside the server, moved on with its clock."""

import atexit
import json
import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path
from typing import Any, Final

from embalse.services.acting.entering import new_token
from embalse.standins.demo_farm import END
from embalse.standins.demo_planning import VALVES
from embalse.store import controllers as store
from embalse.store.database import connection, transaction

KEY: Final = "caseta"
NAME: Final = "valve box at the north well"
SUPPLY: Final = "pozo"
CONFIG, MEMORY = "valves.json", "valves-memory.json"
TIMEOUT_S: Final = 10.0
PATIENCE_S: Final = 20.0
NOWHERE: Final = "http://127.0.0.1:1"


def enter_valves(folder: Path) -> None:
    """Enter the north well's controller on the farm; its token stays beside the stand-in that uses it."""
    token = new_token()
    path = folder / CONFIG
    path.write_text(json.dumps({"token": token, "valves": VALVES, "at": END.timestamp()}), encoding="utf-8")
    path.chmod(0o600)
    (folder / MEMORY).unlink(missing_ok=True)
    _enter(NOWHERE, token)


def _enter(url: str, token: str) -> None:
    with transaction():
        entry = {"name": NAME, "supply": SUPPLY, "url": url, "token": token, "valves": list(VALVES)}
        store.put_controller(KEY, entry)


def start_valves(folder: Path) -> "subprocess.Popen[bytes] | None":
    """Start the stand-in of a demonstration as a process of its own; None where there is no demonstration."""
    path = folder / CONFIG
    if not path.exists():
        return None
    config = json.loads(path.read_text(encoding="utf-8"))
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        port = int(asked.getsockname()[1])
    command = [sys.executable, "-m", "embalse", "standin", "valves", "--port", str(port), "--folder", str(folder)]
    command += ["--parent", str(os.getpid())]
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    atexit.register(process.terminate)
    url = f"http://127.0.0.1:{port}"
    with connection():
        _enter(url, config["token"])
    _wait(url, config["token"])
    return process


def _wait(url: str, token: str) -> None:
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        try:
            ask_valves(url, token, "GET", "/v1/state")
            return
        except OSError:
            time.sleep(0.05)


def ask_valves(url: str, token: str, method: str, path: str, body: dict[str, Any] | None = None) -> dict[str, Any]:
    """Ask the stand-in something; raises OSError where it does not answer."""
    data = None if body is None else json.dumps(body).encode()
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    opener = urllib.request.build_opener(urllib.request.ProxyHandler({}))
    with opener.open(urllib.request.Request(url + path, data, headers, method=method), timeout=TIMEOUT_S) as answer:
        return dict(json.load(answer))


class ValveClock:
    """Moves the stand-in's clock with the farm's; does nothing where it is not reached."""

    def __init__(self) -> None:
        row = next((r for r in store.controllers() if r.key == KEY), None)
        self._where = None if row is None or row.url == NOWHERE else (row.url, row.token)

    def to(self, at: int) -> bool:
        """Let the stand-in's time go on to an instant [s, UTC]; returns whether it did."""
        if self._where is None:
            return False
        try:
            ask_valves(*self._where, "PUT", "/standin/clock", {"at": at})
        except OSError:
            return False
        return True
