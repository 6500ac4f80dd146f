"""The demonstration farm: an invented place, its blocks, and a season simulated from a seed."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from embalse.core.marks import horizon_marks
from embalse.core.moving_systems import Furrows, furrow_rate_mm_h
from embalse.core.simulate.column import ColumnSpec, SoilColumns
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.simulate.weather import Weather, hourly_share, weather
from embalse.services.parts.land import SoilPart

SEED = 20260714
START = datetime(2026, 2, 28, 23, tzinfo=UTC)  # midnight of 1 March in the farm's winter time
END = datetime(2026, 7, 14, 4, tzinfo=UTC)  # 06:00 of 14 July in the farm's summer time
UTC_SHIFT_H = 1  # the loggers keep winter time all year
Array = NDArray[np.float64]

SOILS: list[dict[str, Any]] = [
    {
        "key": "norte",
        "name": "gravelly sandy loam",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 45, "texture": "sandy loam", "organic_matter_pct": 1.6, "stones_fraction": 0.12},
            {
                "top_cm": 45,
                "bottom_cm": 150,
                "texture": "sandy loam",
                "organic_matter_pct": 0.6,
                "stones_fraction": 0.18,
            },
        ],
    },
    {
        "key": "ladera",
        "name": "loam over clay",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 40, "texture": "loam", "organic_matter_pct": 1.8},
            {"top_cm": 40, "bottom_cm": 150, "sand_fraction": 0.28, "clay_fraction": 0.42, "organic_matter_pct": 0.7},
        ],
    },
    {
        "key": "olivar",
        "name": "stony clay loam",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 150, "texture": "clay loam", "organic_matter_pct": 1.2, "stones_fraction": 0.2}
        ],
    },
    {
        "key": "tunel",
        "name": "loam, organic",
        "horizons": [{"top_cm": 0, "bottom_cm": 150, "texture": "loam", "organic_matter_pct": 4.0}],
    },
    {
        "key": "bajo",
        "name": "clay loam, bottom land",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 42, "texture": "clay loam", "organic_matter_pct": 1.9},
            {"top_cm": 42, "bottom_cm": 150, "texture": "clay loam", "organic_matter_pct": 0.8},
        ],
    },
    {
        "key": "vega",
        "name": "silty clay",
        "horizons": [
            {"top_cm": 0, "bottom_cm": 30, "texture": "silty clay", "organic_matter_pct": 2.2},
            {"top_cm": 30, "bottom_cm": 150, "texture": "silty clay", "organic_matter_pct": 0.9},
        ],
    },
]

SYSTEMS: list[dict[str, Any]] = [
    {"key": "norte-1", "name": "double-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 2.3,
     "spacing_m": 0.5, "line_spacing_m": 6.5, "per_point": 2},
    {"key": "norte-2", "name": "single-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 3.8,
     "spacing_m": 0.6, "line_spacing_m": 4.5},
    {"key": "ladera", "name": "micro-sprinkler", "kind": "micro", "efficiency_fraction": 0.85, "flow_l_h": 105,
     "spacing_m": 3.0, "line_spacing_m": 6.0},
    {"key": "olivar", "name": "single-line drip", "kind": "drip", "efficiency_fraction": 0.9, "flow_l_h": 3.5,
     "spacing_m": 0.6, "line_spacing_m": 3.75},
    {"key": "tunel", "name": "drip tape", "kind": "drip", "efficiency_fraction": 0.92, "flow_l_h": 1.0,
     "spacing_m": 0.3, "line_spacing_m": 1.0},
    {"key": "bajo", "name": "buried drip", "kind": "drip", "efficiency_fraction": 0.92, "flow_l_h": 1.1,
     "spacing_m": 0.3, "line_spacing_m": 1.5},
    {"key": "vega", "name": "furrows", "kind": "furrow", "efficiency_fraction": 0.65,
     "furrows": {"inflow_l_s": 1.2, "count": 80, "spacing_m": 0.75, "length_m": 280.0, "tailwater_fraction": 0.1}},
]  # fmt: skip

PROBE_CALIBRATION = {"valid_from": "2026-02-20", "slope": 0.0108, "intercept": -0.012, "rmse_theta": 0.015,
                     "note": "five weighed and dried samples in February"}  # fmt: skip


@dataclass(frozen=True)
class StationStory:
    """A station of the demonstration: sensors [cm], how its water differs, what its sensors do wrong."""

    key: str
    name: str
    depths_cm: tuple[float, ...]
    water_factor: float = 1.0
    faults: SensorFaults = field(default_factory=SensorFaults)
    gap: tuple[date, date] | None = None
    installed: date = date(2026, 2, 20)
    stuck: tuple[float, date] | None = None
    crossed: bool = False


@dataclass(frozen=True)
class BlockStory:
    """A block of the demonstration and how its manager waters it.

    ``copies`` is the block whose sets are run here too; otherwise a set starts when depletion passes ``start_at`` of
    what is allowed and refills ``refill`` of it, not more often than every ``every`` days.
    """

    document: dict[str, Any]
    stations: tuple[StationStory, ...]
    kc_by_month: tuple[float, ...]
    intake_mm_h: float = 60.0
    copies: str = ""
    start_at: float = 1.0
    refill: float = 1.0
    every: int = 1
    logger: str = "comma"
    raw_unit: str = "%"
    calibrated: bool = True
    by_hand: bool = False


PAIR = (25.0, 60.0)
PROFILE = (10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0)
BLOCKS: tuple[BlockStory, ...] = (
    BlockStory(
        {"key": "norte-1", "name": "Norte 1", "area_ha": 18, "crop": "almond", "soil": "norte",
         "planting_date": "2026-02-20",
         "system": "norte-1", "supply": "pozo",
         "root_depth_cm": 90, "allowable_depletion_fraction": 0.45, "wetted_fraction": 0.6, "min_set_mm": 8,
         "max_set_mm": 40},
        (StationStory("a", "probe A", PROFILE),
         StationStory("b", "probe B", PROFILE, water_factor=0.995, stuck=(50.0, date(2026, 7, 9)))),
        (0.3, 0.4, 0.45, 0.55, 0.7, 0.85, 0.9, 0.9, 0.8, 0.6, 0.4, 0.3),
        start_at=0.85, logger="semicolon",
    ),
    BlockStory(
        {"key": "norte-2", "name": "Norte 2", "area_ha": 16, "crop": "almond", "variety": "third leaf", "soil": "norte",
         "system": "norte-2", "supply": "pozo", "root_depth_cm": 70,
         "allowable_depletion_fraction": 0.45, "wetted_fraction": 0.4,
         "min_set_mm": 6, "max_set_mm": 30},
        (StationStory("a", "probe", PROFILE),),
        (0.2, 0.2, 0.2, 0.22, 0.25, 0.28, 0.3, 0.3, 0.28, 0.25, 0.2, 0.2),
        copies="norte-1", logger="comma", raw_unit="m3/m3",
    ),
    BlockStory(
        {"key": "ladera", "name": "Ladera", "area_ha": 14, "crop": "pistachio", "soil": "ladera", "system": "ladera",
         "supply": "balsa", "slope_pct": 9,
         "root_depth_cm": 95, "allowable_depletion_fraction": 0.4, "wetted_fraction": 0.7, "min_set_mm": 10,
         "max_set_mm": 35},
        (StationStory("a", "station east", (15.0, 30.0, 45.0, 60.0, 90.0), faults=SensorFaults(spike_share=0.0012)),),
        (0.3, 0.3, 0.4, 0.5, 0.7, 0.9, 1.0, 1.0, 0.8, 0.5, 0.4, 0.3),
        intake_mm_h=4.2, start_at=0.6, refill=1.0, every=4, logger="tab",
    ),
    BlockStory(
        {"key": "olivar", "name": "Olivar", "area_ha": 36, "crop": "olive", "variety": "hedgerow", "soil": "olivar",
         "planting_date": "2026-03-01",
         "system": "olivar", "supply": "balsa", "root_depth_cm": 90,
         "allowable_depletion_fraction": 0.5, "wetted_fraction": 0.45,
         "min_set_mm": 6, "max_set_mm": 30},
        (StationStory("a", "probe", (10.0, 20.0, 30.0, 40.0, 60.0, 80.0, 100.0),
                      faults=SensorFaults(missing_share=0.002), gap=(date(2026, 6, 3), date(2026, 6, 7))),
         StationStory("b", "new probe", (10.0, 20.0, 30.0, 40.0, 60.0, 80.0, 100.0), installed=date(2026, 7, 11))),
        (0.4, 0.4, 0.45, 0.5, 0.5, 0.45, 0.4, 0.4, 0.5, 0.5, 0.45, 0.4),
        start_at=0.85, refill=0.75, every=3, logger="comma",
    ),
    BlockStory(
        {"key": "tunel", "name": "Túnel", "area_ha": 1.2, "crop": "sweet pepper", "soil": "tunel", "system": "tunel",
         "root_depth_cm": 50, "allowable_depletion_fraction": 0.3, "wetted_fraction": 0.6, "min_set_mm": 2,
         "max_set_mm": 15},
        (StationStory("a", "bench row", (10.0, 30.0, 50.0)), StationStory("b", "far row", (10.0, 30.0, 50.0))),
        (0.6, 0.6, 0.6, 0.7, 0.8, 0.95, 1.0, 1.0, 0.9, 0.7, 0.6, 0.6),
        start_at=0.7, every=1, logger="comma", raw_unit="count", calibrated=False,
    ),
    BlockStory(
        {"key": "bajo", "name": "Bajo", "area_ha": 22, "crop": "tomato", "variety": "processing", "soil": "bajo",
         "system": "bajo", "supply": "pozo", "planting_date": "2026-04-20", "root_depth_cm": 70,
         "allowable_depletion_fraction": 0.4, "wetted_fraction": 0.7, "min_set_mm": 5, "max_set_mm": 25},
        (StationStory("a", "pair by the road", PAIR, installed=date(2026, 4, 28)),
         StationStory("b", "pair in the middle", PAIR, installed=date(2026, 4, 28)),
         StationStory("c", "pair by the ditch", PAIR, water_factor=1.01, installed=date(2026, 4, 28), crossed=True)),
        (0.2, 0.2, 0.2, 0.35, 0.7, 1.0, 1.1, 1.0, 0.7, 0.3, 0.2, 0.2),
        start_at=0.45, refill=1.0, every=2, logger="comma", raw_unit="kPa", calibrated=False,
    ),
    BlockStory(
        {"key": "vega", "name": "Vega", "area_ha": 27, "crop": "sunflower", "soil": "vega", "system": "vega",
         "supply": "balsa", "planting_date": "2026-04-18", "root_depth_cm": 90, "allowable_depletion_fraction": 0.45,
         "wetted_fraction": 1.0, "min_set_mm": 40, "max_set_mm": 100},
        (StationStory("a", "furrow 60", (20.0, 40.0, 60.0, 90.0), installed=date(2026, 5, 4)),),
        (0.2, 0.2, 0.2, 0.35, 0.75, 1.05, 1.1, 0.6, 0.3, 0.2, 0.2, 0.2),
        intake_mm_h=30.0, start_at=1.3, refill=1.05, every=5, raw_unit="kPa", calibrated=False, by_hand=True,
    ),
)  # fmt: skip


@dataclass
class SimulatedStation:
    """A station's truth and readings, hourly: water content at each depth [m³/m³], shape (hours,)."""

    block: BlockStory
    story: StationStory
    truth: dict[float, list[float]] = field(default_factory=dict)
    sensed: dict[float, Array] = field(default_factory=dict)


