"""Frames a second while the ladder of a running demonstration is dragged, with 25,000 points a trace.

The page's own answer is lengthened on its way to the browser, so nothing but the drawing is measured.
"""

import json
import os
import statistics
from itertools import pairwise

from bench.timing import line

POINTS = 25_000
URL = os.environ.get("EMBALSE_BENCH_URL", "http://127.0.0.1:8480")
DRAG_PX = 300
FRAMES = """() => new Promise((done) => {
  const svg = document.querySelector('svg[aria-label^="Water over time"]');
  const box = svg.getBoundingClientRect();
  const at = (type, x) => svg.dispatchEvent(new PointerEvent(type, {bubbles: true, clientX: x, clientY: box.top + 100,
    button: 0, buttons: 1, pointerId: 1}));
  const times = []; let step = 0; const begin = box.left + 380;
  at('pointerdown', begin);
  const frame = (now) => {
    times.push(now); step += 1;
    at('pointermove', begin - 150 + 150 * Math.cos(step / 12));
    if (step < 240) requestAnimationFrame(frame); else { at('pointerup', begin); done(times); }
  };
  requestAnimationFrame(frame);
})"""


def main() -> None:
    """Print the median frames a second while panning, zoomed in and seen whole."""
    from playwright.sync_api import Route, sync_playwright

    def longer(route: Route) -> None:
        answer = route.fetch()
        body = answer.json()
        if "stations" not in body or "times" not in body:
            route.fulfill(response=answer)
            return
        end = body["times"][-1]
        body["times"] = [end - 3600 * (POINTS - 1 - i) for i in range(POINTS)]
        for part in (body, *body["stations"]):
            known = part["storage_mm"] or [None]
            part["storage_mm"] = [known[i % len(known)] for i in range(POINTS)]
        for station in body["stations"]:
            for trace in station["traces"]:
                known = trace["theta"] or [None]
                trace["theta"] = [known[i % len(known)] for i in range(POINTS)]
        route.fulfill(response=answer, body=json.dumps(body))

    with sync_playwright() as play:
        browser = play.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.route("**/api/blocks/norte-1?*", longer)
        page.goto(f"{URL}/block/norte-1")
        page.get_by_text("Drag to move along.").wait_for()
        page.wait_for_timeout(1500)
        for name, steps in (("half of it shown", 2), ("a tenth of it shown", 4)):
            for _ in range(steps):
                page.get_by_role("button", name="nearer").click()
                page.wait_for_timeout(300)
            times = page.evaluate(FRAMES)
            gaps = [b - a for a, b in pairwise(times)]
            line(f"panning 9 traces of {POINTS} points, {name}: frames a second",
                 f"{1000 / statistics.median(gaps):.0f}", "50 or more")  # fmt: skip
        browser.close()
