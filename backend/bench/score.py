"""Seasons of an independent solver with exact truth, where their folder stands beside the checkout; else not run.

The seasons, and the program that builds each farm as a consultant would and asks through the command line only, are no
part of the project: no rule sees them. What came out last stands in docs/accuracy.md.
"""

import subprocess
import sys
import tempfile
from pathlib import Path

from bench import first_weeks

CHECKOUT = Path(__file__).resolve().parents[2]
SCORE = CHECKOUT.parent / "shared" / "truth" / "score.py"


def main() -> None:
    """Print measure, value, aim and verdict, and what the first fortnight is worth; or that there are no seasons."""
    if not SCORE.exists():
        print("no seasons with exact truth stand beside the checkout: not scored", flush=True)
        return
    with tempfile.TemporaryDirectory() as answers:
        subprocess.run([sys.executable, str(SCORE), str(CHECKOUT), "--jobs", "2", "--out", answers], check=True)
        first_weeks.main(Path(answers), Path(sys.executable).parent / "embalse")