@dataclass
class Season:
    """The simulated season: hours [s, UTC], stations, sets, rain, and the true depletion [mm] by station and hour."""

    hours: list[int]
    stations: list[SimulatedStation]
    sets: list[dict[str, Any]]
    rain: list[dict[str, Any]]
    depletion_mm: Array
    drained_mm: Array
    runoff_mm: Array
    balance_error_mm: float
    eto: list[dict[str, Any]] = field(default_factory=list)


def simulate(report: Callable[[str], None] = lambda _: None, until: datetime = END) -> Season:
    """The season from 1 March to the demonstration's clock, or later; the same every time as far as it goes."""
    return _Simulation().run(report, until)


def _sky(first: date, days: int) -> Weather:
    """Weather that does not change when the season is carried on: what comes after the clock has a seed of its own."""
    fixed = (int((END - START) / timedelta(hours=1)) + 1 + UTC_SHIFT_H) // 24 + 2
    months = np.array([(first + timedelta(days=d)).month for d in range(days)])
    sky = weather(months[:fixed], SEED)
    if days <= fixed:
        return sky
    later = [weather(months[day : day + 1], SEED + day) for day in range(fixed, days)]
    return Weather(
        np.concatenate([sky.eto_mm_d, *(w.eto_mm_d for w in later)]),
        np.concatenate([sky.rain_mm, *(w.rain_mm for w in later)]),
    )


