"""How well faults are found: every class put into simulated seasons, held against what the rules say."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from embalse.core.quality.crossed_depths import DepthSeries
from embalse.core.quality.faults import TENSION, WATER, Fault, FaultClass, faults, without_faults
from embalse.core.quality.slow_faults import LIMITS, slow_faults, window_ends
from embalse.core.simulate.flaws import FLAWS, Flaw, with_flaw
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.soil.soil import retention_curve, saxton_rawls
from embalse.services.schema.land import SoilPart
from embalse.standins.demo_farm import SOILS, Season, SimulatedStation, simulate
from embalse.standins.demo_stories import NODES

SEEDS = 20
NEAR_S = 3 * 86400


@dataclass
class Score:
    """Flaws put in, those found, those the rule had what it asks for; findings that were true and that were not."""

    put: int = 0
    found: int = 0
    could: int = 0
    found_where: int = 0
    true: int = 0
    false: int = 0

    def line(self, name: str) -> str:
        """One line for a person."""
        precision = self.true / (self.true + self.false) if self.true + self.false else float("nan")
        recall = f"recall {self.found}/{self.put} = {self.found / self.put:.3f}"
        where = f"{self.found_where}/{self.could} = {self.found_where / self.could:.3f} where the rule can speak"
        return f"{name:<12} precision {precision:.3f}, {recall}" + (f", {where}" if self.could < self.put else "")


def measure(seeds: int = SEEDS, classes: tuple[FaultClass, ...] = FLAWS) -> tuple[dict[FaultClass, Score], int]:
    """Scores by class over the stations of the demonstration, and faults found in healthy seasons (should be 0)."""
    season = simulate()
    scores = {name: Score() for name in FLAWS}
    healthy = 0
    for seed in range(seeds):
        for number, station in enumerate(_looked_at(season)):
            water = _water(season, station)
            clean = _sensed(station, seed)
            healthy += sum(len(found) for found in _found(season, clean, water).values())
            random = np.random.default_rng(1000 * seed + number)
            for name in classes:
                depth = float(random.choice(sorted(clean)))
                flawed, flaw = with_flaw(clean[depth], name, int(random.integers(2**31)))
                found = _found(season, {**clean, depth: flawed}, water)
                hit = _count(scores, (depth, flaw), found, season)
                could = _can_speak(name, clean, (depth, flaw), (season, water))
                scores[name].could += could
                scores[name].found_where += hit and could
    return scores, healthy


def _looked_at(season: Season) -> list[SimulatedStation]:
    """Stations that differ: the nodes of one block, all alike, would count for it two dozen times."""
    return [station for station in season.stations if station.story not in NODES]


def _sensed(station: SimulatedStation, seed: int) -> dict[float, np.ndarray]:
    return {
        depth: sensed_theta(np.array(truth), SensorFaults(), 100 * seed + int(depth))
        for depth, truth in station.truth.items()
    }


def _water(season: Season, station: SimulatedStation) -> list[tuple[int, int]]:
    key = station.block.document["key"]
    starts = [(datetime.fromisoformat(s["start"]).timestamp(), s) for s in season.sets if s["block"] == key]
    sets = [(int(at), int(at + 3600 * s["hours"])) for at, s in starts]
    days = [int(datetime.fromisoformat(r["day"]).timestamp()) for r in season.rain]
    return sets + [(day, day + 86400) for day in days]


def _found(season: Season, thetas: dict[float, np.ndarray], water: list[tuple[int, int]]) -> dict[float, list[Fault]]:
    axis = np.array(season.hours)
    found: dict[float, list[Fault]] = {}
    series = []
    for depth in sorted(thetas):
        there = np.isfinite(thetas[depth])
        ts, theta = axis[there], thetas[depth][there]
        found[depth] = faults(ts, theta, WATER)
        whole = np.full(len(axis), np.nan)
        whole[there] = without_faults(ts, theta, found[depth])
        series.append(DepthSeries(f"{depth:g}", depth, whole))
    stepped = any(f.fault == "step" for fast in found.values() for f in fast)
    slow = slow_faults(axis, series, water, stepped)
    return {depth: found[depth] + slow[f"{depth:g}"] for depth in found}


def _count(
    scores: dict[FaultClass, Score], put: tuple[float, Flaw], found: dict[float, list[Fault]], season: Season
) -> bool:
    depth, flaw = put
    start, end = season.hours[flaw.first], season.hours[flaw.last]
    scores[flaw.fault].put += 1
    hit = False
    for where, fault in _all(found):
        right = where == depth and fault.fault == flaw.fault
        right = right and fault.start_at <= end + NEAR_S and fault.end_at >= start - NEAR_S
        scores[fault.fault].true += right
        scores[fault.fault].false += not right
        hit |= right
    scores[flaw.fault].found += hit
    return hit


def _all(found: dict[float, list[Fault]]) -> Iterator[tuple[float, Fault]]:
    return ((depth, fault) for depth, faults_ in found.items() for fault in faults_)


def _can_speak(
    name: FaultClass,
    clean: dict[float, np.ndarray],
    put: tuple[float, Flaw],
    basis: tuple[Season, list[tuple[int, int]]],
) -> bool:
    """Whether a slow rule has what it asks for: days without water for ripple, four depths and wettings for drift.

    For drift: five windows of days in which the depth is wetted, from the flaw's beginning on.
    """
    depth, flaw = put
    season, water = basis
    if name == "ripple":
        days = {(at // 86400) for at in season.hours[flaw.first : flaw.last + 1]}
        wet = {d for a, b in water for d in range(a // 86400, (b + 3600 * LIMITS.ripple_after_water_h) // 86400 + 1)}
        return len(days - wet) >= LIMITS.ripple_days + 1
    if name == "drift":
        wetted = window_ends(clean[depth][flaw.first :], LIMITS).climbed >= LIMITS.drift_swing
        return len(clean) >= LIMITS.drift_depths and int(wetted.sum()) > LIMITS.drift_windows
    return True


def measure_drained() -> tuple[Score, int]:
    """Tensiometers that lose their water column for 1 to 5 days, and series looked at; other findings are false."""
    season, score, looked = simulate(), Score(), 0
    axis = np.array(season.hours)
    for number, station in enumerate(_looked_at(season)):
        for depth, truth in station.truth.items():
            random = np.random.default_rng(100 * number + int(depth))
            tension = np.clip(_tension(station, depth, np.array(truth)) + random.normal(0, 0.5, len(truth)), 0, 85)
            score.false += sum(f.fault == "drained" for f in faults(axis, tension, TENSION, True))
            looked += 1
            dry = np.flatnonzero(tension[:-300] > 40)
            for start in random.choice(dry, 3).tolist() if len(dry) > 50 else []:
                end = start + 24 * int(random.integers(1, 6))
                lost = tension.copy()
                lost[start:end] = np.abs(random.normal(2, 0.7, end - start))
                found = [f for f in faults(axis, lost, TENSION, True) if f.fault == "drained"]
                near = [f for f in found if abs(f.start_at - axis[start]) <= 7200]
                score.put, score.found = score.put + 1, score.found + bool(near)
                score.true, score.false = score.true + len(near), score.false + len(found) - len(near)
    score.could = score.put
    return score, looked


def _tension(station: SimulatedStation, depth: float, theta: np.ndarray) -> np.ndarray:
    soil = SoilPart.model_validate(next(s for s in SOILS if s["key"] == station.block.document["soil"]))
    horizon = next(h for h in soil.horizons if h.top_cm <= depth < h.bottom_cm)
    grid = np.arange(0.5, 85, 0.5)
    curve = np.array(retention_curve(saxton_rawls(horizon.horizon().earth), 0.0, grid.tolist()))[:, 1]
    return np.interp(-theta / (1 - horizon.stones_fraction), -curve, grid)


def main() -> None:
    """Print the scores."""
    scores, healthy = measure()
    for name, score in scores.items():
        print(score.line(name))
    drained, looked = measure_drained()
    print(f"{drained.line('drained')}, over {looked} tension series")
    print(f"faults in healthy seasons ({SEEDS} seeds): {healthy}")


if __name__ == "__main__":
    main()
