"""Simulated plots, and everything the rooms of field and quality say of them; written down by running this module."""

from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from embalse.core.field.day_curve import hourly_share
from embalse.core.field.diagnoses import Weeks, diagnoses
from embalse.core.field.drain_down import ProfileSeries, full_point_from_drain_down, pooled
from embalse.core.field.mark_estimates import (
    drain_down_estimate,
    full_point_offer,
    lowest_seen,
    slow_down_estimate,
    texture_estimates,
)
from embalse.core.field.uptake import uptake
from embalse.core.field.uptake_slowdown import UptakeDays, dry_days, refill_from_slow_down
from embalse.core.field.wetting import ProfileHours, Water
from embalse.core.field.wetting_events import wettings
from embalse.core.quality.crossed_depths import DepthSeries, arrivals, swap_suspicions
from embalse.core.quality.faults import RAW, TENSION, WATER, faults, without_faults
from embalse.core.quality.slow_faults import slow_faults
from embalse.core.simulate.plots import TEXTURES, PlotPlan, PlotSeason, plot_season
from embalse.core.soil.horizon_marks import Horizon
from embalse.core.soil.layers import Layer
from embalse.core.soil.soil import FineEarth
from tests.core.record import plain, write

RECORD = Path(__file__).with_name("record.json")
DEPTHS = (10.0, 25.0, 40.0, 60.0, 85.0)
LIMITS = (0.0, 17.5, 32.5, 50.0, 72.5, 100.0)
ROOTS_CM = 65.0
PLANS = {
    "full sets": PlotPlan("loam", ROOTS_CM, fill=1.3, days=50, depths_cm=DEPTHS, month=5),
    "small sets with rain": PlotPlan(
        "sandy loam", ROOTS_CM, fill=0.5, days=50, depths_cm=DEPTHS, with_rain=True, month=4
    ),
    "far too much": PlotPlan("clay loam", ROOTS_CM, fill=2.2, start_share=0.2, days=50, depths_cm=DEPTHS, month=5),
    "dried out": PlotPlan("loam", ROOTS_CM, fill=1.0, days=50, dry_out_days=28, depths_cm=DEPTHS, kc=1.2),
}
SHARE = np.array([hourly_share(h) for h in range(24)])


@cache
def season(name: str) -> PlotSeason:
    """One of the plots."""
    return plot_season(PLANS[name], sorted(PLANS).index(name) + 40)


def theta_of(name: str) -> np.ndarray:
    """Hourly readings by depth [m³/m³]."""
    return np.array([season(name).sensed[d] for d in DEPTHS])


def hours_of(name: str, known_use: bool) -> ProfileHours:
    """Hourly readings as wettings are looked for in them."""
    found = season(name)
    use = (found.uptake_mm[: found.plan.days, None] * SHARE).ravel()[: len(found.times)] if known_use else None
    return ProfileHours(found.times, theta_of(name), DEPTHS, LIMITS, ROOTS_CM, use)


def waters_of(name: str) -> list[Water]:
    """Sets and rain of a plot."""
    found = season(name)
    sets = [Water("set", a, b, mm) for (a, b), mm in zip(found.sets, found.given_mm, strict=True)]
    rain = [
        Water("rain", (24 * day + 12) * 3600, (24 * day + 18) * 3600, float(mm))
        for day, mm in enumerate(found.rain_mm)
        if mm >= 2
    ]
    return sorted([*sets, *rain], key=lambda w: w.start_at)


def layers_of(name: str) -> list[Layer]:
    """Layers with the plot's own marks."""
    found = season(name)
    made = []
    for place, depth in enumerate(DEPTHS):
        top, bottom = LIMITS[place], LIMITS[place + 1]
        full, wilting = found.theta_full[depth], found.theta_wilting[depth]
        rooted = max(0.0, min(bottom, ROOTS_CM) - top)
        made.append(Layer(depth, top, bottom, rooted, full, full - 0.4 * (full - wilting), wilting, full + 0.1))
    return made


