"""Frames a second while a season goes by under the slider of a block's map, in a running demonstration."""

import os
import statistics
from itertools import pairwise

from bench.timing import line

URL = os.environ.get("EMBALSE_BENCH_URL", "http://127.0.0.1:8480")
FRAMES = """() => new Promise((done) => {
  const slider = document.querySelector('input[aria-label="Day of the season"]');
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
  const times = []; let step = 0;
  const frame = (now) => {
    times.push(now); step += 1;
    set.call(slider, String(step % Number(slider.max)));
    slider.dispatchEvent(new Event('input', {bubbles: true}));
    if (step < 240) requestAnimationFrame(frame); else done(times);
  };
  requestAnimationFrame(frame);
})"""


def main() -> None:
    """Print the median frames a second, and how many came later than a thirtieth of a second."""
    from playwright.sync_api import sync_playwright

    with sync_playwright() as play:
        browser = play.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=["--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking"],
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{URL}/block/loma/map")
        page.get_by_label("Day of the season").wait_for()
        times = page.evaluate(FRAMES)
        shown = page.get_by_text("Dawn of").count()
        browser.close()
    assert shown == 1, "the slider must have moved"
    gaps = [b - a for a, b in pairwise(times)]
    line("Frames a second, a map's season of 24 nodes", f"{1000 / statistics.median(gaps):.0f}", "30 or more")
    line("  frames later than 34 ms, of a hundred", f"{100 * sum(g > 34 for g in gaps) / len(gaps):.0f}", "few")


if __name__ == "__main__":
    main()
