"""What the demonstration's people weighed, picked and measured: samples, marks, stems, fruit, a trunk gauge."""

from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from embalse.core.root_zone.root_zone import root_zone_marks
from embalse.core.simulate.growing import growth_mm_h
from embalse.core.soil.horizon_marks import horizon_marks
from embalse.core.soil.layers import RootZoneRule, build_layers
from embalse.core.soil.retention import equation_curve
from embalse.services.intake.import_plan import ImportPlan, PlanColumn
from embalse.services.schema.land import SoilPart
from embalse.standins.demo_farm import UTC_SHIFT_H, Season, SimulatedStation
from embalse.standins.demo_stories import SOILS
from embalse.standins.logger_files import raw_values

Array = NDArray[np.float64]
Document = dict[str, Any]
TRUNK_SENSOR = "olivar/a/10.trunk"
PLANTS = [str(n) for n in range(1, 21)]
PEAK_MM_D = 32.0
WHO = "Inés"


def soil_water_parts(season: Season) -> Document:
    """Sheets, picks and growth as parts of the farm document."""
    return {
        "eto": season.eto,
        "sample_sheets": [_probe_sheet(season), _first_tunnel_samples(season)],
        "retention_curves": [_lab_curve()],
        "mark_choices": _choices(),
        "growth_days": _stems(season),
        "fruit_targets": [
            {"key": "tunel", "first_day": "2026-06-15", "first_mm": 34.0, "harvest": "2026-07-28", "target_mm": 82.0,
             "note": "first picking for the packhouse"},
        ],
        "fruit_samples": _fruit(),
    }  # fmt: skip


def _station(season: Season, block: str, station: str) -> SimulatedStation:
    return next(s for s in season.stations if s.block.document["key"] == block and s.story.key == station)


def _hour(season: Season, moment: datetime) -> int:
    return int(np.searchsorted(np.array(season.hours), moment.timestamp()))


def _weighed(theta: float, random: np.random.Generator, ring_cm3: float = 100.0) -> Document:
    """Masses of a ring of fine earth at a water content."""
    fine = theta
    density = 1.36 + float(random.normal(0, 0.03))
    tare = 48.0 + float(random.normal(0, 0.6))
    dry = tare + density * ring_cm3
    return {"tare_g": round(tare, 1), "wet_g": round(dry + fine * ring_cm3, 1), "dry_g": round(dry, 1),
            "ring_volume_cm3": ring_cm3, "stones_fraction": 0.0, "oven_c": 105.0, "oven_h": 24.0}  # fmt: skip


def _probe_sheet(season: Season) -> Document:
    """Fifteen samples beside the sensors of Ladera, wet above and dry below; one tin was mixed up."""
    random = np.random.default_rng(51)
    station = _station(season, "ladera", "a")
    samples = []
    moments = [datetime(2026, 3, 4, 9, tzinfo=UTC), datetime(2026, 4, 22, 9, tzinfo=UTC),
               datetime(2026, 5, 20, 9, tzinfo=UTC), datetime(2026, 6, 17, 9, tzinfo=UTC),
               datetime(2026, 7, 8, 9, tzinfo=UTC)]  # fmt: skip
    for number, moment in enumerate(moments):
        hour = _hour(season, moment)
        for depth in (15.0, 45.0, 90.0):
            reading = float(raw_values(station, depth)[hour])
            if not np.isfinite(reading):
                reading = float(raw_values(station, depth)[hour - 1])
            theta = float(station.truth[depth][hour]) + float(random.normal(0, 0.012))
            mixed_up = number == 3 and depth == 45.0
            sample = {
                "label": f"{moment:%d %b} {depth:g}", "sensor": f"ladera/a/{depth:g}", "raw": [reading],
                "soil": "loam" if depth < 40 else "clay", "depth_cm": depth,
                **_weighed(theta + (0.09 if mixed_up else 0.0), random),
            }  # fmt: skip
            samples.append(sample)
    return {"key": "ladera-2026", "name": "Ladera, beside the sensors", "block": "ladera", "raw_unit": "%",
            "on": "2026-07-10", "samples": samples, "who": WHO,
            "note": "a hand's breadth from each sensor, rings pushed in sideways"}  # fmt: skip


def _first_tunnel_samples(season: Season) -> Document:
    """The first two moistures of the tunnel: too few for a curve yet."""
    random = np.random.default_rng(52)
    samples = []
    for day in (date(2026, 7, 6), date(2026, 7, 9)):
        moment = datetime(day.year, day.month, day.day, 8, tzinfo=UTC)
        hour = _hour(season, moment)
        for key in ("a", "b"):
            station = _station(season, "tunel", key)
            theta = float(station.truth[30.0][hour])
            masses = _weighed(theta, random)
            raw = float(raw_values(station, 30.0)[hour])
            place = {"sensor": f"tunel/{key}/30", "raw": [raw], "soil": "loam", "depth_cm": 30.0}
            samples.append({"label": f"{day:%d %b} {key}", **place, **masses})
    return {"key": "tunel-1", "name": "Túnel, first tins", "block": "tunel", "raw_unit": "count", "on": "2026-07-10",
            "samples": samples, "who": WHO, "note": "two moistures so far; go again before the next set"}  # fmt: skip


