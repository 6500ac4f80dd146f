"""Each morning's refill dates, kept by the server at the farm's dawn so that they can be held against what came."""

import logging
import threading
from collections.abc import Iterable
from dataclasses import replace

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.crop.dry_down import DailyUse, NoTrend, daily_use, days_to_refill
from embalse.core.errors import CoreError
from embalse.services import times
from embalse.services.advice.advise import analyse_blocks
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.readings.known_then import known_at
from embalse.store import farm as farm_store
from embalse.store import kept_forecasts, known_then
from embalse.store.database import FileTrouble, connection, transaction
from embalse.store.errors import Conflict, StoreError
from embalse.store.kept_forecasts import KeptForecastRow
from embalse.store.rows import FarmRow

log = logging.getLogger("embalse")
CALLED_AT_H = times.DAWN_END_H
CATCH_UP_DAYS = 90
FARTHEST_DAYS = 365.0


def kept_until(now: int, zone: str) -> int:
    """Day number of the last morning whose answer can be kept by an instant [s, UTC]."""
    today = times.local_day(now, zone)
    return today if now >= times.instant_of(today, CALLED_AT_H, zone) else today - 1


def keep_mornings() -> int:
    """Keep the refill dates of every morning that has none yet, each as it was known then; returns how many mornings.

    Reaches back to the day the farm was set up, and 90 days at the most. A morning kept stays as it was called.
    """
    farm = clock.the_farm()
    since = known_then.known_since()
    last = kept_until(clock.farm_now(farm), farm.time_zone)
    first = max(last - CATCH_UP_DAYS, times.local_day(since, farm.time_zone)) if since is not None else last
    done = kept_forecasts.days_kept(first, last)
    lacking = [
        day
        for day in range(first, last + 1)
        if day not in done and (since is None or times.instant_of(day, CALLED_AT_H, farm.time_zone) >= since)
    ]
    for day in lacking:
        at = times.instant_of(day, CALLED_AT_H, farm.time_zone)
        with known_at(at, farm.time_zone):
            rows = _called(farm, day, at)
        with transaction():
            kept_forecasts.keep(rows)
    return len(lacking)


def _called(farm: FarmRow, day: int, at: int) -> list[KeptForecastRow]:
    rows = farm_store.farm_rows()
    ids = {row.key: row.id for row in rows.blocks}
    made_at = clock.farm_now(farm)
    return [_row(ids[found.block.key], (day, made_at), found) for found in _analysed(farm, at)]


def _analysed(farm: FarmRow, at: int) -> Iterable[BlockAnalysis]:
    """Analyses of all blocks; one that cannot be analysed is logged and left out, the others stay."""
    rows = farm_store.farm_rows()
    blocks = core_blocks(rows, at)
    try:
        return analyse_blocks(farm, rows, blocks, at)
    except CoreError:
        found: list[BlockAnalysis] = []
        for block in blocks:
            try:
                found += analyse_blocks(farm, rows, [block], at)
            except CoreError as trouble:
                log.error("the morning's answer of %s was not kept: %s", block.key, trouble)
        return found


def _row(block_id: int, when: tuple[int, int], found: BlockAnalysis) -> KeptForecastRow:
    day, made_at = when
    days, state, given = found.advice.days, found.state, found.inputs
    course = found.water_use.course if found.water_use is not None else None
    nothing = KeptForecastRow(block_id, day, None, None, None, None, None, None, None, made_at)
    if days is None or state is None or given is None or days.mid <= 0:
        return nothing
    return replace(
        nothing,
        low_days=days.low,
        mid_days=days.mid,
        high_days=min(days.high, FARTHEST_DAYS),
        straight_days=_straight(found),
        depletion_mm=state.depletion_mm,
        trigger_mm=given.trigger_mm,
        use_factor=course.use.factor if course is not None else None,
    )


def _straight(found: BlockAnalysis) -> float | None:
    """What the line through the dawn values alone would have said [days]."""
    if found.dawns is None or found.state is None or found.inputs is None:
        return None
    try:
        use: DailyUse = daily_use(found.dawns)
    except NoTrend:
        return None
    return days_to_refill(found.inputs.trigger_mm - found.state.depletion_mm, found.state.error_mm, use).mid


class Mornings:
    """Keeps each morning's answers in a thread of its own, until it is stopped; catches up what was missed."""

    def __init__(self, every_s: float = 120.0) -> None:
        self._every_s = every_s
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin, with what was missed while nothing ran."""
        self._thread.start()

    def stop(self) -> None:
        """Stop; a morning under way is finished."""
        self._stop.set()
        self._thread.join()

    def _run(self) -> None:
        while True:
            try:
                with connection():
                    keep_mornings()
            except Conflict as none_yet:
                log.debug("mornings: %s", none_yet)
            except (StoreError, CoreError, FileTrouble, OSError) as trouble:
                log.error("the morning's answers were not kept: %s", trouble)
            if self._stop.wait(self._every_s):
                return
