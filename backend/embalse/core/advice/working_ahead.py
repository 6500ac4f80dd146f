"""Lines of the Working on the days ahead: use by weather, what the system can give against it, the season's end."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from embalse.core.advice.decision import Advice, DecisionInputs
from embalse.core.advice.working_line import Line, computed
from embalse.core.crop.depletion_forecast import WEEK, Course, days_until
from embalse.core.delivery.capacity import CapacityShortfall
from embalse.core.sources import Source
from embalse.core.wording import Notice


@dataclass(frozen=True)
class Ahead:
    """Means over the days until a moment: Kc, reference ET and rain [mm/day], and how many days they stand for [days].

    Kc is weighed by the ET of its day, so that Kc × reference ET is the mean of the days' products.
    """

    kc: float
    eto_mm_d: float
    rain_mm_d: float
    days: float


def means_until(course: Course, days: float) -> Ahead:
    """Kc, reference ET and rain as they fall until a moment that many days ahead, the last day counted in part."""
    times = course.times_days
    parts = np.clip((days - times[:-1]) / np.diff(times), 0.0, 1.0)
    parts[0] *= course.today_share
    weight = parts / parts.sum() if parts.sum() > 0 else np.eye(1, len(parts))[0]
    eto = course.outlook.eto_mm[:, : len(parts)].mean(axis=0)
    mean_eto = float(weight @ eto)
    kc = float(weight @ (course.kc * eto)) / mean_eto if mean_eto > 0 else float(course.kc[0])
    return Ahead(kc, mean_eto, float(weight @ course.means.rain_mm), float(parts.sum()))


def weather_lines(given: DecisionInputs, advice: Advice, left_mm: float, sources: Mapping[str, Source]) -> list[Line]:
    """Kc, reference ET, wetted share and factor, the use they come to, and the rain taken off it, to the refill day."""
    course = given.course
    assert course is not None
    until = advice.days.mid if advice.days is not None and left_mm > 0 else 0.0
    ahead = means_until(course, min(until, float(len(course.kc))) if until > 0 else float(WEEK))
    share = given.limits.wetted_fraction
    lines = [
        Line("kc", "Kc of the days ahead", ahead.kc, "", "", sources.get("calendar", computed(""))),
        Line("eto_mm_d", "Reference ET ahead", ahead.eto_mm_d, "mm/day",
             Notice("formula.mean_days", span_days=ahead.days), course.outlook.source, "×"),
    ]  # fmt: skip
    if share < 1:
        lines.append(
            Line("use_wetted_fraction", "Wetted area", share, "", "roots take water from it",
                 sources["wetted_fraction"], "÷")
        )  # fmt: skip
    use = course.use.factor * ahead.kc * ahead.eto_mm_d / share
    how = Source("reading", "dry-down", course.use.how)
    low, high = course.use.low, course.use.high
    lines += [
        Line("use_factor", "Actual use ÷ calculated", course.use.factor, "", "", how, "×", low=low, high=high),
        Line("use_mm_d", "Use ahead", use, "mm/day", "Kc × ET ÷ wetted area × actual ÷ calculated", computed(""),
             "", True),
    ]  # fmt: skip
    if ahead.rain_mm_d > 0:
        mean = Notice("formula.mean_members", members=course.rain_mm.shape[0])
        lines.append(Line("rain_mm_d", "Rain ahead", ahead.rain_mm_d, "mm/day", mean, course.outlook.source, "−"))
    return lines


def model_line(given: DecisionInputs, advice: Advice, left_mm: float) -> Line:
    """How fast the root zone goes down by the block's fitted model, with what it was held against.

    What the crop takes, what still drains and what rises from below are in it together.
    """
    course, days = given.course, advice.days
    assert course is not None and course.paths is not None
    paths = course.paths
    if days is not None and left_mm > 0 and days.mid > 0:
        rate = left_mm / days.mid
    else:
        rate = float(np.median(paths.at(np.array([float(WEEK)])))) / WEEK
    facts = {"windows": paths.windows, "miss_mm": paths.miss_mm, "demand_fraction": paths.demand}
    how = Source("computed", "model of this block, fitted to its own probes", Notice("source.model", **facts))
    return Line("model_rate_mm_d", "Root zone goes down by", rate, "mm/day", Notice("formula.model_rate"), how, "÷")


def dry_down_line(given: DecisionInputs) -> Line:
    """What the last dry-downs alone would say of the days to refill, beside the model's [days]."""
    assert given.course is not None
    alone = days_until(replace(given.course, paths=None), given.start, given.trigger_mm)
    return Line("dry_down_days", "The last dry-downs alone say", alone.mid, "days", "for comparison", computed(""),
                low=alone.low, high=alone.high)  # fmt: skip


