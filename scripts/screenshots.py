#!/usr/bin/env python3
"""Pictures of the main views from the demonstration, into docs/screenshots; run by ``make screenshots``."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
EMBALSE = ROOT / ".venv" / "bin" / "embalse"
TARGET = ROOT / "docs" / "screenshots"
PORT = 8479
PLACES = {
    "plan": "plan",
    "water": "setup/water",
    "stations": "stations",
    "station": "stations/ladera/a",
    "what-to-measure": "stations/plan/norte-1",
    "calibration": "bench/sheet/ladera-2026",
    "marks": "block/norte-1/marks",
    "tension": "block/bajo/tension",
    "growth": "block/vega/growth",
    "season": "block/norte-2/season",
    "map": "block/loma/map",
    "audit": "block/norte-2/audit",
}
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-sync",
]


def main() -> None:
    """Every picture, or with an address only that page of the demonstration, as picture.png."""
    if len(sys.argv) > 1:
        one(sys.argv[1])
        return
    everything()


def one(address: str) -> None:
    """A page of the demonstration in ``var`` (made if it is not there) as picture.png."""
    data = Path(os.environ.get("EMBALSE_DATA", ROOT / "var"))
    subprocess.run(
        [EMBALSE, "demo"], env={**os.environ, "EMBALSE_DATA": str(data)}, check=True
    )
    server = _serve(data, PORT)
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", args=FLAGS
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"http://127.0.0.1:{PORT}/{address}")
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(300)
            page.screenshot(path=ROOT / "picture.png")
            browser.close()
    finally:
        server.terminate()


def everything() -> None:
    """Serve a fresh demonstration and an empty farm, and take every picture."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        demo, empty = Path(folder) / "demo", Path(folder) / "empty"
        for data, command, port in ((demo, "demo", PORT), (empty, "init", PORT + 1)):
            environment = {
                **os.environ,
                "EMBALSE_DATA": str(data),
                "EMBALSE_PORT": str(port),
            }
            subprocess.run(
                [EMBALSE, command],
                env=environment,
                check=True,
                stdout=subprocess.DEVNULL,
            )
        servers = [_serve(demo, PORT), _serve(empty, PORT + 1)]
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path="/usr/bin/chromium", args=FLAGS
                )
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                _desk(page, f"http://127.0.0.1:{PORT}", demo)
                _make_owner(page, f"http://127.0.0.1:{PORT + 1}", empty)
                _take(page, f"http://127.0.0.1:{PORT + 1}/", "first-steps")
                page.set_viewport_size({"width": 390, "height": 844})
                _tonight(page, f"http://127.0.0.1:{PORT}")
                _take(page, f"http://127.0.0.1:{PORT}/handheld", "by-hand-phone")
                _installing(page, f"http://127.0.0.1:{PORT}")
                browser.close()
        finally:
            for server in servers:
                server.terminate()


def _serve(data: Path, port: int) -> subprocess.Popen[bytes]:
    environment = {**os.environ, "EMBALSE_DATA": str(data), "EMBALSE_PORT": str(port)}
    with (data / "said.txt").open("w") as said:
        server = subprocess.Popen(
            [EMBALSE, "serve"],
            env={**environment, "PYTHONUNBUFFERED": "1"},
            stdout=said,
        )
    for _ in range(600):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/session", timeout=1)
            return server
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("the server did not start")


def _make_owner(page: Page, base: str, data: Path) -> None:
    code = (data / "said.txt").read_text().split("/first#")[1].split()[0]
    page.goto(f"{base}/first#{code}")
    page.get_by_label("Your name").fill("Inés")
    page.get_by_label("Name to sign in with").fill("ines")
    page.get_by_label("Password").fill("three brown hens")
    page.get_by_role("button", name="Make the owner and sign in").click()
    page.get_by_role("link", name="Inés").wait_for()


def _desk(page: Page, base: str, demo: Path) -> None:
    _take(page, f"{base}/", "round")
    _tab(page, f"{base}/block/circulo", "Demand", "block")
    for name, address in PLACES.items():
        _take(page, f"{base}/{address}", name)
    page.goto(f"{base}/import")
    page.set_input_files("input[type=file]", demo / "demo" / "olivar.csv")
    page.get_by_text("How it is read").wait_for()
    page.wait_for_load_state("networkidle")
    page.screenshot(path=TARGET / "import.png")


def _tab(page: Page, address: str, tab: str, name: str) -> None:
    page.goto(address)
    page.get_by_role("tab", name=tab).click()
    page.wait_for_load_state("networkidle")
    page.get_by_role("heading", level=1).click()
    page.wait_for_timeout(800)
    page.screenshot(path=TARGET / f"{name}.png")


def _installing(page: Page, base: str) -> None:
    """A station planned, begun and left at its third step, on a phone."""
    sensors = [
        {"depth_cm": d, "type": "granular matrix sensor", "raw_unit": "kPa"}
        for d in (25, 60)
    ]
    block = {"key": "norte-2", "area_ha": 16, "crop": "almond", "soil": "norte"}
    run = {
        "key": "new",
        "procedure": "hole",
        "station": "norte-2/pair",
        "started": "2026-07-14T05:30",
        "done": {
            s: {"at": "2026-07-14T05:40", "who": "Inés"} for s in ("services", "day")
        },
    }
    run["done"]["place"] = {
        "at": "2026-07-14T05:45",
        "longitude": -15.19,
        "latitude": 38.4077,
    }
    run["done"]["60:wet"] = run["done"]["day"]
    body = {
        "embalse": 1,
        "blocks": [
            {
                **block,
                "stations": [{"key": "pair", "name": "pair C", "sensors": sensors}],
            }
        ],
        "procedure_runs": [run],
    }
    token = page.request.get(f"{base}/api/session").json()["csrf_token"]
    page.request.post(f"{base}/api/farm", data=body, headers={"X-CSRF-Token": token})
    _take(page, f"{base}/run/new", "installing-phone")


def _tonight(page: Page, base: str) -> None:
    """Tonight's sets approved, as a field hand sees them on a phone."""
    token = page.request.get(f"{base}/api/session").json()["csrf_token"]
    plan = page.request.get(f"{base}/api/plan?days=1").json()
    sets = [
        {"key": s["key"], "start": s["start"]}
        for s in plan["sets"]
        if s["state"] == "proposed" and s["tonight"]
    ]
    body = {"plan": plan["id"], "days": 1, "sets": sets}
    page.request.post(
        f"{base}/api/plan/approve", data=body, headers={"X-CSRF-Token": token}
    )
    _take(page, f"{base}/tonight", "tonight-phone")


def _take(page: Page, address: str, name: str) -> None:
    page.goto(address)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(300)
    page.screenshot(path=TARGET / f"{name}.png")


if __name__ == "__main__":
    main()
