"""A block's refill dates as they were called morning by morning, and what came of them."""

from embalse.core.advice.forecast_skill import Call, outcome, skill, skill_notice
from embalse.services import times
from embalse.services.advice.field_series import dawn_depletion, field_of, wet_days
from embalse.services.advice.mornings import kept_until
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store import kept_forecasts

LOOKED_BACK_DAYS = 90


class CallOut(Content):
    """A morning's call: days ahead, and the days it took; null where it cannot be judged, with the reason."""

    day: str
    low_days: float
    mid_days: float
    high_days: float
    straight_days: float | None
    days: float | None
    why_not: Words


class SkillContent(Content):
    """How good a block's refill dates were."""

    key: str
    name: str
    as_of: str
    words: Words
    judged: int
    within_a_day: int
    inside: int
    error_days: float | None
    straight_error_days: float | None
    calls: list[CallOut]


@as_known_then
def skill_content(key: str, moment: str | None = None, days: int = LOOKED_BACK_DAYS) -> SkillContent:
    """Refill dates kept on the last mornings (:mod:`embalse.services.advice.mornings`) with what came of them.

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
    kept = kept_forecasts.kept_forecasts(rows.blocks[0].id, today - days, kept_until(now, farm.time_zone))
    field = field_of(farm, rows, now, days + 2)
    short, wet = dawn_depletion(field), wet_days(field)
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
        words=say(skill_notice(found, len(kept))),
        judged=found.judged,
        within_a_day=found.within_a_day,
        inside=found.inside,
        error_days=found.error_days,
        straight_error_days=found.straight_error_days,
        calls=[
            CallOut(
                day=times.day_of(o.call.day).isoformat(), low_days=o.call.low_days, mid_days=o.call.mid_days,
                high_days=o.call.high_days, straight_days=o.call.straight_days, days=o.days, why_not=say(o.why_not),
            )
            for o in outcomes
        ],
    )  # fmt: skip