def _rate_mm_h(system: dict[str, Any]) -> float:
    if "furrows" in system:
        return furrow_rate_mm_h(Furrows(**system["furrows"]))
    return float(system["flow_l_h"] * system.get("per_point", 1) / (system["spacing_m"] * system["line_spacing_m"]))


class _Simulation:
    def __init__(self) -> None:
        soils = {s["key"]: SoilPart.model_validate(s) for s in SOILS}
        self.stations = [SimulatedStation(b, s) for b in BLOCKS for s in b.stations]
        self.roots = np.array([float(s.block.document["root_depth_cm"]) for s in self.stations])
        specs = [
            ColumnSpec(
                tuple(horizon_marks(h.horizon()) for h in soils[s.block.document["soil"]].horizons),
                150.0,
                float(s.block.document["root_depth_cm"]),
                s.block.intake_mm_h,
            )
            for s in self.stations
        ]
        self.columns = SoilColumns(specs)
        self.wetted = np.array([float(s.block.document["wetted_fraction"]) for s in self.stations])
        self.factor = np.array([s.story.water_factor for s in self.stations])
        self.allowed = self._allowed()
        self.running: dict[str, tuple[float, float]] = {}
        self.last_set: dict[str, int] = {}
        self.sets: list[dict[str, Any]] = []
        systems = {s["key"]: s for s in SYSTEMS}
        self.rate = {b.document["key"]: _rate_mm_h(systems[b.document["system"]]) for b in BLOCKS}
        self.efficiency = {b.document["key"]: systems[b.document["system"]]["efficiency_fraction"] for b in BLOCKS}

    def _allowed(self) -> Array:
        columns = self.columns
        share = np.clip((self.roots[:, None] - columns.centres_cm) / 5.0 + 0.5, 0, 1)
        taw = ((columns.full - columns.wilting) * share).sum(axis=1) * columns.thickness_mm
        return np.asarray(taw * np.array([s.block.document["allowable_depletion_fraction"] for s in self.stations]))

    def run(self, report: Callable[[str], None], until: datetime) -> Season:
        hours = int((until - START) / timedelta(hours=1)) + 1
        days = (hours + UTC_SHIFT_H) // 24 + 2
        first = (START + timedelta(hours=UTC_SHIFT_H)).date()
        sky = _sky(first, days)
        start_mm, flows_mm = self.columns.storage_mm(), np.zeros(len(self.stations))
        depletion = np.zeros((hours, len(self.stations)))
        drained, runoff = np.zeros_like(depletion), np.zeros_like(depletion)
        for step in range(hours):
            moment = START + timedelta(hours=step + UTC_SHIFT_H)
            day = (moment.date() - first).days
            self._record()
            depletion[step] = self.columns.depletion_mm(self.roots)
            if moment.hour == 20:
                self._manage(day, depletion[step], moment)
            rain = float(sky.rain_mm[day]) / 4 if 13 <= moment.hour < 17 else 0.0
            demand = hourly_share(moment.hour) * float(sky.eto_mm_d[day]) * self._kc(moment.month) / self.wetted
            flows = self.columns.hour(self._supply() + rain, demand)
            flows_mm += flows.intake_mm - flows.uptake_mm - flows.drainage_mm
            drained[step], runoff[step] = flows.drainage_mm, flows.runoff_mm
            if moment.hour == 0 and moment.day == 1:
                report(f"simulating {moment:%B}")
        error = float(np.abs(self.columns.storage_mm() - start_mm - flows_mm).max())
        self._sense()
        seconds = [int((START + timedelta(hours=h)).timestamp()) for h in range(hours)]
        rain_days = [
            {"day": (first + timedelta(days=int(d))).isoformat(), "depth_mm": float(sky.rain_mm[d])}
            for d in np.flatnonzero(sky.rain_mm[: days - 2])
        ]
        eto_days = [
            {"day": (first + timedelta(days=d)).isoformat(), "eto_mm": round(float(sky.eto_mm_d[d]), 2)}
            for d in range(days - 2)
        ]
        return Season(seconds, self.stations, self.sets, rain_days, depletion, drained, runoff, error, eto_days)

    def _kc(self, month: int) -> Array:
        return np.array([s.block.kc_by_month[month - 1] for s in self.stations])

    def _record(self) -> None:
        for depth in sorted({d for s in self.stations for d in s.story.depths_cm}):
            theta = self.columns.at_depth(depth)
            for index, station in enumerate(self.stations):
                if depth in station.story.depths_cm:
                    station.truth.setdefault(depth, []).append(float(theta[index]))

    def _manage(self, day: int, depletion: Array, moment: datetime) -> None:
        started: dict[str, float] = {}
        for block in BLOCKS:
            key = block.document["key"]
            if block.copies:
                if block.copies in started:
                    self._start(key, started[block.copies], moment)
                continue
            mine = [i for i, s in enumerate(self.stations) if s.block is block]
            mean = float(depletion[mine].mean())
            allowed = float(self.allowed[mine].mean())
            if mean >= block.start_at * allowed and day - self.last_set.get(key, -99) >= block.every:
                net = mean * block.refill * float(block.document["wetted_fraction"])
                net = min(max(net, block.document["min_set_mm"]), block.document["max_set_mm"])
                started[key] = net / self.efficiency[key]
                self.last_set[key] = day
                self._start(key, started[key], moment)

    def _start(self, key: str, gross_mm: float, moment: datetime) -> None:
        gross = round(gross_mm, 1)
        self.running[key] = (gross, self.rate[key])
        start = moment.replace(tzinfo=None) - timedelta(hours=UTC_SHIFT_H)
        hours = round(gross / self.rate[key], 2)
        self.sets.append({"block": key, "start": f"{start.isoformat()}+00:00", "hours": hours, "gross_mm": gross})

    def _supply(self) -> Array:
        """Water offered in this hour to the wetted soil of each station [mm]."""
        offered = {}
        for key, (left, rate) in list(self.running.items()):
            now = min(left, rate)
            offered[key] = now * self.efficiency[key]
            if left - now > 1e-9:
                self.running[key] = (left - now, rate)
            else:
                del self.running[key]
        gross = np.array([offered.get(s.block.document["key"], 0.0) for s in self.stations])
        return gross / self.wetted * self.factor

    def _sense(self) -> None:
        for number, station in enumerate(self.stations):
            for depth, truth in station.truth.items():
                seed = SEED + 100 * number + int(depth)
                station.sensed[depth] = sensed_theta(np.array(truth), self._faults(station, depth), seed)

    @staticmethod
    def _faults(station: SimulatedStation, depth: float) -> SensorFaults:
        story = station.story
        if story.stuck is None or story.stuck[0] != depth:
            return story.faults
        return replace(story.faults, stuck_from=24 * (story.stuck[1] - START.date()).days)
