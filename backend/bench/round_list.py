"""The Round for 200 blocks with six sensors, with one season stored and with five, measured turn about."""

import statistics
import tempfile
from pathlib import Path

from bench import farms
from bench.timing import line, median_ms
from embalse.services.advice.advise import round_content
from embalse.services.advice.block_page import block_content
from embalse.store.database import connection, database, open_database

BLOCKS = 200
SEASON_DAYS = 150
ROUNDS = 7


def main() -> None:
    """Print the medians and the median of the ratios, pair by pair."""
    with tempfile.TemporaryDirectory() as folder:
        one, five = (Path(folder) / f"{seasons}.db" for seasons in (1, 5))
        for path, days in ((one, SEASON_DAYS), (five, 5 * SEASON_DAYS)):
            farms.farm(path, BLOCKS)
            farms.fill(days)
        pairs = [(_round(one), _round(five)) for _ in range(ROUNDS)]
        page = _block()
        database.close()
    ratios = [b / a for a, b in pairs]
    line(
        "Round, 200 blocks x 6 sensors, 150 days stored",
        f"{statistics.median(p[0] for p in pairs):.0f} ms",
        "300 ms or less",
    )
    line(
        "Round, the same with five seasons (750 days) stored",
        f"{statistics.median(p[1] for p in pairs):.0f} ms",
        "none",
    )
    line("Block page of 28 days, 200 blocks with five seasons stored", f"{page:.0f} ms", "80 ms or less")
    spread = f"{min(ratios):.2f} to {max(ratios):.2f}"
    line(
        f"five seasons against one, median of {ROUNDS} pairs ({spread})",
        f"{statistics.median(ratios):.2f}",
        "1.3 or less",
    )


def _block() -> float:
    with connection():
        return median_ms(lambda: block_content("b7", None, 28).model_dump_json(), runs=21)


def _round(path: Path) -> float:
    open_database(path)
    with connection():
        content = round_content(None, None, with_working=False)
        assert len(content.blocks) == BLOCKS and all(b.advised and b.by_weather for b in content.blocks)
        return median_ms(lambda: round_content(None, None, with_working=False).model_dump_json(), runs=5, warm=1)
