"""The models of a farm's blocks fitted and kept by a process of its own: neither pages nor devices wait for it."""

import json
import logging
import os
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path
from typing import Final

from embalse.core.weather.wetting_rain import wetting_days
from embalse.services import times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.block_model.ahead import keep_ahead, profile_now
from embalse.services.block_model.gather import gather
from embalse.services.block_model.kept_fits import anchor_day, computing, models_at
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.weather import forecast_at
from embalse.services.readings.known_then import known_at
from embalse.store import block_models as store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store.database import connection, database, open_database
from embalse.store.rows import FarmRow

log = logging.getLogger("embalse")
CHILD: Final = "from embalse.services.advice.model_keeping import child; child()"
LONGEST_S: Final = 900  # seconds after which a process that fits is taken to hang (ours)
NICE: Final = 10  # how far it stands back for whoever serves
LOOK_S: Final = 60  # seconds between looks at what is due (ours)
CATCH_UP_DAYS: Final = 10  # days whose missed dawns are caught up: a server that was off over some days (ours)
AGAIN_S: Final = 3 * 3600  # seconds after which days ahead are made anew where water came (ours)


def blocks_due(farm: FarmRow, now: int) -> list[str]:
    """Keys of the blocks whose days ahead are to be made anew: none kept since dawn, or water or a forecast since."""
    rows = farm_store.farm_rows()
    dawn = times.instant_of(times.local_day(now, farm.time_zone), times.DAWN_END_H, farm.time_zone)
    if now < dawn:
        dawn -= 86400
    forecast = forecast_at(now, farm.time_zone)
    oldest = dawn if forecast is None else max(dawn, round(forecast.issued_at))
    kept = store.aheads([row.id for row in rows.blocks], now - 2 * 86400, now)
    due = []
    for row in rows.blocks:
        one = kept.get(row.id)
        old = one is None or one.start_at < oldest
        if old or (one is not None and _wetter(row.key, one.start_at, now, farm.time_zone)):
            due.append(row.key)
    return due


def _wetter(key: str, start: int, now: int, zone: str) -> bool:
    """Whether days ahead kept some hours ago [s, UTC] do not know of a set that ran since, or of rain that counts."""
    if now - start < AGAIN_S:
        return False
    if any(s.end_at > start for s in readings_store.sets(key, start - 5 * 86400, now)):
        return True
    days = (times.local_day(start, zone) + 1, times.local_day(now, zone))
    return bool(wetting_days(readings_store.rain(*days)))


class Fitting:
    """At most one process that fits, looked after between other work."""

    def __init__(self) -> None:
        self._child: subprocess.Popen[bytes] | None = None
        self._begun = self._next = 0.0
        self._tried: dict[str, int] = {}

    def look(self) -> None:
        """Begin with the blocks that are due where nothing is under way; each is tried once an hour at most."""
        if self._running() or time.monotonic() < self._next:
            return
        self._next = time.monotonic() + LOOK_S
        farm = clock.the_farm()
        now = clock.farm_now(farm)
        hour = now // 3600
        due = [key for key in blocks_due(farm, now) if self._tried.get(key) != hour]
        if not due:
            return
        self._tried.update(dict.fromkeys(due, hour))
        try:
            self._child = started(due, now)
        except OSError as trouble:
            log.error("no process could be begun to fit the blocks' models; tried again in an hour: %s", trouble)
        self._begun = time.monotonic()

    def _running(self) -> bool:
        child = self._child
        if child is None:
            return False
        if child.poll() is None and time.monotonic() - self._begun < LONGEST_S:
            return True
        if child.poll() is None:
            child.kill()
            child.wait()
        if child.returncode:
            log.error("the process that fits the blocks' models ended with %s; they are tried again", child.returncode)
        self._child = None
        return False

    def stop(self) -> None:
        """End what is under way; what it has kept stays."""
        if self._child is not None and self._child.poll() is None:
            self._child.kill()
            self._child.wait()
        self._child = None


def started(keys: list[str], now: int) -> subprocess.Popen[bytes]:
    """A process that fits the models of blocks and keeps their days ahead from an instant on [s, UTC]."""
    child = subprocess.Popen(
        [sys.executable, "-P", "-c", CHILD],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        env={**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"},
    )
    assert child.stdin is not None
    with suppress(BrokenPipeError):  # it is over already: how it ended is looked at later
        child.stdin.write(json.dumps([str(database.database), keys, now]).encode())
    with suppress(BrokenPipeError):
        child.stdin.close()
    return child


def fit_and_keep(keys: list[str], now: int) -> int:
    """Fit the models of blocks and keep their days ahead from an instant on [s, UTC]; how many have them now.

    Whatever goes wrong with a block is logged, and holds no other up.
    """
    farm, kept = clock.the_farm(), 0
    with computing():
        for key in keys:
            try:
                kept += _keep_one(farm, key, now)
            except Exception:
                log.exception("the model of %s was not fitted; tried again later", key)
    return kept


def _keep_one(farm: FarmRow, key: str, now: int) -> bool:
    """Keep the days ahead of a block; returns whether it has any."""
    rows = farm_store.farm_rows([key])
    [block] = core_blocks(rows, now)
    [found] = analyse_blocks(farm, rows, [block], now)
    paths = found.water_use.course.paths if found.water_use and found.water_use.course else None
    state = profile_now(block, found.stations)
    if paths is None or state is None:
        return False
    theta, rooted_mm = state
    keep_ahead(block, rows.blocks[0], now, (paths, float(rooted_mm @ theta)))
    return True


def catch_up(keys: list[str], now: int) -> int:
    """Fit the models of the dawns of the last days that were missed, each from what was known then; how many.

    A past moment is answered from the model of its own dawn: one that was missed would be answered without.
    """
    farm, made = clock.the_farm(), 0
    today = times.local_day(now - 3600 * times.DAWN_END_H, farm.time_zone)
    with computing():
        for row in farm_store.farm_rows(keys).blocks if keys else ():
            span = range(today - CATCH_UP_DAYS, today + 1)
            done = store.days_fitted(row.id, span.start, today)
            for day in (d for d in span if anchor_day(d, row.id) == d and d not in done):
                try:
                    made += _fit_then(farm, row.key, day)
                except Exception:
                    log.exception("the model of %s at day %s was not fitted", row.key, day)
    return made


def _fit_then(farm: FarmRow, key: str, day: int) -> bool:
    at = times.instant_of(day, times.DAWN_END_H, farm.time_zone)
    with known_at(at, farm.time_zone):
        rows = farm_store.farm_rows([key])
        [block] = core_blocks(rows, at)
        gathered = gather(farm, rows, block, at)
        return gathered is not None and models_at(gathered, rows.blocks[0].id, day) is not None


def keep_models_now() -> int:
    """Fit the models of all blocks and keep their days ahead from now on, here; how many have them now."""
    farm = clock.the_farm()
    return fit_and_keep([row.key for row in farm_store.farm_rows().blocks], clock.farm_now(farm))


def child() -> None:
    """Fit what the task that comes in names."""
    path, keys, now = json.load(sys.stdin)
    os.nice(NICE)
    open_database(Path(path))
    with connection():
        fit_and_keep(keys, now)
        catch_up(keys, now)
    database.close()
