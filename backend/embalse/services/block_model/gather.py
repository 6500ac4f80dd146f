"""What a block's model is fitted to, gathered from what is stored: readings, weather and the log of sets and rain."""

import math
from collections import Counter
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from embalse.core.block_model.column import STEPS_A_DAY
from embalse.core.block_model.crop_cover import basal_coefficients
from embalse.core.block_model.ground import Ground, entry_layer, ground_of
from embalse.core.block_model.parameters import STRESS, Prior
from embalse.core.block_model.record import (
    STEP_S,
    Record,
    at_steps,
    one_profile,
    passing_at_steps,
    rain_at_steps,
    sets_at_steps,
)
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block, Station
from embalse.core.root_zone.series import common_times, on_times
from embalse.core.soil.roots import root_depth_cm
from embalse.core.tables import crop_defaults
from embalse.core.weather.weather_outlook import filled_days
from embalse.services import times
from embalse.services.load.in_force import cutting_days
from embalse.services.load.weather import MEASURED
from embalse.services.readings.observations import hourly_water
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRow, FarmRows

LONGEST_DAYS: Final = 150  # days looked back at most: a season's soil is told by then (ours)
SETTLED_DAYS: Final = 20  # days over which the fixed differences of stations are taken (ours)
FEWEST_ETO: Final = 5  # days of weather known at least (ours)
PASSING: Final = ("pivot", "furrow", "border")  # systems whose water passes a place within the time of a set
LONG_SET_S: Final = 6 * 3600  # seconds from which such a set is far longer than its water at one place (ours)
ABOVE_READ: Final = 0.002  # m³/m³ above the wettest reading that pores hold at least (ours)


@dataclass(frozen=True, eq=False)
class Gathered:
    """A block's ground, wetted share [-] and season, from which what was known at a dawn is cut."""

    ground: Ground
    wetted_fraction: float
    record: Record
    buried: bool = False
    stress_fraction: float = STRESS

    def at_dawn(self, day: int) -> tuple[Prior, Record]:
        """Prior and record as they were known at six o'clock of a day number."""
        record = self.record.until_dawn(day, LONGEST_DAYS)
        ground = self.ground
        if self.buried:
            ground = replace(ground, entry=entry_layer(record.theta, record.sets_mm))
        wettest = np.nan_to_num(record.theta, nan=0.0).max(axis=0) + ABOVE_READ
        return Prior(ground, self.wetted_fraction, wettest, self.stress_fraction), record


def modelled_stations(block: Block) -> list[Station]:
    """The stations one profile is made of: those with the same depths as most others, the deeper such where even."""
    counts = Counter(tuple(s.depth_cm for s in station.sensors) for station in block.stations if station.sensors)
    if not counts:
        return []
    depths = max(counts, key=lambda one: (counts[one], len(one)))
    return [s for s in block.stations if tuple(x.depth_cm for x in s.sensors) == depths]


def gather(farm: FarmRow, rows: FarmRows, block: Block, now: int, days: int = LONGEST_DAYS) -> Gathered | None:
    """A block's season up to an instant [s, UTC]; None where something the model needs is not known.

    It needs probes with readings, soil, roots, a crop with its coefficients, and weather.
    """
    stations = modelled_stations(block)
    if not stations or block.roots is None or block.calendar is None or not block.horizons:
        return None
    zone = farm.time_zone
    today = times.local_day(now, zone)
    start = times.instant_of(today - days, 0, zone)
    found = _profiles(farm, rows, stations, (start, now))
    try:
        ground = ground_of(
            [s.depth_cm for s in stations[0].sensors], block.horizons, stations[0].bottom_cm, block.roots.full_cm
        )
    except CoreError:
        return None
    if not found:
        return None
    first = max(today - days, min(int(local[0] // 86400) for local, _ in found))
    length = today - first + 1
    tables = [np.stack([at_steps(local, one, first, length) for one in columns], axis=1) for local, columns in found]
    profile = one_profile(tables, SETTLED_DAYS * STEPS_A_DAY)
    numbers = np.arange(first, today + 1)
    eto = _eto(first, today)
    if eto is None:
        return None
    ends = int(times.local_seconds([now], zone)[0] - 86400 * first) // STEP_S
    rain = dict(readings_store.rain(first, today))
    row = next(r for r in rows.blocks if r.key == block.key)
    record = Record(
        first_day=first,
        theta=profile,
        eto_mm=eto,
        kcb=basal_coefficients(block.calendar, numbers, cutting_days(row, rows, (now, zone))),
        roots_cm=np.array([root_depth_cm(block.roots, d) for d in numbers.tolist()]),
        sets_mm=_sets_mm(block, _sets(block, (start, now), zone), profile, first),
        rain_mm=rain_at_steps(rain, profile[:, 0], first, ends),
        ends=ends,
        rain_by_day=rain,
    )
    buried = block.system is not None and block.system.kind == "buried drip"
    crop = crop_defaults(block.crop)
    stress = crop.depletion_fraction if crop is not None else STRESS
    return Gathered(ground, block.limits.wetted_fraction, record, buried, stress)


_Profile = tuple["np.ndarray[tuple[int], np.dtype[np.int64]]", list["np.ndarray[tuple[int], np.dtype[np.float64]]"]]


def _profiles(farm: FarmRow, rows: FarmRows, stations: list[Station], span: tuple[int, int]) -> list[_Profile]:
    """Hours [farm-local s] and water contents of each station that was read."""
    found = []
    for station in stations:
        series, theta = hourly_water(rows, station.sensors, span)
        axis = common_times(series)
        if len(axis):
            columns = [on_times(axis, series[s.key], theta[s.key]) for s in station.sensors]
            found.append((times.local_seconds(axis, farm.time_zone), columns))
    return found


def _eto(first: int, today: int) -> "np.ndarray[tuple[int], np.dtype[np.float64]] | None":
    """Reference ET of each day [mm], gaps filled as for the advice, the rest with the mean; None with too few days."""
    known = {d: (mm, note or MEASURED) for d, mm, note in readings_store.eto(first, today - 1)}
    if len(known) < FEWEST_ETO:
        return None
    filled = filled_days(known, first, today)
    values = np.array([filled[d].eto_mm if d in filled else math.nan for d in range(first, today + 1)])
    return np.where(np.isfinite(values), values, np.nanmean(values))


def _sets_mm(
    block: Block,
    sets: list[tuple[float, float, float]],
    profile: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]",
    first: int,
) -> "np.ndarray[tuple[int, ...], np.dtype[np.float64]]":
    """Water of sets by step: a long one that passes over the block comes where the top probe rises."""
    passes = block.system is not None and block.system.kind in PASSING
    long = [s for s in sets if passes and s[1] - s[0] > LONG_SET_S]
    days = (len(profile) - 1) // STEPS_A_DAY
    still = sets_at_steps([s for s in sets if s not in long], first, days)
    return still + passing_at_steps(long, profile[:, 0], first)


def _sets(block: Block, span: tuple[int, int], zone: str) -> list[tuple[float, float, float]]:
    """Sets with what they bring into the soil the probes stand in: start, end [farm-local s] and depth [mm]."""
    kept = block.system.efficiency_fraction if block.system else 1.0
    into = kept / block.limits.wetted_fraction
    rows = readings_store.sets(block.key, *span)
    local = times.local_seconds([t for s in rows for t in (s.start_at, s.end_at)], zone)
    return [(float(local[2 * n]), float(local[2 * n + 1]), s.gross_mm * into) for n, s in enumerate(rows)]
