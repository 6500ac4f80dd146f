"""Reading any page leaves the farm's file as it is."""

import contextlib
import sqlite3

from embalse.config import Settings
from tests.conftest import put
from tests.web import client_of


def test_reading_any_page_writes_nothing(demo: Settings) -> None:
    pages = client_of(demo, "manager")
    document = pages.get("/openapi.json").json
    assert document is not None
    paths = [p for p, methods in document["paths"].items() if "get" in methods]
    pages.get("/api/round")
    with contextlib.closing(sqlite3.connect(demo.database)) as watching:
        before = watching.execute("PRAGMA data_version").fetchone()
        for path in paths:
            for address in (
                path.replace("{key}", "olivar"),
                path.replace("{key}", "olivar") + "?as_of=2026-06-20T06:00",
            ):
                if "{" not in address:
                    assert pages.get(address).status_code < 500, address
            assert watching.execute("PRAGMA data_version").fetchone() == before, path
        put({"embalse": 1, "rain": [{"day": "2026-07-13", "depth_mm": 9}]})
        assert watching.execute("PRAGMA data_version").fetchone() != before
