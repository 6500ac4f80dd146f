"""How near the estimators of marks come to simulated truth, and how often they rightly abstain."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.growth import StemDay, growth_rates, threshold_from_growth
from embalse.core.field.drain_down import ProfileSeries, full_point_from_drain_down
from embalse.core.field.uptake_slowdown import UptakeDays, dry_days, refill_from_slow_down
from embalse.core.sensors.calibration_fit import choice
from embalse.core.simulate.growing import growth_mm_h, half_growth_share
from embalse.core.simulate.plots import TEXTURES, PlotPlan, PlotSeason, plot_season

SEEDS = 20
DEPTHS = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0)
LIMITS = (0, 15, 25, 35, 45, 55, 70, 90)
DAY = 24
Floats = NDArray[np.float64]


def textures(seeds: int) -> list[tuple[str, int]]:
    """A texture and a seed for each season, the textures in turn."""
    names = list(TEXTURES)
    return [(names[seed % len(names)], seed) for seed in range(seeds)]


def spread(name: str, errors: Sequence[float], unit: str) -> str:
    """Median, 90th percentile and bias of errors, in one line."""
    if not errors:
        return f"{name}: none"
    size = np.abs(errors)
    return (
        f"{name}: n {len(size)}, median {np.median(size):.4g}, P90 {np.quantile(size, 0.9):.4g}, "
        f"bias {np.median(errors):+.4g} {unit}"
    )


def profile(season: PlotSeason, sensed: bool) -> ProfileSeries:
    """A plot's season as drain-downs are looked for in it."""
    values = season.sensed if sensed else season.truth
    return ProfileSeries(
        season.times, np.array([values[d] for d in DEPTHS]), tuple(np.diff(LIMITS).tolist()), tuple(season.sets)
    )


def full_points(seeds: int) -> list[str]:
    """Full point from drain-down: against the soil's 33 kPa, against the same reading of the truth; never filled."""
    to_soil, to_truth, silent, wrong = [], [], 0, 0
    least: list[float] = []
    for texture, seed in textures(seeds):
        season = plot_season(PlotPlan(texture, fill=1.3, deep_every=1, days=90, depths_cm=DEPTHS), seed)
        for layer in (1, 3, 5):
            found = full_point_from_drain_down(profile(season, True), layer)
            true = full_point_from_drain_down(profile(season, False), layer)
            if found.theta is None:
                silent += 1
                continue
            to_soil.append(found.theta - season.theta_full[DEPTHS[layer]])
            if true.theta is not None:
                to_truth.append(found.theta - true.theta)
        dry = plot_season(PlotPlan(texture, fill=0.6, deep_every=0, days=60, depths_cm=DEPTHS), seed)
        for layer in (1, 3, 5):
            found = full_point_from_drain_down(profile(dry, True), layer)
            wrong += found.theta is not None and not found.at_least
            if found.theta is not None and found.at_least:
                least.append(found.theta - dry.theta_full[DEPTHS[layer]])
    return [
        spread("full point against the soil at 33 kPa (aim 0.005, P90 0.012)", to_soil, "m³/m³"),
        spread("full point against the same reading of the true water", to_truth, "m³/m³"),
        f"full point: silent on {silent} of {3 * seeds} filled layers; of {3 * seeds} never filled spoke on {wrong} "
        f"(aim 0), said 'at least' of {len(least)}, too much of {sum(one > 0 for one in least)} (aim 0)",
    ]


