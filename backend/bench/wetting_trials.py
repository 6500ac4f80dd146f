"""Wettings found against those the simulator made: which, how deep, and how much went below the roots."""

from dataclasses import dataclass

import numpy as np

from bench import trials
from bench.timing import line
from embalse.core.advice.block_analysis import analyse
from embalse.core.advice.soaking import GivenWater
from embalse.core.field.day_curve import hourly_share
from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.field.wetting_events import wettings
from embalse.core.soil.layers import layer_limits_cm

SEEDS = 20
MATCH_H = 12
REACH_THETA = 0.006
LEAST_RAIN_MM = 4.0
WATCHED_H = 60


@dataclass
class Truth:
    """A wetting as it was: start [s], deepest depth that rose by 0.006 m³/m³, water below the roots in 60 h [mm]."""

    start_at: int
    reach_cm: float
    below_mm: float


def truths(season: trials.PlotSeason) -> list[Truth]:
    """Every set, and every rain of 4 mm or more, from the noiseless truth."""
    starts = [(start, depth) for (start, _), depth in zip(season.sets, season.given_mm, strict=True)]
    starts += [((24 * d + 13) * 3600, float(r)) for d, r in enumerate(season.rain_mm) if r >= LEAST_RAIN_MM]
    starts.sort()
    found = []
    for number, (start, _) in enumerate(starts):
        if found and start - found[-1].start_at < MATCH_H * 3600:
            continue
        first = start // 3600
        after = starts[number + 1][0] // 3600 if number + 1 < len(starts) else len(season.times)
        last = min(first + WATCHED_H, after)
        rose = [d for d, v in season.truth.items() if v[first:last].max(initial=0) - v[first] > REACH_THETA]
        below = float(np.maximum(season.below_mm[first:last], 0).sum())
        found.append(Truth(start, max(rose, default=0.0), below))
    return found


def profile_of(found: trials.Trial) -> ProfileHours:
    """A trial's hourly readings as wettings are looked for in them, with crop use by table and dry-down."""
    season = found.season
    depths = tuple(sorted(season.sensed))
    kc = found.calendar.kc_on(np.arange(season.plan.days))
    share = np.array([hourly_share(h) for h in range(24)])
    factors = np.ones(season.plan.days)
    for day in range(20, season.plan.days, 7):
        moment = trials.moment_on(found, day)
        way = analyse(
            found.block, trials.readings_on(season, day), GivenWater(trials.wet_days(season, day)), moment
        ).water_use
        if way is not None and way.course is not None:
            factors[day - 7 if day > 20 else 0 :] = way.course.use.factor
    use = (factors * kc * season.eto_mm)[:, None] * share
    theta = np.array([season.sensed[d] for d in depths])
    limits = tuple(layer_limits_cm(depths))
    return ProfileHours(season.times, theta, depths, limits, season.plan.root_depth_cm, use.ravel())


def waters_of(season: trials.PlotSeason) -> list[Water]:
    """What was logged."""
    sets = [Water("set", a, b, mm) for (a, b), mm in zip(season.sets, season.given_mm, strict=True)]
    rain = [Water("rain", (24 * d + 12) * 3600, (24 * d + 18) * 3600, float(r)) for d, r in enumerate(season.rain_mm)
            if r >= 1]  # fmt: skip
    return sorted([*sets, *rain], key=lambda w: w.start_at)


def matched(found: list[Wetting], true: list[Truth]) -> list[tuple[Wetting, Truth]]:
    """Wettings and truths that began within twelve hours of each other, each once."""
    left, pairs = list(found), []
    for one in true:
        near = [w for w in left if abs(w.start_at - one.start_at) <= MATCH_H * 3600]
        if near:
            best = min(near, key=lambda w: abs(w.start_at - one.start_at))
            left.remove(best)
            pairs.append((best, one))
    return pairs


def main() -> None:
    """Print the figures over seasons that are watered well, too much and with rain."""
    count = SEEDS
    hits = found_all = true_all = reach = leak = unexplained = 0
    for number in range(count):
        one = trials.trial(number, fill=(1.0, 1.4)[number % 2], with_rain=number % 3 == 0, month=5)
        found = wettings(profile_of(one), waters_of(one.season))
        true = truths(one.season)
        pairs = matched(found, true)
        hits, found_all, true_all = hits + len(pairs), found_all + len(found), true_all + len(true)
        reach += sum(w.reach_cm == t.reach_cm for w, t in pairs)
        leak += sum(
            w.below_mm is not None and abs(w.below_mm - t.below_mm) <= max(2.0, 0.2 * t.below_mm) for w, t in pairs
        )
        unexplained += sum(not w.explained for w, _ in pairs)
    precision, recall = hits / found_all, hits / true_all
    line(f"wettings found ({true_all} made): F1 (precision {precision:.3f}, recall {recall:.3f})",
         f"{2 * precision * recall / (precision + recall):.3f}", "0.95 or more")  # fmt: skip
    line("deepest reach right", f"{reach / hits:.1%}", "90 % or more")
    line("water below the roots within 2 mm or 20 %", f"{leak / hits:.1%}", "none given; within 20 % or 2 mm")
    line("matched but not put down to their set or rain", f"{unexplained}", "0")
