"""Two blocks of the farm watered in two ways, week by week, and what one saved."""

import json
import math
from typing import Final

from embalse.core.field.losses import week_loss
from embalse.core.field.two_ways import Difference, Way, compare
from embalse.services import times
from embalse.services.advice.field_series import Field, dawn_depletion, field_at
from embalse.services.advice.profile_page import wettings_of
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say_all
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.practice import ComparisonPart
from embalse.store import readings as readings_store
from embalse.store import records as record_store

WEEK_S: Final = 7 * 86400
MOST_DAYS: Final = 300


class DifferenceOut(Content):
    """Habit less advice: mm over the block for water and losses, days for dry days, with 90 % limits."""

    what: str
    mid: float
    low: float
    high: float
    told_apart: bool


class WeekOut(Content):
    """A week of both blocks: water given [mm over the block] and days past the trigger."""

    day: str
    habit_mm: float
    advised_mm: float
    habit_dry_days: float
    advised_dry_days: float


class ComparisonOut(Content):
    """A comparison with its weeks and differences."""

    key: str
    habit: str
    habit_name: str
    advised: str
    advised_name: str
    first_day: str
    last_day: str
    note: str
    weeks: list[WeekOut]
    differences: list[DifferenceOut]
    words: list[Words]


class ComparisonsContent(Content):
    """Every comparison of the farm."""

    comparisons: list[ComparisonOut]


@as_known_then
def comparisons_content(moment: str | None = None) -> ComparisonsContent:
    """Comparisons as known at a farm-local moment; raises Conflict, ValueError."""
    parts = [ComparisonPart.model_validate(json.loads(r.body)) for r in record_store.records("comparisons")]
    return ComparisonsContent(comparisons=[_comparison(part, moment) for part in parts])


def _comparison(part: ComparisonPart, moment: str | None) -> ComparisonOut:
    habit, advised = field_at(part.block, moment, MOST_DAYS), field_at(part.advised, moment, MOST_DAYS)
    zone = habit.zone
    today = times.local_day(habit.now, zone)
    first = times.day_number(part.first_day)
    last = min(today, today if part.last_day is None else times.day_number(part.last_day))
    starts = [times.instant_of(day, 0, zone) for day in range(max(first, today - MOST_DAYS + 8), last - 5, 7)]
    ways = (
        _way(habit, starts, part.habit_yield_t_ha),
        _way(advised, starts, part.advised_yield_t_ha),
    )
    told = compare(*ways)
    weeks = [
        WeekOut(
            day=times.day_of(times.local_day(start, zone)).isoformat(),
            habit_mm=ways[0].given_mm[n],
            advised_mm=ways[1].given_mm[n],
            habit_dry_days=ways[0].dry_days[n],
            advised_dry_days=ways[1].dry_days[n],
        )
        for n, start in enumerate(starts)
    ]
    return ComparisonOut(
        key=part.key,
        habit=part.block,
        habit_name=habit.row.name,
        advised=part.advised,
        advised_name=advised.row.name,
        first_day=part.first_day.isoformat(),
        last_day=times.day_of(last).isoformat(),
        note=part.note,
        weeks=weeks,
        differences=[_difference(d) for d in told.differences],
        words=say_all(told.words),
    )


def _difference(one: Difference) -> DifferenceOut:
    return DifferenceOut(what=one.what, mid=one.mid, low=one.low, high=one.high, told_apart=one.told_apart)


def _way(field: Field, starts: list[int], yield_t_ha: float | None) -> Way:
    """A block's weeks: water given, water below the roots, dawns past the trigger."""
    sets = readings_store.sets(field.row.key, field.start, field.now)
    depletion = dawn_depletion(field)
    trigger = field.analysis.inputs.trigger_mm if field.analysis.inputs else math.inf
    share = field.block.limits.wetted_fraction
    wettings = wettings_of(field)
    losses = [week_loss(wettings, start + WEEK_S, share) for start in starts]
    days = [range(times.local_day(s, field.zone), times.local_day(s, field.zone) + 7) for s in starts]
    return Way(
        field.row.name,
        [sum(s.gross_mm for s in sets if start <= s.start_at < start + WEEK_S) for start in starts],
        [None if loss is None else loss.below_mm for loss in losses],
        [float(sum(depletion.get(day, 0.0) > trigger for day in week)) for week in days],
        yield_t_ha,
    )
