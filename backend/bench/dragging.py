"""Frames a second while a set is dragged over the plan of a running demonstration, its plan lengthened to 60 sets."""

import json
import os
import statistics
from itertools import pairwise

from bench.timing import line

SETS = 60
URL = os.environ.get("EMBALSE_BENCH_URL", "http://127.0.0.1:8480")
FRAMES = """() => new Promise((done) => {
  const set = [...document.querySelectorAll('main button[aria-pressed]')].find((b) =>
    b.textContent.includes('proposed'));
  const box = set.getBoundingClientRect();
  const at = (type, x) => set.dispatchEvent(new PointerEvent(type, {bubbles: true, clientX: x, clientY: box.top + 8,
    button: 0, buttons: 1, pointerId: 1}));
  set.setPointerCapture = () => {};
  const times = []; let step = 0;
  at('pointerdown', box.left + 5);
  const frame = (now) => {
    times.push(now); step += 1;
    at('pointermove', box.left + 5 + 120 - 120 * Math.cos(step / 12));
    if (step < 240) requestAnimationFrame(frame); else { at('pointerup', box.left); done(times); }
  };
  requestAnimationFrame(frame);
})"""


def main() -> None:
    """Print the median frames a second, and how many came later than a fiftieth of a second."""
    from playwright.sync_api import Route, sync_playwright

    def longer(route: Route) -> None:
        answer = route.fetch()
        body = answer.json()
        proposed = [s for s in body["sets"] if s["state"] == "proposed"]
        body["sets"] = [{**proposed[n % len(proposed)], "key": f"s{n}"} for n in range(SETS)]
        route.fulfill(response=answer, body=json.dumps(body))

    with sync_playwright() as play:
        browser = play.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.route("**/api/plan?*", longer)
        page.route("**/api/plan/check", lambda route: route.fulfill(json={"breaks": [], "cost": 0}))
        page.goto(f"{URL}/plan")
        page.get_by_text("stresses the crops less").wait_for()
        times = page.evaluate(FRAMES)
        browser.close()
    gaps = [b - a for a, b in pairwise(times)]
    line(f"Frames a second, a set of {SETS} dragged", f"{1000 / statistics.median(gaps):.0f}", "50 or more")
    line("  frames later than 20 ms, of a hundred", f"{100 * sum(g > 20 for g in gaps) / len(gaps):.0f}", "few")


if __name__ == "__main__":
    main()
