"""The Round for 200 blocks with six sensors, with one season stored and with five."""

import tempfile
from pathlib import Path

from bench import farms
from bench.timing import line, median_ms
from embalse.services.advise import round_content
from embalse.store.database import connection, database

BLOCKS = 200
SEASON_DAYS = 150


def main() -> None:
    """Print the medians and their ratio."""
    one, five = _round(SEASON_DAYS), _round(5 * SEASON_DAYS)
    line("Round, 200 blocks x 6 sensors, 150 days stored", f"{one:.0f} ms", "300 ms or less")
    line("Round, the same with five seasons (750 days) stored", f"{five:.0f} ms", "none")
    line("five seasons against one", f"{five / one:.2f}", "1.3 or less")


def _round(days: int) -> float:
    with tempfile.TemporaryDirectory() as folder:
        farms.farm(Path(folder) / "farm.db", BLOCKS)
        farms.fill(days)
        with connection():
            content = round_content(None, None, with_working=False)
            assert len(content.blocks) == BLOCKS and all(b.advised for b in content.blocks)
            median = median_ms(lambda: round_content(None, None, with_working=False).model_dump_json(), runs=11)
        database.close()
    return median
