"""A block's refill dates as they were called morning by morning, and what came of them."""

from dataclasses import replace

from embalse.core.advice.block_analysis import BlockAnalysis
from embalse.core.advice.forecast_skill import Call, outcome, skill
from embalse.core.crop.dry_down import DailyUse, NoTrend, daily_use, days_to_refill
from embalse.services import times
from embalse.services.advice.advise import analyse_blocks
from embalse.services.advice.field_series import dawn_depletion, field_of, wet_days
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.schemas import Content
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store import kept_forecasts
from embalse.store.database import transaction
from embalse.store.kept_forecasts import KeptForecastRow
from embalse.store.rows import FarmRow, FarmRows

LOOKED_BACK_DAYS = 90
CALLED_AT_H = 6


class CallOut(Content):
    """A morning's call: days ahead, and the days it took; null where it cannot be judged, with the reason."""

    day: str
    low_days: float
    mid_days: float
    high_days: float
    straight_days: float | None
    days: float | None
    why_not: str


class SkillContent(Content):
    """How good a block's refill dates were."""

    key: str
    name: str
    as_of: str
    words: str
    judged: int
    within_a_day: int
    inside: int
    error_days: float | None
    straight_error_days: float | None
    calls: list[CallOut]


@as_known_then
def skill_content(key: str, moment: str | None = None, days: int = LOOKED_BACK_DAYS) -> SkillContent:
    """Calls of the last mornings with their outcomes; mornings not called yet are called now, as they would have been.

    Raises
    ------
    NotFound
        If there is no such block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    today = times.local_day(now, farm.time_zone)
    rows = farm_store.farm_rows([key])
    kept = _called(farm, rows, (today - days, today), now)
    field = field_of(farm, rows, now, days + 2)
    short, wet = dawn_depletion(field), frozenset(wet_days(field))
    outcomes = [
        outcome(
            Call(c.day, c.low_days, c.mid_days, c.high_days, c.trigger_mm, c.straight_days), short, wet
        )
        for c in kept
        if c.mid_days is not None and c.low_days is not None and c.high_days is not None and c.trigger_mm is not None
    ]  # fmt: skip
    found = skill(outcomes)
    return SkillContent(
        key=key,
        name=field.row.name,
        as_of=times.iso(now, farm.time_zone) or "",
        words=_words(found.judged, found.within_a_day),
        judged=found.judged,
        within_a_day=found.within_a_day,
        inside=found.inside,
        error_days=found.error_days,
        straight_error_days=found.straight_error_days,
        calls=[
            CallOut(
                day=times.day_of(o.call.day).isoformat(), low_days=o.call.low_days, mid_days=o.call.mid_days,
                high_days=o.call.high_days, straight_days=o.call.straight_days, days=o.days, why_not=o.why_not,
            )
            for o in outcomes
        ],
    )  # fmt: skip


def _words(judged: int, within: int) -> str:
    if judged == 0:
        return "No refill date called five days ahead has come true or failed yet: water always came before."
    return f"Of the last {judged} refill dates called five days ahead, {within} came within a day."


def _called(farm: FarmRow, rows: FarmRows, span: tuple[int, int], now: int) -> list[KeptForecastRow]:
    """Calls of the mornings of a span up to an instant, those lacking made now and kept."""
    block_id = rows.blocks[0].id
    known = {c.day for c in kept_forecasts.kept_forecasts(block_id, *span)}
    lacking = []
    for day in range(*span):
        at = times.instant_of(day, CALLED_AT_H, farm.time_zone)
        if day in known or at > now:
            continue
        found = analyse_blocks(farm, rows, core_blocks(rows, at), at)[0]
        lacking.append(_row(block_id, day, found, now))
    if lacking:
        with transaction():
            kept_forecasts.keep(lacking)
    return [
        c
        for c in kept_forecasts.kept_forecasts(block_id, *span)
        if times.instant_of(c.day, CALLED_AT_H, farm.time_zone) <= now
    ]


def _row(block_id: int, day: int, found: BlockAnalysis, now: int) -> KeptForecastRow:
    days, state, given = found.advice.days, found.state, found.inputs
    course = found.water_use.course if found.water_use is not None else None
    nothing = KeptForecastRow(block_id, day, None, None, None, None, None, None, None, now)
    if days is None or state is None or given is None or days.mid <= 0:
        return nothing
    return replace(
        nothing,
        low_days=days.low,
        mid_days=days.mid,
        high_days=min(days.high, 365.0),
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
