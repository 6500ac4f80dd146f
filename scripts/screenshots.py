#!/usr/bin/env python3
"""Pictures of the main views from the demonstration, into docs/screenshots; run by ``make screenshots``."""

import os
import subprocess
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
EMBALSE = ROOT / ".venv" / "bin" / "embalse"
TARGET = ROOT / "docs" / "screenshots"
PORT = 8479
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-sync"]


def main() -> None:
    """Serve a fresh demonstration and an empty farm, and take every picture."""
    TARGET.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        demo, empty = Path(folder) / "demo", Path(folder) / "empty"
        for data, command, port in ((demo, "demo", PORT), (empty, "init", PORT + 1)):
            environment = {**os.environ, "EMBALSE_DATA": str(data), "EMBALSE_PORT": str(port)}
            subprocess.run([EMBALSE, command], env=environment, check=True, stdout=subprocess.DEVNULL)
        servers = [_serve(demo, PORT), _serve(empty, PORT + 1)]
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                _desk(page, f"http://127.0.0.1:{PORT}", demo)
                _take(page, f"http://127.0.0.1:{PORT + 1}/", "first-steps")
                _take(page, f"http://127.0.0.1:{PORT + 1}/setup", "setup")
                page.set_viewport_size({"width": 390, "height": 844})
                _take(page, f"http://127.0.0.1:{PORT}/", "round-phone")
                browser.close()
        finally:
            for server in servers:
                server.terminate()


def _serve(data: Path, port: int) -> subprocess.Popen[bytes]:
    environment = {**os.environ, "EMBALSE_DATA": str(data), "EMBALSE_PORT": str(port)}
    server = subprocess.Popen([EMBALSE, "serve"], env=environment, stdout=subprocess.DEVNULL)
    for _ in range(100):
        try:
            urllib.request.urlopen(f"http://127.0.0.1:{port}/api/farm", timeout=1)
            return server
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("the server did not start")


def _desk(page: Page, base: str, demo: Path) -> None:
    _take(page, f"{base}/", "round")
    _take(page, f"{base}/block/norte-1", "block")
    _take(page, f"{base}/block/ladera", "block-dry-subsoil")
    page.get_by_role("button", name="Change Efficiency").click()
    page.get_by_label("What if Efficiency were").fill("0.70")
    page.keyboard.press("Enter")
    page.get_by_text("Then: ").wait_for()
    page.screenshot(path=TARGET / "what-if.png")
    page.goto(f"{base}/import")
    page.set_input_files("input[type=file]", demo / "demo" / "olivar.csv")
    page.get_by_text("How it is read").wait_for()
    page.wait_for_load_state("networkidle")
    page.screenshot(path=TARGET / "import.png")


def _take(page: Page, address: str, name: str) -> None:
    page.goto(address)
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(300)
    page.screenshot(path=TARGET / f"{name}.png")


if __name__ == "__main__":
    main()
