"""The Block page's analysis of one season of hourly readings at six depths, from database to JSON."""

import tempfile
from pathlib import Path

from bench import farms
from bench.timing import line, median_ms
from embalse.services.advice.advise import what_if_content
from embalse.services.advice.block_page import block_content
from embalse.services.advice.profile_page import profile_content
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
            short = median_ms(lambda: block_content("b0", None, 28).model_dump_json(), runs=21)
            then = median_ms(lambda: what_if_content("b0", {"efficiency_fraction": 0.7}).model_dump_json(), runs=21)
            profile = median_ms(lambda: profile_content("b0").model_dump_json(), runs=11)
        database.close()
    line("block page, 150 days hourly at 6 depths, database to JSON", f"{median:.0f} ms", "80 ms or less")
    line("the same, 28 days as the page first asks", f"{short:.0f} ms", "80 ms or less")
    line("what if", f"{then:.0f} ms", "50 ms or less")
    line("wettings, uptake and diagnoses of 28 days, asked for beside it", f"{profile:.0f} ms", "none")
