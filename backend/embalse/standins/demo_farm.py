"""The demonstration farm: an invented place, its blocks, and a season simulated from a seed."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from embalse.core.delivery.moving_systems import Furrows, Pivot, furrow_rate_mm_h, pivot_rate_mm_h
from embalse.core.field.day_curve import hourly_share
from embalse.core.simulate.column import ColumnSpec, SoilColumns
from embalse.core.simulate.forecasting import forecast_members
from embalse.core.simulate.sensing import SensorFaults, sensed_theta
from embalse.core.simulate.weather import Weather, day_temperatures_c, weather
from embalse.core.soil.horizon_marks import horizon_marks
from embalse.services.schema.land import SoilPart
from embalse.standins.demo_stories import BLOCKS, SOILS, SYSTEMS, BlockStory, StationStory

SEED = 20260714
START = datetime(2026, 2, 28, 23, tzinfo=UTC)  # midnight of 1 March in the farm's winter time
END = datetime(2026, 7, 14, 4, tzinfo=UTC)  # 06:00 of 14 July in the farm's summer time
UTC_SHIFT_H = 1  # the loggers keep winter time all year
LATER_DAYS = 160
HOT_DAYS, HOT_FACTOR = (0, 7), 1.22
"""Days of the heat wave after the weather up to the clock, and how much more they ask."""
MEMBERS, FORECAST_DAYS = 11, 10
ISSUED_H = 5
PASS_H = 2.0
Array = NDArray[np.float64]


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
    return Simulation().run(report, until)


def _sky(first: date, days: int) -> Weather:
    """Weather that does not change when the season is carried on: what comes after the clock has a seed of its own."""
    fixed = (int((END - START) / timedelta(hours=1)) + 1 + UTC_SHIFT_H) // 24 + 2
    months = np.array([(first + timedelta(days=d)).month for d in range(fixed + LATER_DAYS)])
    sky, later = weather(months[:fixed], SEED), weather(months[fixed:], SEED + 1)
    hot = np.where((np.arange(LATER_DAYS) >= HOT_DAYS[0]) & (np.arange(LATER_DAYS) < HOT_DAYS[1]), HOT_FACTOR, 1.0)
    dry = np.where(hot > 1, 0.0, later.rain_mm)
    return Weather(
        np.concatenate([sky.eto_mm_d, later.eto_mm_d * hot])[:days], np.concatenate([sky.rain_mm, dry])[:days]
    )


def _rate_mm_h(system: dict[str, Any]) -> float:
    if "pivot" in system:
        return pivot_rate_mm_h(Pivot(**system["pivot"]))
    if "furrows" in system:
        return furrow_rate_mm_h(Furrows(**system["furrows"]))
    return float(system["flow_l_h"] * system.get("per_point", 1) / (system["spacing_m"] * system["line_spacing_m"]))


class Simulation:
    """The season hour by hour; it can be left and gone on with."""

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
        self.system = {b.document["key"]: b.document["system"] for b in BLOCKS}
        self.rate = {b.document["key"]: _rate_mm_h(systems[b.document["system"]]) for b in BLOCKS}
        self.first = (START + timedelta(hours=UTC_SHIFT_H)).date()
        self.start_mm, self.flows_mm = self.columns.storage_mm(), np.zeros(len(self.stations))
        self.depletion: list[Array] = []
        self.drained: list[Array] = []
        self.runoff: list[Array] = []
        self.followed: dict[str, datetime] = {}
        self.really: dict[tuple[str, int], tuple[int, float]] = {}
        self.efficiency = {b.document["key"]: systems[b.document["system"]]["efficiency_fraction"] for b in BLOCKS}

    def _allowed(self) -> Array:
        columns = self.columns
        share = np.clip((self.roots[:, None] - columns.centres_cm) / 5.0 + 0.5, 0, 1)
        taw = ((columns.full - columns.wilting) * share).sum(axis=1) * columns.thickness_mm
        return np.asarray(taw * np.array([s.block.document["allowable_depletion_fraction"] for s in self.stations]))

    def run(self, report: Callable[[str], None], until: datetime) -> Season:
        """Everything up to an instant."""
        self.go(until, report)
        return self.season()

    def go(self, until: datetime, report: Callable[[str], None] = lambda _: None) -> None:
        """Let the season go on, up to an hour that is counted too."""
        hours = int((until - START) / timedelta(hours=1)) + 1
        sky = _sky(self.first, (hours + UTC_SHIFT_H) // 24 + 2)
        for step in range(len(self.depletion), hours):
            moment = START + timedelta(hours=step + UTC_SHIFT_H)
            day = (moment.date() - self.first).days
            self._record()
            self.depletion.append(self.columns.depletion_mm(self.roots))
            if moment.hour == 20:
                self._manage(day, self.depletion[step], moment)
            rain = float(sky.rain_mm[day]) / 4 if 13 <= moment.hour < 17 else 0.0
            demand = hourly_share(moment.hour) * float(sky.eto_mm_d[day]) * self._kc(moment.month) / self.wetted
            flows = self.columns.hour(self._supply(step) + rain, demand)
            self.flows_mm += flows.intake_mm - flows.uptake_mm - flows.drainage_mm
            self.drained.append(flows.drainage_mm)
            self.runoff.append(flows.runoff_mm)
            if moment.hour == 0 and moment.day == 1:
                report(f"simulating {moment:%B}")

    def season(self) -> Season:
        """The season as far as it went."""
        hours = len(self.depletion)
        days = (hours + UTC_SHIFT_H) // 24 + 2
        first, sky = self.first, _sky(self.first, days)
        error = float(np.abs(self.columns.storage_mm() - self.start_mm - self.flows_mm).max())
        self._sense()
        seconds = [int((START + timedelta(hours=h)).timestamp()) for h in range(hours)]
        rain_days = [
            {"day": (first + timedelta(days=int(d))).isoformat(), "depth_mm": float(sky.rain_mm[d])}
            for d in np.flatnonzero(sky.rain_mm[: days - 2])
        ]
        eto_days = [
            {"day": (first + timedelta(days=d)).isoformat(), "eto_mm": round(float(sky.eto_mm_d[d]), 2),
             **dict(zip(("tmax_c", "tmin_c"), day_temperatures_c(float(sky.eto_mm_d[d])), strict=True))}
            for d in range(days - 2)
        ]  # fmt: skip
        depletion, drained, runoff = (np.array(rows) for rows in (self.depletion, self.drained, self.runoff))
        return Season(seconds, self.stations, self.sets, rain_days, depletion, drained, runoff, error, eto_days)

    def follow(self, block: str, since: datetime) -> None:
        """From an instant on, a block is watered by what really ran, no longer by its own rule."""
        self.followed[block] = min(since, self.followed.get(block, since))

    def ran(self, block: str, start_at: int, end_at: int, gross_mm: float) -> None:
        """A set that really ran [s, UTC; mm over the block]; one told before is told once."""
        self.really[(block, start_at)] = (end_at, gross_mm)

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
                if block.copies in started and not self._follows(key, moment):
                    self._start(key, started[block.copies], moment)
                continue
            mine = [i for i, s in enumerate(self.stations) if s.block is block]
            mean = float(depletion[mine].mean())
            allowed = float(self.allowed[mine].mean())
            if moment.date() > block.until or self._follows(key, moment):
                continue
            if mean >= block.start_at * allowed and day - self.last_set.get(key, -99) >= block.every:
                net = mean * block.refill * float(block.document["wetted_fraction"])
                net = min(max(net, block.document["min_set_mm"]), block.document["max_set_mm"])
                started[key] = net / self.efficiency[key]
                self.last_set[key] = day
                self._start(key, started[key], moment)

    def _follows(self, key: str, moment: datetime) -> bool:
        """Whether a block is watered by what really ran at this hour of the loggers' clock."""
        since = self.followed.get(key)
        return since is not None and moment - timedelta(hours=UTC_SHIFT_H) >= since

    def _start(self, key: str, gross_mm: float, moment: datetime) -> None:
        gross = round(gross_mm, 1)
        # a pivot comes over the probe once a turn, and is gone in two hours
        turning = next(s for s in SYSTEMS if s["key"] == self.system[key]).get("pivot")
        self.running[key] = (gross, gross / PASS_H if turning else self.rate[key])
        start = moment.replace(tzinfo=None) - timedelta(hours=UTC_SHIFT_H)
        hours = round(gross / self.rate[key], 2)
        self.sets.append({"block": key, "start": f"{start.isoformat()}+00:00", "hours": hours, "gross_mm": gross})

    def _supply(self, step: int) -> Array:
        """Water offered in this hour to the wetted soil of each station [mm]."""
        offered: dict[str, float] = {}
        for key, (left, rate) in list(self.running.items()):
            now = min(left, rate)
            offered[key] = now * self.efficiency[key]
            if left - now > 1e-9:
                self.running[key] = (left - now, rate)
            else:
                del self.running[key]
        begin = int((START + timedelta(hours=step)).timestamp())
        for (key, start_at), (end_at, gross_mm) in self.really.items():
            share = max(0, min(end_at, begin + 3600) - max(start_at, begin)) / max(1, end_at - start_at)
            if share:
                offered[key] = offered.get(key, 0.0) + share * gross_mm * self.efficiency[key]
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


def forecasts(first: date, last: date) -> list[dict[str, Any]]:
    """The forecast issued every morning from ``first`` to ``last``, from what the weather will be."""
    begin = (START + timedelta(hours=UTC_SHIFT_H)).date()
    sky = _sky(begin, (last - begin).days + FORECAST_DAYS + 1)
    found = []
    for number in range((first - begin).days, (last - begin).days + 1):
        ahead = slice(number, number + FORECAST_DAYS)
        eto, rain = forecast_members(sky.eto_mm_d[ahead], sky.rain_mm[ahead], MEMBERS, SEED + number)
        issued = begin + timedelta(days=number)
        days = [
            {
                "day": (issued + timedelta(days=d)).isoformat(),
                "eto_mm": eto[:, d].tolist(),
                "rain_mm": rain[:, d].tolist(),
            }
            for d in range(FORECAST_DAYS)
        ]
        found.append(
            {"key": f"made-up-{issued:%Y%m%d}", "issued": f"{issued.isoformat()}T{ISSUED_H:02d}:00", "days": days,
             "note": "made-up weather service"}
        )  # fmt: skip
    return found
