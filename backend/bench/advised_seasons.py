"""A season watered by the advice against one watered by a fixed calendar: days of stress, water below the roots."""

from dataclasses import replace

import numpy as np

from bench import trials
from bench.timing import line
from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.soaking import GivenWater
from embalse.core.simulate.plots import PlotPlan, PlotSeason, plot_season

SEEDS = 6
DAYS = 80
WARM_UP = 20
CALENDAR_DAYS = 5
CALENDARS_MM = (32.0, 42.0)
"""A calendar a little short and one a little full, set by set [mm]."""
STRESS_SHARE = 0.5
"""Beyond this share of the available water the simulator's crop takes up less (``simulate.column``)."""


def _stress_days(season: PlotSeason) -> int:
    """Days after the first twenty on whose dawn the true root zone was past half of its available water."""
    return int((season.depletion_mm[WARM_UP:] > STRESS_SHARE * season.taw_mm).sum())


def _below(season: PlotSeason) -> float:
    return float(np.maximum(season.below_mm[24 * WARM_UP :], 0).sum())


def by_advice(number: int) -> PlotSeason:
    """A plot whose manager asks every morning and waters that evening when the advice says so."""
    first = trials.trial(number, days=DAYS)
    plan = replace(first.season.plan, start_share=9.0)
    given: dict[int, float] = {}
    season = plot_season(replace(plan, ordered_mm=given), 300 + number)
    for day in range(DAYS):
        found = replace(first, season=season, block=trials.block_of(season, first.calendar))
        if day < 4:
            continue
        wet = trials.wet_days(season, day)
        advice = analyse(
            found.block, trials.readings_on(season, day), GivenWater(wet), trials.moment_on(found, day)
        ).advice
        if advice.group == "act" and advice.advised is not None:
            given[day] = advice.advised.net_mm
            season = plot_season(replace(plan, ordered_mm=dict(given)), 300 + number)
    return season


def by_calendar(number: int, depth_mm: float) -> PlotSeason:
    """The same plot watered every five days with the same depth [mm]."""
    plan: PlotPlan = trials.trial(number, days=DAYS).season.plan
    fixed = dict.fromkeys(range(CALENDAR_DAYS, DAYS, CALENDAR_DAYS), depth_mm)
    return plot_season(replace(plan, start_share=9.0, ordered_mm=fixed), 300 + number)


def main() -> None:
    """Print stress days, water below the roots and water given, by advice and by calendar."""
    advised = [by_advice(n) for n in range(SEEDS)]
    ways = [("by advice", advised)]
    ways += [
        (f"{mm:.0f} mm every {CALENDAR_DAYS} days", [by_calendar(n, mm) for n in range(SEEDS)]) for mm in CALENDARS_MM
    ]
    for name, seasons in ways:
        stress = sum(_stress_days(s) for s in seasons) / SEEDS
        below = sum(_below(s) for s in seasons) / SEEDS
        water = sum(sum(s.given_mm) for s in seasons) / SEEDS
        line(f"{name}: stress days of {DAYS - WARM_UP}, mm below the roots, mm given ({SEEDS} seasons)",
             f"{stress:.1f} d, {below:.0f} mm, {water:.0f} mm", "none")  # fmt: skip