def shortfall_lines(given: DecisionInputs, found: CapacityShortfall | None) -> list[Line]:
    """What the days ask over what the system can give, day by day to the worst of it; none where it keeps up."""
    if found is None or given.capacity is None or given.course is None:
        return []
    share, first, last = given.limits.wetted_fraction, found.first_day, found.last_day
    days = {"first_day": given.today + first, "last_day": given.today + last}
    asked = found.shortfall_mm_d + given.capacity.net_mm_d
    lines = [
        Line("asked_mm_d", "Use less rain, over the block", asked, "mm/day", Notice("formula.spell", **days),
             computed("use ahead × wetted area, mean of these days")),
        Line("capacity_less_mm_d", "The system can give", given.capacity.net_mm_d, "mm/day", given.capacity.how,
             computed(""), "−"),
        Line("shortfall_mm_d", "Falls behind by", found.shortfall_mm_d, "mm/day", "", computed(""), "", True),
    ]  # fmt: skip
    if found.short_mm <= 0:
        return lines
    state, allowed = given.state, share * given.trigger_mm
    worst = found.short_mm + allowed
    return [
        *lines,
        Line("worst_depletion_mm", "Depletion at its worst, over the block", worst, "mm",
             Notice("formula.worst", depletion_mm=share * state.depletion_mm), computed("a set every day from today")),
        Line("worst_allowed_mm", "Depletion allowed, over the block", allowed, "mm", "trigger × wetted area",
             computed(""), "−"),
        Line("short_mm", "Short at the worst", found.short_mm, "mm", "", computed(""), "", True),
    ]  # fmt: skip


def season_lines(given: DecisionInputs) -> list[Line]:
    """Water to the season's end: use, likely rain and what is stored, over the block; none without an end."""
    season = given.season
    if season is None:
        return []
    share = given.limits.wetted_fraction
    need, rain, stored = (share * mm for mm in (season.need_mm, season.rain_mm, season.stored_mm))
    to_the_end = Notice("formula.season_days", season_days=season.days)
    allowed = "depletion allowed on the last day − depletion now, × wetted area"
    likely = "middle of the forecast's courses"
    dry = computed("days beyond the forecast count as dry")
    if season.finishes:
        return [
            Line("season_stored_mm", "May be taken from the soil, over the block", stored, "mm", allowed, computed("")),
            Line("season_rain_mm", "Rain likely by the season's end", rain, "mm", likely, dry, "+"),
            Line("season_need_mm", "Use to the last day", need, "mm", to_the_end, given.rules.source, "−"),
            Line("season_left_mm", "Left over at the end", -share * season.short_mm, "mm", "", computed(""), "", True),
        ]
    return [
        Line("season_need_mm", "Use to the last day, over the block", need, "mm", to_the_end, given.rules.source),
        Line("season_rain_mm", "Rain likely by then", rain, "mm", likely, dry, "−"),
        Line("season_stored_mm", "May be taken from the soil", stored, "mm", allowed, computed(""), "−"),
        Line("season_short_mm", "Still to be given this season, net", share * season.short_mm, "mm", "", computed(""),
             "", True),
    ]  # fmt: skip


def days_formula(given: DecisionInputs, left_mm: float, ahead_mm_d: float, days: float) -> Notice:
    """How the days to refill follow from what is left [mm] and use less rain [mm/day], said where paths differ."""
    plain = left_mm / ahead_mm_d if ahead_mm_d > 0 else math.inf
    by_day = abs(plain - days) > 0.05
    worst = given.state.worst_mm if given.state.may_be_drier_mm else None
    return Notice("formula.days", plain_days=plain if by_day and math.isfinite(plain) else None, worst_mm=worst)