def told(name: str) -> dict[str, Any]:
    """Everything the field's rules say of a plot."""
    known, blind = hours_of(name, True), hours_of(name, False)
    found = wettings(known, waters_of(name))
    layers = tuple(layers_of(name))
    earth = FineEarth(*TEXTURES[season(name).plan.texture])
    expected = tuple(sum(w.depth_mm for w in one.from_what) if one.from_what else float("nan") for one in found)
    pairs = [(w.start_at, w.end_at) for w in waters_of(name)]
    thickness = tuple(layer.thickness_cm for layer in layers)
    profile = ProfileSeries(season(name).times, theta_of(name), thickness, tuple(pairs))
    points = [full_point_from_drain_down(profile, layer) for layer in range(len(DEPTHS))]
    wet = {w.start_at // 86400 for w in waters_of(name)}
    days = dry_days(range(season(name).plan.days), wet)
    slow = refill_from_slow_down(
        UptakeDays(season(name).depletion_mm[days], season(name).uptake_mm[days], 1.1 * season(name).eto_mm[days])
    )
    return {
        "wettings": found,
        "wettings, use unknown": [[w.start_at, w.below_mm] for w in wettings(blind, ())],
        "unlogged": [w.suspect for w in wettings(known, ())],
        "uptake": [uptake(known, tuple(found), last_days=n) for n in (8, 14, 30)],
        "diagnoses": [
            diagnoses(
                Weeks(theta_of(name)[:, 24 * a : 24 * b], layers, of_days(found, a, b), ROOTS_CM, expected[: len(found)])
            )
            for a, b in ((0, 20), (10, 38), (25, 50))
        ],
        "drain-downs": [[e.ended_at, e.theta, e.why_not, e.nights] for p in points for e in p.events],
        "full points": [[p.theta, p.quartiles, p.confidence, p.deep, p.overfull] for p in points],
        "pooled": pooled(points[:2]).theta,
        "slow-down": slow,
        "estimates": [
            *texture_estimates(Horizon(0, 100, earth)), drain_down_estimate(points[0]), slow_down_estimate(slow),
            lowest_seen([theta_of(name)[n][::24] for n in (0, 1)]),
        ],
        "offer": full_point_offer(layers, points),
    }  # fmt: skip


def of_days(found: list[Any], first: int, last: int) -> tuple[Any, ...]:
    """Wettings that began within days."""
    return tuple(w for w in found if first * 86400 <= w.start_at < last * 86400)


def flawed(name: str) -> dict[str, np.ndarray]:
    """A plot's first depth with one flaw at a time, of sizes about the limits."""
    random = np.random.default_rng(11)
    whole = theta_of(name)[0].copy()
    found = {"none": whole}
    for size in (0.015, 0.03, 0.08):
        spiked = whole.copy()
        spiked[random.choice(len(whole), 6, replace=False)] += size * random.choice([-1, 1], 6)
        found[f"spikes {size}"] = spiked
    for hours in (20, 30):
        stuck = whole.copy()
        stuck[300 : 300 + hours] = stuck[300]
        found[f"stuck {hours}"] = stuck
    fallen = whole.copy()
    fallen[500:] -= 0.09
    found["fallen"] = fallen
    found["air"] = np.where(np.arange(len(whole)) > 700, 0.01 + 0.002 * random.random(len(whole)), whole)
    found["noise"] = whole + random.normal(0, 0.008, len(whole))
    return found


def judged(name: str) -> dict[str, Any]:
    """Everything the rules of quality say of a plot with its flaws."""
    ts = season(name).times
    axis = 1_780_000_000 // 86400 * 86400 + ts
    by_flaw: dict[str, Any] = {}
    for flaw, values in flawed(name).items():
        found = faults(ts, values, WATER)
        by_flaw[flaw] = [found, int(np.isnan(without_faults(ts, values, found)).sum())]
    tension = 8.0 + 3000.0 * np.maximum(0.32 - theta_of(name)[0], 0) ** 1.5
    drained = tension.copy()
    drained[600:700] = 1.0 + 0.01 * np.arange(100)
    by_flaw["tension"] = [faults(ts, tension, TENSION, True), faults(ts, drained, TENSION, True)]
    gap = np.delete(np.arange(len(ts)), np.arange(200, 215))
    by_flaw["gap"] = [faults(ts[gap], 1000 * theta_of(name)[0][gap], RAW)]
    thetas = theta_of(name)
    day = np.arange(len(ts)) / 24
    slow = {
        "none": thetas,
        "ripple": thetas + np.eye(5)[2][:, None] * 0.008 * np.cos(2 * np.pi * day),
        "noise": thetas + np.eye(5)[1][:, None] * np.random.default_rng(4).normal(0, 0.009, len(ts)),
        "rise": thetas + np.eye(5)[3][:, None] * 0.09 * (day > 24.3),
        "drift": thetas + np.eye(5)[1][:, None] * 0.0018 * day,
    }
    water = [(int(axis[0]) + w.start_at, int(axis[0]) + w.end_at) for w in waters_of(name)]
    order = {"as written": (0, 1, 2, 3, 4), "crossed": (0, 2, 1, 3, 4), "turned": (4, 3, 2, 1, 0)}
    return {
        "faults": by_flaw,
        "slow": {k: slow_faults(axis, depth_series(v), water) for k, v in slow.items()},
        "arrivals": [arrivals(t) for t in thetas],
        "crossed": {k: swap_suspicions(depth_series(thetas[list(v)])) for k, v in order.items()},
    }


def depth_series(thetas: np.ndarray) -> list[DepthSeries]:
    """Readings by depth as the rules of quality take them."""
    return [DepthSeries(f"{d:g}", d, theta) for d, theta in zip(DEPTHS, thetas, strict=True)]


def record() -> dict[str, Any]:
    """Everything said of every plot."""
    return {
        "field": {name: plain(told(name)) for name in PLANS},
        "quality": {name: plain(judged(name)) for name in PLANS},
    }


if __name__ == "__main__":
    write(RECORD, record())