def uptake_days(season: PlotSeason, sensed: bool) -> UptakeDays:
    """Dry days of a plot: depletion, use and demand [mm]."""
    inside = [d for d in DEPTHS if d <= season.plan.root_depth_cm]
    edges = [*LIMITS[: len(inside)], season.plan.root_depth_cm]
    mm = 10 * np.diff(edges)
    values = season.sensed if sensed else season.truth
    dawn = np.arange(5, len(season.times), DAY)
    storage = sum(w * values[d][dawn] for w, d in zip(mm, inside, strict=True))
    full = sum(w * season.theta_full[d] for w, d in zip(mm, inside, strict=True))
    depletion = np.asarray(full - storage, dtype=float)
    wet = {int(t // 86400) for pair in season.sets for t in pair} | {int(p[1] // 86400) + 1 for p in season.sets}
    days = [d for d in dry_days(range(len(depletion) - 1), wet) if depletion[d] >= 0]
    demand = season.eto_mm * season.plan.kc
    return UptakeDays(
        depletion[days], depletion[[d + 1 for d in days]] - depletion[days], demand[days], np.array(days, dtype=float)
    )


def true_break(season: PlotSeason) -> float | None:
    """Depletion [mm] from which the true uptake stays under 97 % of demand, None when it never does."""
    ratio = season.uptake_mm / (season.eto_mm * season.plan.kc)
    order = np.argsort(season.depletion_mm)
    under = ratio[order] < 0.97
    first = next((i for i in range(len(under)) if under[i:].mean() > 0.9 and under[i]), None)
    return None if first is None else float(season.depletion_mm[order][first])


def slow_downs(seeds: int) -> list[str]:
    """Refill from uptake slow-down, as a share of available water; seasons that never slow must say nothing."""
    errors, silent, wrong = [], 0, 0
    for texture, seed in textures(seeds):
        season = plot_season(PlotPlan(texture, days=110, start_share=0.9, deep_every=2, depths_cm=DEPTHS), seed)
        found, true = refill_from_slow_down(uptake_days(season, True)), true_break(season)
        if found.depletion_mm is None or true is None:
            silent += 1
        else:
            errors.append((found.depletion_mm - true) / season.taw_mm)
        well = plot_season(PlotPlan(texture, days=110, start_share=0.35, deep_every=2, depths_cm=DEPTHS), seed)
        wrong += refill_from_slow_down(uptake_days(well, True)).depletion_mm is not None
    return [
        spread("uptake slow-down (aim 0.10 of available water)", errors, "of available water"),
        f"uptake slow-down: silent on {silent} of {seeds} that slow; spoke on {wrong} of {seeds} that never do",
    ]


def calibrations(seeds: int) -> list[str]:
    """The error a calibration states against the one its samples were made with."""
    ratios = []
    for seed in range(seeds):
        random = np.random.default_rng(seed)
        raw = random.uniform(350, 720, 30)
        theta = 0.62 - 8e-4 * raw + 1e-7 * raw**2 + random.normal(0, 0.015, len(raw))
        best = choice(raw, theta).best
        assert best is not None
        ratios.append(best.left_out_rmse_theta / 0.015)
    few = choice(np.array([400.0, 402, 404, 406]), np.array([0.30, 0.31, 0.30, 0.31])).best
    inside = sum(abs(r - 1) <= 0.1 for r in ratios)
    return [
        f"calibration error stated over true, 30 samples: median {np.median(ratios):.3f}, "
        f"{min(ratios):.2f} to {max(ratios):.2f}; {inside} of {seeds} within 10 %; "
        f"too few levels refused: {few is None}"
    ]


def growths(seeds: int) -> list[str]:
    """The depletion at half growth against the one the crop was made with, as a share of available water."""
    errors, of_potential, silent, early = [], [], 0, 0
    for texture, seed in textures(seeds):
        for start_share in (0.65, 0.30):
            plan = PlotPlan(texture, days=90, start_share=start_share, deep_every=0, depths_cm=DEPTHS)
            season = plot_season(plan, seed)
            found, true = _threshold(season, seed), _threshold(season, None)
            if start_share < half_growth_share():
                early += found is not None
            elif found is None:
                silent += 1
            elif true is not None:
                errors.append((found - true) / season.taw_mm)
                of_potential.append(found / season.taw_mm - half_growth_share())
    return [
        spread("growth threshold against half of the peak truly reached", errors, "of available water"),
        spread(
            "growth threshold against half of what full air and water would give", of_potential, "of available water"
        ),
        f"growth: silent on {silent} of {seeds}; spoke on {early} of {seeds} watered before the half",
    ]


def _threshold(season: PlotSeason, seed: int | None) -> float | None:
    """Depletion at half the peak [mm]: measured on twenty stems, or with a perfect ruler and probe (no seed)."""
    random = np.random.default_rng(seed or 0)
    blur = 0.0 if seed is None else 1.0
    inside = [d for d in DEPTHS if d <= season.plan.root_depth_cm]
    mm = 10 * np.diff([*LIMITS[: len(inside)], season.plan.root_depth_cm])
    full = sum(w * season.theta_full[d] for w, d in zip(mm, inside, strict=True))

    def depletion(values: dict[float, Floats]) -> Floats:
        return np.asarray(full - sum(w * values[d] for w, d in zip(mm, inside, strict=True)), dtype=float)

    wetted = np.zeros(len(season.times), dtype=bool)
    for start, end in season.sets:
        wetted |= (season.times >= start) & (season.times <= end + 6 * 3600)
    length = np.cumsum(growth_mm_h(depletion(season.truth) / season.taw_mm, wetted, 35.0))
    vigour = 1 + blur * random.normal(0, 0.12, 20)
    stems = [
        StemDay(
            float(season.times[h]), {str(p): 200 + length[h] * v + random.normal(0, 1.5) for p, v in enumerate(vigour)}
        )
        for h in range(7, len(season.times), DAY)
    ]
    wettings = [(float(a), float(b)) for a, b in season.sets]
    readings = (season.times.astype(float), depletion(season.sensed if seed is not None else season.truth))
    return threshold_from_growth(growth_rates(stems), wettings, readings).reading


def main(seeds: int = SEEDS) -> None:
    """Print every figure."""
    for part in (full_points, slow_downs, calibrations, growths):
        for line in part(seeds):
            print(line, flush=True)
