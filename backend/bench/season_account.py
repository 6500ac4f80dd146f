"""A season's water account held against the simulator's truth: use, water below the roots, and what is left over."""

import statistics
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from bench import trials
from bench.timing import line
from bench.wetting_trials import profile_of, waters_of
from embalse.core.field.wetting_events import wettings
from embalse.core.season.water_account import SeasonRecord, water_account
from embalse.core.soil.layers import layer_limits_cm
from embalse.core.weather.effective_rain import effective_rain_mm

SEEDS = 20
DAWN_H = 6


def record_of(one: trials.Trial) -> SeasonRecord:
    """A trial's season as the account takes it: its probes' dawns, its sets, and water below as the probes tell it."""
    season = one.season
    days = season.plan.days
    depths = sorted(season.sensed)
    limits = [min(edge, trials.ROOTS_CM) for edge in layer_limits_cm(tuple(depths))]
    thick = [10 * (b - a) for a, b in pairwise(limits)]
    dawns = [
        sum(
            float(np.nanmedian(season.sensed[d][24 * n + 4 : 24 * n + 7])) * t
            for d, t in zip(depths, thick, strict=True)
        )
        for n in range(days)
    ]
    irrigation, below = np.zeros(days - 1), np.zeros(days - 1)
    for (start, _), mm in zip(season.sets, season.given_mm, strict=True):
        day = (start - DAWN_H * 3600) // 86400
        if 0 <= day < days - 1:
            irrigation[day] += mm
    found = wettings(profile_of(one), waters_of(season))
    for wetting in found:
        day = (wetting.start_at - DAWN_H * 3600) // 86400
        if 0 <= day < days - 1:
            below[day] += wetting.below_mm or 0.0
    wet = np.array([d in trials.wet_days(season, days) for d in range(days - 1)])
    rain = season.rain_mm[: days - 1]
    full = sum(season.theta_full[d] * t for d, t in zip(depths, thick, strict=True))
    taw = season.taw_mm
    return SeasonRecord(
        0, irrigation, rain, effective_rain_mm(rain, season.eto_mm[: days - 1]),
        one.calendar.kc_on(np.arange(days - 1)) * season.eto_mm[: days - 1], np.array(dawns), wet, below, len(found),
        1.0, full, taw, trials.ALLOWABLE * taw,
    )  # fmt: skip


@dataclass(frozen=True)
class Truth:
    """A season from its first dawn to its last [mm]: uptake, what went below, what rose, what is left over."""

    uptake_mm: float
    below_mm: float
    rose_mm: float
    left_mm: float


def truth_of(one: trials.Trial) -> Truth:
    """What truly happened."""
    season = one.season
    span = slice(DAWN_H, 24 * (season.plan.days - 1) + DAWN_H)
    change = float(season.short_mm[span.start] - season.short_mm[span.stop])
    flow, ran = season.below_mm[span], float(season.runoff_mm[span].sum())
    given = sum(
        mm for (start, _), mm in zip(season.sets, season.given_mm, strict=True)
        if span.start * 3600 <= start < span.stop * 3600
    )  # fmt: skip
    came = given + float(season.rain_mm[: season.plan.days - 1].sum()) - ran
    use = float(season.uptake_mm[: season.plan.days - 1].sum())
    below, rose = float(np.maximum(flow, 0).sum()), float(-np.minimum(flow, 0).sum())
    return Truth(use, below, rose, came - use - below + rose - change)


def near(told: float, true: float, share: float, least: float = 0.0) -> bool:
    """Whether a figure lies within a share of the truth, or so many mm."""
    return abs(told - true) <= max(least, share * true)


def main() -> None:
    """Print the figures over seasons watered well and too much, every third with rain.

    The probes see the root zone's own store: water that rises from below is in neither line, so that their use is the
    crop's less what rose, and the water below is what went down, not what of it came back.
    """
    seasons = [
        trials.trial(number, fill=(1.0, 1.4)[number % 2], with_rain=number % 3 == 0, month=5) for number in range(SEEDS)
    ]
    told = [water_account(record_of(one)) for one in seasons]
    true = [truth_of(one) for one in seasons]
    pairs = list(zip(told, true, strict=True))
    below = [(t.below.mm if t.below else 0.0, w.below_mm) for t, w in pairs]
    left = [abs(t.residual.mm) for t in told]
    dry = [(t, w) for (t, w), one in zip(pairs, seasons, strict=True) if one.season.runoff_mm.sum() < 1]
    line(
        f"season account, {SEEDS} seasons: the truth closes within",
        f"{max(abs(t.left_mm) for t in true):.2f} mm",
        "1 mm",
    )
    line(
        "  use from the root zone within 8 %",
        f"{sum(near(t.use.mm, w.uptake_mm - w.rose_mm, 0.08) for t, w in pairs)}",
        "all",
    )
    line(
        "  crop use within 8 %, what rose from below included",
        f"{sum(near(t.use.mm, w.uptake_mm, 0.08) for t, w in pairs)}",
        "all",
    )
    line("    off by, median", f"{statistics.median(abs(t.use.mm / w.uptake_mm - 1) for t, w in pairs):.1%}", "8 %")
    line(
        "  water below the roots within 10 mm or 10 %, probes alone",
        f"{sum(near(a, b, 0.1, 10.0) for a, b in below)}",
        "all",
    )
    line("    off by, median", f"{statistics.median(abs(a - b) for a, b in below):.0f} mm", "10 mm")
    line(
        "  not accounted for, median and largest", f"{statistics.median(left):.0f} and {max(left):.0f} mm", "its error"
    )
    line(f"  closes, of {len(dry)} seasons where nothing ran off", f"{sum(t.closes for t, _ in dry)}", "9 of 10")


if __name__ == "__main__":
    main()
