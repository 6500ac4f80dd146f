"""Plots of the simulator as the core sees them: a block, its readings on a morning, and the weather known then."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.crop.stages import CropCalendar
from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.root_zone.block import Block, Moment, Sensor, SensorReadings, Station
from embalse.core.sensors.calibration import linear
from embalse.core.simulate.forecasting import forecast_members
from embalse.core.simulate.plots import TEXTURES, PlotPlan, PlotSeason, plot_season
from embalse.core.soil.horizon_marks import Horizon, MarkEntry
from embalse.core.soil.roots import RootGrowth
from embalse.core.soil.soil import FineEarth
from embalse.core.sources import Source, Sourced
from embalse.core.weather.weather_outlook import Forecast, Outlook, PastDay, outlook

HOUR, DAY = 3600, 86400
ALLOWABLE = 0.4
ROOTS_CM = 60.0
OFFSET_SD = 0.004
MEMBERS = 11
FORECAST_DAYS = 10
ENTRY = Source("entry", "trial")
BIRTH = -40
"""The crop's first day: the trial begins while its leaves still spread."""


@dataclass(frozen=True)
class Trial:
    """A season with its truth, the block that stands for it, and the table's calendar that the advice goes by."""

    season: PlotSeason
    block: Block
    calendar: CropCalendar
    seed: int


def trial(number: int, **changes: object) -> Trial:
    """Trial of a number: soils turn about, the crop uses 0.8 to 1.2 of what its table says."""
    random = np.random.default_rng(7000 + number)
    texture = list(TEXTURES)[number % len(TEXTURES)]
    factor = float(random.uniform(0.8, 1.2))
    calendar = CropCalendar(BIRTH, (30.0, 40.0, 60.0, 30.0), (0.3, 1.1, 0.5), "trial")
    kc = tuple(float(v) * factor for v in calendar.kc_on(np.arange(120)))
    plan = replace(PlotPlan(texture=texture, root_depth_cm=ROOTS_CM, kc_by_day=kc, days=120), **changes)  # type: ignore[arg-type]
    season = plot_season(plan, 300 + number)
    return Trial(season, block_of(season, calendar), calendar, number)


def block_of(season: PlotSeason, calendar: CropCalendar) -> Block:
    """A block with the plot's own marks and sensors as sure as they are."""
    depths = sorted(season.sensed)
    full, wilting = season.theta_full[depths[0]], season.theta_wilting[depths[0]]
    sand, clay = TEXTURES[season.plan.texture]
    soil = Horizon(0, 200, FineEarth(sand, clay), full=MarkEntry(full, "trial"), wilting=MarkEntry(wilting, "trial"))
    line = (linear(0, 1.0, 0.0, OFFSET_SD),)
    sensors = tuple(Sensor(f"{d:g}", d, "m3/m3", line) for d in depths)
    names = ("wetted_fraction", "min_set_mm", "max_set_mm", "efficiency_fraction", "rate_mm_h")
    return Block(
        "trial", "trial", 1.0, (soil,), RootGrowth(season.plan.root_depth_cm), ENTRY, Sourced(ALLOWABLE, ENTRY),
        SetLimits(1.0), IrrigationSystem("sprinkler", 8.0, 1.0), (Station("a", "a", sensors),),
        dict.fromkeys(names, ENTRY), calendar=calendar,
    )  # fmt: skip


def readings_on(season: PlotSeason, day: int) -> dict[str, SensorReadings]:
    """What every sensor had said by six in the morning of a day."""
    found = {}
    for depth, values in season.sensed.items():
        days = np.arange(max(0, day - 20), day + 1)
        dawn = np.array([np.nanmedian(values[24 * d + 4 : 24 * d + 7]) for d in days])
        found[f"{depth:g}"] = SensorReadings(float(day * DAY + 6 * HOUR), float(dawn[-1]), days, dawn)
    return found


def weather_on(found: Trial, day: int, with_forecast: bool = True) -> Outlook | None:
    """Weather known on a morning: past days measured, the days ahead as members of a forecast."""
    season = found.season
    past = {d: PastDay(float(season.eto_mm[d]), "given") for d in range(max(0, day - 30), day)}
    ahead = slice(day, day + FORECAST_DAYS)
    if not with_forecast or len(season.eto_mm[ahead]) < FORECAST_DAYS:
        return outlook(past, None, day)
    eto, rain = forecast_members(season.eto_mm[ahead], season.rain_mm[ahead], MEMBERS, 1000 * found.seed + day)
    return outlook(past, Forecast(day * DAY, day, eto, rain, "trial"), day)


def moment_on(found: Trial, day: int, with_forecast: bool = True) -> Moment:
    """Six in the morning of a day with the weather known then."""
    return Moment(day * DAY + 6 * HOUR, day, 6 * HOUR, weather_on(found, day, with_forecast))


def wet_days(season: PlotSeason, upto: int) -> frozenset[int]:
    """Days from dawn to dawn on which a set ran or rain fell."""
    sets = {(t - 6 * HOUR) // DAY for start, end in season.sets for t in (start, end - 1)}
    rain = {d for d in range(upto) if season.rain_mm[d] >= 2}
    return frozenset(int(d) for d in sets | rain if d < upto)


def true_days_until(season: PlotSeason, day: int, depletion_mm: float) -> float | None:
    """Days from six in the morning until the true root zone reaches a depletion; None if the season ends before."""
    after: NDArray[np.float64] = season.short_mm[24 * day + 6 :]
    places = np.flatnonzero(after >= depletion_mm)
    if not len(places):
        return None
    at = int(places[0])
    if at == 0:
        return 0.0
    low, high = float(after[at - 1]), float(after[at])
    return (at - 1 + (depletion_mm - low) / (high - low)) / 24
