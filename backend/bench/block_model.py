"""What the fitted model of a block costs: gathering, a cold and a warm fit, advice with it, over the demonstration."""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from bench.timing import line
from embalse.core.block_model.fit import fit
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.block_model.ahead import encoded
from embalse.services.block_model.gather import gather
from embalse.services.block_model.kept_fits import Models, computing
from embalse.services.block_model.kept_fits import encoded as encoded_fits
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.standins.demo import ensure_demo
from embalse.store import farm as farm_store
from embalse.store.database import database

AIM_FIT_S = 0.5
"""Both fits of a morning, from those of three days before [s]: a third of 200 blocks each dawn, in half a minute."""


Result = TypeVar("Result")


def timed(work: Callable[[], Result], taken: list[float]) -> Result:
    """What some work gives; how long it took [s] is added to ``taken``."""
    begun = time.perf_counter()
    found = work()
    taken.append(time.perf_counter() - begun)
    return found


def main() -> None:
    """Print medians over the blocks of the demonstration that have a model, and what is kept of each."""
    with tempfile.TemporaryDirectory() as folder:
        ensure_demo(Path(folder), Path(folder) / "embalse.db", reset=False, say=lambda _: None)
        farm = clock.the_farm()
        now = clock.farm_now(farm)
        day = times.local_day(now, farm.time_zone)
        parts: dict[str, list[float]] = {"gathering": [], "cold fit": [], "warm fits, both": [], "advice with it": []}
        sizes = []
        for key in (row.key for row in farm_store.farm_rows().blocks):
            rows = farm_store.farm_rows([key])
            [block] = core_blocks(rows, now)
            gathered = timed(lambda: gather(farm, rows, block, now), parts["gathering"])  # noqa: B023
            if gathered is None:
                continue
            prior, record = gathered.at_dawn(day)
            cold = timed(lambda: fit(prior, record, day), parts["cold fit"])  # noqa: B023
            if cold is None:
                continue
            begun = time.perf_counter()
            dates = fit(prior, record, day, cold.x)
            uptake = fit(prior, record, day, cold.x, half_days=True)
            parts["warm fits, both"].append(time.perf_counter() - begun)
            assert dates is not None and uptake is not None
            with computing():
                [found] = timed(lambda: analyse_blocks(farm, rows, [block], now), parts["advice with it"])  # noqa: B023
            paths = found.water_use.course.paths if found.water_use and found.water_use.course else None
            if paths is not None:
                sizes.append((len(encoded_fits(Models(day, dates, uptake))), len(encoded(paths))))
        for name, taken in parts.items():
            aim = f"{AIM_FIT_S} s or less" if "warm" in name else "none"
            line(f"model, {name}: median of {len(taken)} blocks", f"{statistics.median(taken):.3f} s", aim)
        kept = [statistics.median(size) / 1024 for size in zip(*sizes, strict=True)]
        line("model, kept of a block: fits of a dawn; days ahead", f"{kept[0]:.1f}; {kept[1]:.1f} KiB", "none")
        database.close()
