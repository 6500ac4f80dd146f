"""A fresh farm in a temporary file for each test, and the demonstration made once for all."""

import copy
import shutil
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from hypothesis import settings as hypothesis_settings

from embalse.config import Settings
from embalse.services.document.apply import ApplyReport, apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.standins.demo import ensure_demo
from embalse.store import farm as farm_store
from embalse.store.database import database, open_database, transaction

hypothesis_settings.register_profile("embalse", deadline=None)  # a busy machine is no fault of the code
hypothesis_settings.load_profile("embalse")

CLOCK = int(datetime(2026, 7, 14, 4, tzinfo=UTC).timestamp())

PLAIN_FARM: dict[str, Any] = {
    "embalse": 1,
    "farm": {"name": "Test farm", "time_zone": "Europe/Madrid", "units": "metric"},
    "soils": [
        {"key": "loam", "horizons": [{"top_cm": 0, "bottom_cm": 120, "texture": "loam", "organic_matter_pct": 2.5}]}
    ],
    "systems": [{"key": "drip", "kind": "drip", "efficiency_fraction": 0.9, "rate_mm_h": 2.0}],
    "blocks": [
        {
            "key": "one",
            "name": "One",
            "area_ha": 10,
            "crop": "tomato",
            "soil": "loam",
            "system": "drip",
            "root_depth_cm": 60,
            "allowable_depletion_fraction": 0.4,
            "wetted_fraction": 0.5,
            "stations": [
                {"key": "a", "sensors": [{"depth_cm": d, "channel": f"one-{d}"} for d in (10, 30, 50)]},
            ],
        }
    ],
}


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Keep the browser tests on one worker; refuse an outside check that names no source."""
    for item in items:
        if item.get_closest_marker("e2e"):
            item.add_marker(pytest.mark.xdist_group("browser"))
        marker = item.get_closest_marker("published")
        if marker is not None and not str(marker.kwargs.get("source", "")).strip():
            raise pytest.UsageError(f"{item.nodeid} is marked published and names no source")


@pytest.fixture
def settings(tmp_path: Path) -> Settings:
    return Settings(data=str(tmp_path))


@pytest.fixture
def empty(settings: Settings) -> Iterator[Settings]:
    """An empty database, open."""
    open_database(settings.database)
    yield settings
    if not database.is_closed():
        database.close()


@pytest.fixture
def plain() -> dict[str, Any]:
    """A small farm document to change at will."""
    return copy.deepcopy(PLAIN_FARM)


def put(document: dict[str, Any]) -> ApplyReport:
    return apply_document(FarmDocument.model_validate(document))


@pytest.fixture
def farm(empty: Settings, plain: dict[str, Any]) -> Settings:
    """The small farm, stored, with its clock held at 06:00 on 14 July 2026."""
    put(plain)
    with transaction():
        farm_store.hold_clock(CLOCK)
    return empty


@pytest.fixture
def logger_file(tmp_path: Path) -> Callable[..., Path]:
    """Writes an hourly file of the plain farm that dries by ``use`` m³/m³ a day from ``start``."""

    def write(
        days: int = 10,
        start: float = 0.27,
        use: float = 0.006,
        name: str = "one.csv",
        columns: str = "one-10,one-30,one-50",
    ) -> Path:
        first = datetime(2026, 7, 14, 4, tzinfo=UTC) - timedelta(days=days)
        lines = [f"time,{columns}"]
        for hour in range(24 * days + 1):
            moment = first + timedelta(hours=hour + 2)
            theta = start - use * hour / 24
            lines.append(f"{moment:%Y-%m-%d %H:%M}," + ",".join([f"{theta:.5f}"] * (columns.count(",") + 1)))
        path = tmp_path / name
        path.write_text("\n".join(lines) + "\n")
        return path

    return write


@pytest.fixture(scope="session")
def demo_data(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Path:
    """The demonstration's folder, made once for all workers."""
    import fcntl

    shared = tmp_path_factory.getbasetemp()
    shared = (shared if worker_id == "master" else shared.parent) / "demo-data"
    shared.mkdir(exist_ok=True)
    with (shared / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        ensure_demo(shared, shared / "embalse.db", reset=False, say=lambda _: None)
        database.close()
    return shared


@pytest.fixture
def demo(demo_data: Path, tmp_path: Path) -> Iterator[Settings]:
    """A copy of the demonstration, open."""
    shutil.copy(demo_data / "embalse.db", tmp_path / "embalse.db")
    chosen = Settings(data=str(tmp_path))
    open_database(chosen.database)
    yield chosen
    if not database.is_closed():
        database.close()


@pytest.fixture
def served_url(farm: Settings) -> Iterator[str]:
    """The small farm behind a real server on a free port."""
    import threading

    from waitress.server import create_server

    from embalse.app import create_app

    server = create_server(create_app(farm), host="127.0.0.1", port=0, threads=4)
    from tests.e2e.conftest import run_until_closed

    thread = threading.Thread(target=run_until_closed, args=(server,), daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.effective_port}"
    server.close()
