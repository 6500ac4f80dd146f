"""Each morning's refill dates, kept by the server at the farm's dawn so that they can be held against what came."""

import logging
import threading
from collections.abc import Callable
from dataclasses import replace

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.crop.dry_down import DailyUse, NoTrend, daily_use, days_to_refill
from embalse.core.errors import CoreError
from embalse.services import helpers, times
from embalse.services.advice.analysing import analyse_blocks
from embalse.services.advice.what_was_said import answer_of
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.readings import judging
from embalse.services.readings.known_then import known_at
from embalse.store import farm as farm_store
from embalse.store import kept_answers, kept_forecasts, known_then
from embalse.store.database import FILE_TROUBLE, connection, transaction
from embalse.store.errors import Conflict, StoreError
from embalse.store.kept_answers import KeptAnswerRow
from embalse.store.kept_forecasts import KeptForecastRow
from embalse.store.rows import FarmRow

log = logging.getLogger("embalse")
CALLED_AT_H = times.DAWN_END_H
CATCH_UP_DAYS = 90
HELPER = "keeping the mornings' dates"
FARTHEST_DAYS = 365.0


def kept_until(now: int, zone: str) -> int:
    """Day number of the last morning whose answer can be kept by an instant [s, UTC]."""
    today = times.local_day(now, zone)
    return today if now >= times.instant_of(today, CALLED_AT_H, zone) else today - 1


def lacking_mornings() -> list[int]:
    """Day numbers of mornings that are over and none of whose answers is kept, oldest first.

    Reaches back to the day the farm was set up, and 90 days at the most.
    """
    farm = clock.the_farm()
    last = kept_until(clock.farm_now(farm), farm.time_zone)
    since = known_then.known_since() or clock.farm_now(farm)
    first = max(last - CATCH_UP_DAYS, kept_until(since - 1, farm.time_zone) + 1)
    done = kept_forecasts.days_kept(first, last)
    return [day for day in range(first, last + 1) if day not in done]


def keep_morning(day: int) -> int:
    """Keep the refill dates of a morning (day number) as it was known then; returns of how many blocks.

    A block that cannot be analysed is logged and left out; what is kept already stays as it was called.
    """
    farm = clock.the_farm()
    at = times.instant_of(day, CALLED_AT_H, farm.time_zone)
    made_at = clock.farm_now(farm)
    with known_at(at, farm.time_zone):
        ids = {row.key: row.id for row in farm_store.farm_rows().blocks}
        analysed = _analysed(farm, list(ids), at)
        rows = [_row(ids[found.block.key], (day, made_at), found) for found in analysed]
        said = [KeptAnswerRow(ids[found.block.key], day, answer_of(found), made_at) for found in analysed]
    with transaction():
        kept_forecasts.keep(rows)
        kept_answers.keep(said)
    return len(rows)


def keep_mornings() -> int:
    """Keep every morning that is lacking; returns how many."""
    lacking = lacking_mornings()
    judging.judge_waiting()
    for day in lacking:
        keep_morning(day)
    return len(lacking)


def _analysed(farm: FarmRow, keys: list[str], at: int) -> list[BlockAnalysis]:
    """Analyses of blocks by key, all at once; one by one where that fails, so that one block's trouble is its own."""
    try:
        rows = farm_store.farm_rows(keys)
        return analyse_blocks(farm, rows, core_blocks(rows, at), at)
    except CoreError as trouble:
        if len(keys) < 2:
            log.error("the morning's answer of %s was not kept: %s", ", ".join(keys), trouble)
            return []
    return [found for key in keys for found in _analysed(farm, [key], at)]


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

    def __init__(self, every_s: float = 120.0, first: Callable[[], object] = lambda: None) -> None:
        """``first`` is what has to be done before a morning's answers are kept."""
        self._every_s = every_s
        self._first = first
        self._empty: set[int] = set()
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
                    self._keep()
            except Exception as trouble:
                log.exception("the mornings' answers were not kept; tried again later")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)
            if self._stop.wait(self._every_s):
                return

    def _keep(self) -> None:
        """One look: a morning that fails is tried again at the next look and holds no other up."""
        try:
            lacking = lacking_mornings()
        except Conflict as none_yet:
            log.debug("mornings: %s", none_yet)
            return
        judging.judge_waiting()
        if any(day not in self._empty for day in lacking):
            try:
                self._first()
            except (StoreError, CoreError, *FILE_TROUBLE) as trouble:
                log.error("what comes before a morning's answers was not done: %s", trouble)
        for day in lacking:
            if day in self._empty or self._stop.is_set():
                continue
            try:
                if not keep_morning(day):
                    self._empty.add(day)
            except (StoreError, CoreError, *FILE_TROUBLE) as trouble:
                log.error("the answers of the morning of %s were not kept: %s", times.day_of(day), trouble)
