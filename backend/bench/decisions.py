"""How far the refill date is from the truth, over seasons of the simulator."""

import statistics
from dataclasses import dataclass

import numpy as np

from bench import trials
from bench.timing import line
from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.soaking import GivenWater

SEEDS = 20
AHEAD = (4.0, 6.0)


@dataclass
class Called:
    """A refill date called on a morning [days ahead], and what came."""

    low: float
    mid: float
    high: float
    straight: float | None
    truth: float


def calls(found: trials.Trial, with_forecast: bool = True) -> list[Called]:
    """Every morning's call that comes to between four and six days, held against the truth."""
    season = found.season
    result = []
    for day in range(20, season.plan.days - 12):
        moment = trials.moment_on(found, day, with_forecast)
        wet = trials.wet_days(season, day)
        analysis = analyse(found.block, trials.readings_on(season, day), GivenWater(wet), moment)
        days, state = analysis.advice.days, analysis.state
        if days is None or state is None:
            continue
        truth = trials.true_days_until(season, day, trials.ALLOWABLE * season.taw_mm)
        ahead = truth is not None and AHEAD[0] <= truth <= AHEAD[1]
        if truth is None or not (ahead or AHEAD[0] <= days.mid <= AHEAD[1]) or _watered(season, day, truth):
            continue
        result.append(Called(days.low, days.mid, days.high, _straight(found, day, wet, state), truth))
    return result


def _watered(season: object, day: int, truth: float) -> bool:
    """Whether a set ran between the call and the day it came true: then the call was overtaken."""
    start = day * trials.DAY + 6 * trials.HOUR
    return any(start - 12 * trials.HOUR < s < start + truth * trials.DAY - 1800 for s, _ in season.sets)  # type: ignore[attr-defined]


def _straight(found: trials.Trial, day: int, wet: frozenset[int], state: object) -> float | None:
    """The line through the dawn values carried on, without weather."""
    moment = trials.moment_on(found, day)
    bare = analyse(
        found.block,
        trials.readings_on(found.season, day),
        GivenWater(wet),
        type(moment)(moment.now, moment.day, moment.dawn_offset_s),
    )
    return bare.advice.days.mid if bare.advice.days else None


def report(called: list[Called], name: str) -> None:
    """Print how good calls were."""
    errors = np.array([abs(c.mid - c.truth) for c in called])
    both = [(abs(c.mid - c.truth), abs(c.straight - c.truth)) for c in called if c.straight is not None]
    inside = statistics.fmean(c.low <= c.truth <= c.high for c in called)
    mine, line_error = (statistics.fmean(p[i] for p in both) for i in (0, 1))
    line(
        f"{name}: called 5 days ahead within a day ({len(called)} calls)", f"{(errors <= 1).mean():.1%}", "90 % or more"
    )
    line(f"{name}: P10 to P90 holds the truth", f"{inside:.1%}", "80 ± 7 %")
    line(f"{name}: mean error {mine:.2f} d against a straight line's {line_error:.2f} d, lower by",
         f"{1 - mine / line_error:.0%}", "30 % or more")  # fmt: skip
    below, above = (
        statistics.fmean(t) for t in ([c.truth < c.low for c in called], [c.truth > c.high for c in called])
    )
    line(f"{name}: truth before P10 / after P90, bias", f"{below:.0%} / {above:.0%}, "
         f"{statistics.fmean(c.mid - c.truth for c in called):+.2f} d", "none")  # fmt: skip


def main() -> None:
    """Print the figures for the seasons the doubt was fitted on, and for as many others."""
    fitted, others = ([trials.trial(n) for n in range(first, first + SEEDS)] for first in (0, SEEDS))
    report([c for t in fitted for c in calls(t)], "seasons 0 to 19")
    report([c for t in others for c in calls(t)], "seasons 20 to 39")
    report([c for t in others for c in calls(t, with_forecast=False)], "the same, no forecast")