def _lab_curve() -> Document:
    """Points of a laboratory for the topsoil of Bajo, near the texture's own curve."""
    random = np.random.default_rng(53)
    part = SoilPart.model_validate(next(s for s in SOILS if s["key"] == "bajo"))
    horizon = part.horizons[0].horizon()
    curve = equation_curve(horizon.earth, horizon.stones_fraction)
    kpa = (3.0, 10.0, 20.0, 33.0, 60.0, 100.0, 300.0, 1500.0)
    points = [[k, round(float(curve.theta(k)) + float(random.normal(0, 0.006)), 3)] for k in kpa]
    return {"key": "bajo-top-lab", "soil": "bajo", "top_cm": 0.0, "bottom_cm": 42.0, "kind": "points",
            "points": points, "valid_from": "2026-03-20", "who": WHO, "note": "pressure plate, two cores"}  # fmt: skip


def _choices() -> list[Document]:
    def pick(key: str, block: str, mark: str, how: str, value: float, **more: Any) -> Document:
        return {"key": key, "block": block, "mark": mark, "how": how, "value": value, "valid_from": "2026-03-20",
                "who": WHO, **more}  # fmt: skip

    deficit = "share of available water that may be used"
    return [
        pick("bajo-full", "bajo", "full", "tension", 20.0, estimator="tension",
             note="drip on clay loam: any wetter and water stands on it"),
        pick("bajo-refill", "bajo", "refill", "tension", 60.0, estimator="tension threshold",
             note="our own years with this variety; the table's 10 to 40 is for sand"),
        pick("olivar-all", "olivar", "refill", "fraction", 0.5, estimator="share of full", note=f"half: {deficit}"),
        pick("olivar-mid", "olivar", "refill", "fraction", 0.6, estimator="share of full", stage="mid",
             note="pit hardening bears a deficit: keep two fifths"),
    ]  # fmt: skip


def _stems(season: Season) -> list[Document]:
    """Twenty stems of Vega every morning of the weeks it shot up."""
    random = np.random.default_rng(54)
    number = season.stations.index(_station(season, "vega", "a"))
    part = SoilPart.model_validate(next(s for s in SOILS if s["key"] == "vega"))
    layers = build_layers((20, 40, 60, 90), [horizon_marks(h.horizon()) for h in part.horizons], RootZoneRule(90, 0.45))
    taw = root_zone_marks(layers, 90).taw_mm
    hours = np.array(season.hours)
    wetted = np.zeros(len(hours), dtype=bool)
    for one in (s for s in season.sets if s["block"] == "vega"):
        start = datetime.fromisoformat(one["start"]).timestamp()
        wetted |= (hours >= start) & (hours <= start + 3600 * (one["hours"] + 6))
    per_hour = growth_mm_h(season.depletion_mm[:, number] / taw, wetted, PEAK_MM_D)
    length = np.cumsum(per_hour)
    vigour = 1 + random.normal(0, 0.12, len(PLANTS))
    start = _hour(season, datetime(2026, 5, 18, 4, tzinfo=UTC))
    found = []
    for day in range(55):
        hour = start + 24 * day
        if hour >= len(hours):
            break
        at = datetime.fromtimestamp(season.hours[hour], UTC) + timedelta(hours=2)
        grown = 140 + (length[hour] - length[start]) * vigour + random.normal(0, 1.5, len(PLANTS))
        lengths = {plant: round(float(value)) for plant, value in zip(PLANTS, grown, strict=True)}
        key = f"vega-{at:%Y%m%d}"
        found.append({"key": key, "block": "vega", "at": at.replace(tzinfo=None).isoformat(), "who": "Tomás",
                      "lengths_mm": lengths})  # fmt: skip
    return found


def _fruit() -> list[Document]:
    random = np.random.default_rng(55)
    found = []
    for week, mean in enumerate((34.5, 42.0, 50.5, 56.5)):
        day = date(2026, 6, 16) + timedelta(days=8 * week)
        sizes = [round(float(v), 1) for v in random.normal(mean, 2.4, 20)]
        found.append({"key": f"tunel-{day:%Y%m%d}", "block": "tunel", "on": day.isoformat(), "diameters_mm": sizes,
                      "who": "Tomás"})  # fmt: skip
    return found


def write_trunk_file(folder: Path, season: Season) -> tuple[Path, ImportPlan]:
    """The trunk gauge of Olivar, hourly in µm, and the plan that reads it."""
    random = np.random.default_rng(56)
    number = season.stations.index(_station(season, "olivar", "a"))
    used = season.depletion_mm[:, number] / 130.0
    lines = ["time,trunk"]
    trunk = 41_000.0
    eto = {e["day"]: e["eto_mm"] for e in season.eto}
    for index, second in enumerate(season.hours):
        moment = datetime.fromtimestamp(second, UTC) + timedelta(hours=UTC_SHIFT_H)
        stress = float(np.clip(used[index], 0, 1))
        trunk += 1.3 * (1 - stress)
        swing = 30 * eto.get(moment.date().isoformat(), 4.0) * (0.5 + stress)
        shrink = swing * max(0.0, np.sin(np.pi * (moment.hour - 7) / 14)) if 7 <= moment.hour <= 21 else 0.0
        lines.append(f"{moment:%Y-%m-%d %H:%M},{trunk - shrink + random.normal(0, 4):.0f}")
    path = folder / "olivar-trunk.csv"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    plan = ImportPlan(
        time_zone=f"UTC+0{UTC_SHIFT_H}:00", date_order="ymd", decimal=".",
        columns=[PlanColumn(column="trunk", sensor=TRUNK_SENSOR, unit="um")],
    )  # fmt: skip
    return path, plan
