"""The Block page's analysis of one season of hourly readings at six depths, from database to JSON."""

import tempfile
from pathlib import Path

from bench import farms
from bench.timing import line, median_ms
from embalse.services.block_page import block_content
from embalse.store.database import connection, database

SEASON_DAYS = 150


def main() -> None:
    """Print the median."""
    with tempfile.TemporaryDirectory() as folder:
        farms.farm(Path(folder) / "farm.db", 1)
        farms.fill(SEASON_DAYS)
        with connection():
            content = block_content("b0", None, SEASON_DAYS)
            assert len(content.times) == SEASON_DAYS * 24 + 1 and content.advice.advised is not None
            median = median_ms(lambda: block_content("b0", None, SEASON_DAYS).model_dump_json(), runs=21)
        database.close()
    line("block page, 150 days hourly at 6 depths, database to JSON", f"{median:.0f} ms", "60 ms or less")
