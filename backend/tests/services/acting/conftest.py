"""A demonstration with the north well's controller in a thread, its clock moved by the test."""

import logging
import threading
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from werkzeug.serving import make_server

from embalse.config import Settings
from embalse.services.acting.stepping import step
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.planning.arming import arm
from embalse.services.planning.planned import PlannedSet, planned_set
from embalse.services.schema.water import PlannedSetPart, SetEventPart
from embalse.standins.valve_process import KEY, SUPPLY, ask_valves
from embalse.standins.valves import valves_app
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.database import transaction

ZONE = "Europe/Madrid"
EVENING = datetime(2026, 7, 14, 20, 30, tzinfo=ZoneInfo(ZONE))
VALVES = {"N1": 250.0, "N2": 200.0, "B-west": 260.0}
BLOCKS = {"N1": ("norte-1", 18.0), "N2": ("norte-2", 16.0), "B-west": ("bajo", 11.0)}


@dataclass
class Night:
    """A night with a controller: sets approved, time moved, faults switched on."""

    url: str
    token: str
    anew: Callable[[], None]

    def at(self, hours: float = 0.0) -> int:
        return int((EVENING + timedelta(hours=hours)).timestamp())

    def approve(
        self, valve: str, start_h: float, hours: float, pulses: int = 1, flowing_min: float | None = None
    ) -> str:
        block, area = BLOCKS[valve]
        start, end = EVENING + timedelta(hours=start_h), EVENING + timedelta(hours=start_h + hours)
        gross = VALVES[valve] * hours / (10 * area)
        part = PlannedSetPart(
            key=f"{block}-{start:%d%H%M}", block=block, supply=SUPPLY, valve=valve, start=start, end=end,
            flow_m3_h=VALVES[valve], area_ha=area, pulses=pulses, flowing_min=flowing_min, net_mm=0.9 * gross, gross_mm=gross,
            events=[SetEventPart(at=EVENING - timedelta(hours=8), state="approved", by="Inés")],
        )  # fmt: skip
        apply_document(FarmDocument(embalse=1, planned_sets=[part]))
        return part.key

    def arm(self) -> None:
        arm(SUPPLY, True, True)

    def faults(self, **faults: Any) -> None:
        ask_valves(self.url, self.token, "PUT", "/standin/faults", {"faults": faults})

    def go(self, to_h: float, every_min: float = 5, from_h: float | None = None) -> None:
        """Let time go on, Embalse looking every few minutes."""
        farm = farm_store.farm()
        assert farm is not None and farm.clock_at is not None
        now = farm.clock_at if from_h is None else self.at(from_h)
        while now < self.at(to_h):
            now = min(self.at(to_h), now + round(60 * every_min))
            with transaction():
                farm_store.hold_clock(now)
            ask_valves(self.url, self.token, "PUT", "/standin/clock", {"at": now})
            step(now)

    def set(self, key: str) -> PlannedSet:
        return planned_set(key, ZONE)

    def log(self) -> list[dict[str, Any]]:
        return list(ask_valves(self.url, self.token, "PUT", "/standin/peek", {})["events"])


@pytest.fixture
def night(demo: Settings, tmp_path: Path) -> Iterator[Night]:
    """The evening of the demonstration's day, the supply not armed yet."""
    box: list[Any] = []  # the last one answers

    def anew() -> None:
        """Another controller in its place: it knows nothing of what was."""
        memory = tmp_path / f"memory-{len(box)}.json"
        box.append(valves_app(memory, VALVES, "secret", float((EVENING - timedelta(hours=1)).timestamp())))

    def answers(environ: Any, start: Any) -> Any:
        return box[-1](environ, start)

    anew()
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server = make_server("127.0.0.1", 0, answers, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    url = f"http://127.0.0.1:{server.server_port}"
    with transaction():
        store.put_controller(KEY, {"name": "valve box", "supply": SUPPLY, "url": url, "token": "secret",
                                   "valves": list(VALVES)})  # fmt: skip
        farm_store.hold_clock(int((EVENING - timedelta(minutes=10)).timestamp()))
    found = Night(url, "secret", anew)
    yield found
    server.shutdown()
    thread.join()
