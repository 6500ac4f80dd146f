"""What a block's model is fitted to, gathered from what is stored: readings, weather and the log of sets and rain."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.crop_cover import basal_coefficients
from embalse.core.block_model.ground import Ground, entry_layer, ground_of, modelled_stations
from embalse.core.block_model.parameters import STRESS, Prior, prior_at
from embalse.core.block_model.record import LONGEST_DAYS, PASSING, STEP_S, Record, Season, at_steps
from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block, Station
from embalse.core.root_zone.series import common_times, on_times
from embalse.core.soil.roots import root_depth_cm
from embalse.core.tables import crop_defaults
from embalse.core.weather.weather_outlook import FEWEST_RECENT, filled_days
from embalse.services import times
from embalse.services.load.in_force import cutting_days
from embalse.services.load.weather import MEASURED
from embalse.services.readings.observations import hourly_water
from embalse.store import readings as readings_store
from embalse.store.rows import FarmRow, FarmRows

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Gathered:
    """A block's ground, wetted share [-] and season, from which what was known at a dawn is cut, once each."""

    ground: Ground
    wetted_fraction: float
    season: Season
    buried: bool = False
    stress_fraction: float = STRESS
    _cut: dict[int, tuple[Prior, Record]] = field(default_factory=dict)

    def at_dawn(self, day: int) -> tuple[Prior, Record]:
        """Prior and record as they were known at six o'clock of a day number."""
        if day not in self._cut:
            record, ground = self.season.until_dawn(day), self.ground
            if self.buried:
                ground = replace(ground, entry=entry_layer(record.theta, record.sets_mm))
            self._cut[day] = (prior_at(ground, record, self.wetted_fraction, self.stress_fraction), record)
        return self._cut[day]


def gather(farm: FarmRow, rows: FarmRows, block: Block, now: int, days: int = LONGEST_DAYS) -> Gathered | None:
    """A block's season up to an instant [s, UTC]; None where something the model needs is not known.

    It needs probes with readings, soil, roots, a crop with its coefficients, and weather.
    """
    stations = modelled_stations(block.stations)
    if not stations or block.roots is None or block.calendar is None or not block.horizons:
        return None
    zone = farm.time_zone
    today = times.local_day(now, zone)
    start = times.instant_of(today - days, 0, zone)
    depths = [s.depth_cm for s in stations[0].sensors]
    try:
        ground = ground_of(depths, block.horizons, stations[0].bottom_cm, block.roots.full_cm)
    except CoreError:
        return None
    read = _read(farm, rows, stations, (start, now))
    if not read:
        return None
    first = max(today - days, min(int(local[0] // 86400) for local, _ in read))
    numbers = np.arange(first, today + 1)
    eto = _eto(first, today)
    if np.isfinite(eto).sum() < FEWEST_RECENT:
        return None
    row = next(r for r in rows.blocks if r.key == block.key)
    season = Season(
        first_day=first,
        stations=tuple(
            np.stack([at_steps(local, one, first, len(numbers)) for one in columns], axis=1) for local, columns in read
        ),
        eto_mm=eto,
        kcb=basal_coefficients(block.calendar, numbers, cutting_days(row, rows, (now, zone))),
        roots_cm=np.array([root_depth_cm(block.roots, d) for d in numbers.tolist()]),
        sets=_sets(block, (start, now), zone),
        passes=block.system is not None and block.system.kind in PASSING,
        rain_mm=dict(readings_store.rain(first, today)),
        ends=int(times.local_seconds([now], zone)[0] - 86400 * first) // STEP_S,
    )
    buried = block.system is not None and block.system.kind == "buried drip"
    crop = crop_defaults(block.crop)
    stress = crop.depletion_fraction if crop is not None else STRESS
    return Gathered(ground, block.limits.wetted_fraction, season, buried, stress)


def _read(
    farm: FarmRow, rows: FarmRows, stations: list[Station], span: tuple[int, int]
) -> list[tuple[NDArray[np.int64], list[Floats]]]:
    """Hours [farm-local s] and water contents of each station that was read."""
    found = []
    for station in stations:
        series, theta = hourly_water(rows, station.sensors, span)
        axis = common_times(series)
        if len(axis):
            columns = [on_times(axis, series[s.key], theta[s.key]) for s in station.sensors]
            found.append((times.local_seconds(axis, farm.time_zone), columns))
    return found


def _eto(first: int, today: int) -> Floats:
    """Reference ET of each day [mm], gaps filled as for the advice, NaN where nothing near is known."""
    known = {d: (mm, note or MEASURED) for d, mm, note in readings_store.eto(first, today - 1)}
    filled = filled_days(known, first, today) if known else {}
    return np.array([filled[d].eto_mm if d in filled else np.nan for d in range(first, today + 1)])


def _sets(block: Block, span: tuple[int, int], zone: str) -> tuple[tuple[float, float, float], ...]:
    """Sets with what they bring into the soil the probes stand in: start, end [farm-local s] and depth [mm]."""
    kept = block.system.efficiency_fraction if block.system else 1.0
    into = kept / block.limits.wetted_fraction
    rows = readings_store.sets(block.key, *span)
    local = times.local_seconds([t for s in rows for t in (s.start_at, s.end_at)], zone)
    return tuple((float(local[2 * n]), float(local[2 * n + 1]), s.gross_mm * into) for n, s in enumerate(rows))
