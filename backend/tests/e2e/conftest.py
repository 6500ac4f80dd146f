"""A real server on a free port and a real browser that refuses to leave the machine."""

import contextlib
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from waitress.server import create_server

from embalse.app import create_app
from embalse.config import Settings
from embalse.core.access.roles import Role
from tests.web import sits_here

CHROMIUM = "/usr/bin/chromium"
PATIENCE_MS = 25_000
"""Two browsers and two servers share a small machine here: how long a page takes is for the benchmarks to say."""
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
AXE = Path(__file__).resolve().parents[3] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"


@pytest.fixture(scope="session")
def browser_here() -> Iterator[Browser]:
    expect.set_options(timeout=PATIENCE_MS)
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield browser
        browser.close()


def run_until_closed(server: Any) -> None:
    """Serve until another thread closes the sockets; the loop may be waiting on them just then."""
    with contextlib.suppress(OSError):
        server.run()


@pytest.fixture
def served() -> Iterator[Callable[..., str]]:
    servers = []

    def serve(settings: Settings, role: Role | None = "owner", first_code: str = "") -> str:
        if role is not None:
            sits_here(role)
        server = create_server(create_app(settings, first_code), host="127.0.0.1", port=0, threads=4)
        threading.Thread(target=run_until_closed, args=(server,), daemon=True).start()
        servers.append(server)
        return f"http://127.0.0.1:{server.effective_port}"

    yield serve
    for server in servers:
        server.task_dispatcher.shutdown()  # what a page still asks for is answered before the door closes
        server.close()


@pytest.fixture
def page(browser_here: Browser, served: Callable[..., str]) -> Iterator[Page]:
    """A page that fails the test on a console error, a script error or a request to another machine.

    It asks for ``served`` so that it is closed before the server is.
    """
    context = browser_here.new_context(viewport={"width": 1280, "height": 800})
    found = context.new_page()
    troubles: list[str] = []
    found.on("console", lambda m: troubles.append(m.text) if m.type == "error" and "422" not in m.text else None)
    found.on("pageerror", lambda e: troubles.append(str(e)))
    found.on("request", lambda r: troubles.append(r.url) if not r.url.startswith("http://127.0.0.1:") else None)
    yield found
    context.close()
    assert troubles == []


def accessibility_faults(page: Page) -> list[str]:
    """What axe finds wrong, of any impact; run from the page's own origin, as its policy wants."""
    if not page.evaluate("typeof axe === 'object'"):
        page.evaluate(AXE.read_text(encoding="utf-8"))
    result = page.evaluate("() => axe.run(document, {resultTypes: ['violations']})")
    return [f"{v['id']}: {v['nodes'][0]['html'][:160]}" for v in result["violations"]]
