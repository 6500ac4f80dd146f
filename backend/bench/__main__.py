"""Benchmarks: ``python -m bench [import|block|round|script|ingest|detection|kills|marks]``; they print figures."""

import sys

from bench import block_page, detection, first_screen, importing, ingest, kills, marks, round_list

ALL = {
    "import": importing.main,
    "block": block_page.main,
    "round": round_list.main,
    "script": first_screen.main,
    "ingest": ingest.main,
    "detection": detection.main,
    "kills": kills.main,
    "marks": marks.main,
}

for name in sys.argv[1:] or ALL:
    ALL[name]()
