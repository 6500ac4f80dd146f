"""JavaScript the browser loads for the first screen, gzipped."""

import re
from pathlib import Path

from bench.timing import line

DIST = Path(__file__).resolve().parents[2] / "frontend" / "dist"


def main() -> None:
    """Print the size of every script the page names, entry and preloads."""
    page = (DIST / "index.html").read_text(encoding="utf-8")
    scripts = sorted(set(re.findall(r'(?:src|href)="/(assets/[^"]+\.js)"', page)))
    assert scripts, "the page names no script"
    total = sum((DIST / f"{name}.gz").stat().st_size for name in scripts)
    line("JavaScript of the first screen, gzipped", f"{total / 1000:.0f} kB", "180 kB or less")
