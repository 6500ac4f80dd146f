"""Short windows of a season: the model starts at what was read at dawn and is held against the dawns after."""

from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import LEAST_BARE, OPEN_KCB, STEPS_A_DAY, Forcing, Soil, advance, started
from embalse.core.block_model.parameters import Prior, demand_log, scale, soil_of
from embalse.core.block_model.record import DAWN_STEP, Record, sun_share

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
WINDOW_DAYS: Final = 5  # days a window runs: as long as advice looks ahead in earnest (ours)
RECENT_DAYS: Final = 28  # days all of whose dawns begin a window; before them every third does (ours)
EARLIER_EVERY: Final = 3
DAYS_LEADS: Final = STEPS_A_DAY * np.arange(1, WINDOW_DAYS + 1)
HALF_LEAD: Final = np.array([STEPS_A_DAY // 2])
READING_NOISE: Final = 0.0008  # m³/m³ of a dawn's mean (ours, of steady probes)
START_NOISE: Final = 0.0007  # m³/m³ of the state a window starts from (ours)
WALK_SHARE: Final = 0.4  # of a layer's usual daily change: what a day's weather and roots do beside the model (ours)
WATER_ERROR: Final = 0.001  # m³/m³ per mm given that its spread over the ground leaves open (ours: 0.015 for 15 mm)
ON_ITS_WAY_STEPS: Final = 2  # steps of three hours that water takes to a probe in the upper soil (ours)
ON_ITS_WAY_MM: Final = 4.0  # mm given within them that its reading still lacks (ours)
LEAST_CHANGE: Final = 0.0008  # m³/m³ a day of usual change at least


@dataclass(frozen=True, eq=False)
class Windows:
    """Windows of a record: their first steps, shape (windows,), where they start and what was read after.

    ``leads`` are the steps after the start at which it is read, shape (leads,); ``start`` has shape (layers, windows),
    ``read`` (leads, layers, windows) with NaN where nothing is known or the window is over; ``whitener`` turns misses
    into independent ones, shape (layers, windows, leads, leads).
    """

    steps: Ints
    leads: Ints
    start: Floats
    read: Floats
    whitener: Floats


def windows_of(record: Record, until_day: int) -> Windows | None:
    """Windows of five days from the dawns before that of a day number, read up to it; None where there are none."""
    dawns = [d for d in range(record.first_day, until_day) if _counts(d, until_day)]
    steps = np.array([record.dawn(d) for d in dawns], dtype=np.int64)
    return _windows(record, steps, DAYS_LEADS, record.dawn(until_day))


def half_days_of(record: Record, until_day: int) -> Windows | None:
    """Windows of half a day from the dawns and dusks of the last four weeks, without the top layer.

    A probe near the surface sees water move towards the dried skin at night, which the model's top layer does not have.
    """
    dawns = [record.dawn(d) for d in range(max(record.first_day, until_day - RECENT_DAYS), until_day)]
    steps = np.array([s + half for s in dawns for half in (0, STEPS_A_DAY // 2)], dtype=np.int64)
    found = _windows(record, steps, HALF_LEAD, record.dawn(until_day))
    if found is None or len(found.start) < 2:
        return None
    read = found.read.copy()
    read[:, 0] = np.nan
    return replace(found, read=read, whitener=_whitener(record, found.steps, HALF_LEAD, read))


def _counts(day: int, until_day: int) -> bool:
    ago = until_day - day
    return ago <= RECENT_DAYS or day % EARLIER_EVERY == 0


def _windows(record: Record, steps: Ints, leads: Ints, last: int) -> Windows | None:
    """Those windows whose start is known in every layer, with what was read up to a step."""
    steps = steps[(steps >= 0) & (steps < last)]
    settled = _settled(record)
    steps = steps[np.isfinite(record.theta[steps]).all(axis=1) & settled[steps]]
    read = np.full((len(leads), record.theta.shape[1], len(steps)), np.nan)
    for place, lead in enumerate(leads.tolist()):
        ends = steps + lead
        there = ends <= last
        there[there] = settled[ends[there]]
        read[place][:, there] = record.theta[ends[there]].T
    some = np.isfinite(read).any(axis=(0, 1))
    steps, read = steps[some], read[:, :, some]
    if not len(steps):
        return None
    return Windows(steps, leads, record.theta[steps].T, read, _whitener(record, steps, leads, read))


def _settled(record: Record) -> NDArray[np.bool_]:
    """Whether the readings at each step's begin show the water that was given by then, shape (steps + 1,).

    Water of the last hours is on its way to the probes: a window neither begins nor is read there.
    """
    summed = np.concatenate([[0.0], np.cumsum(record.sets_mm + record.rain_mm)])
    before = np.concatenate([np.zeros(ON_ITS_WAY_STEPS), summed[:-ON_ITS_WAY_STEPS]])
    return np.asarray(summed - before < ON_ITS_WAY_MM)


def _whitener(record: Record, steps: Ints, leads: Ints, read: Floats) -> Floats:
    """Inverse Cholesky factors of the covariance of a window's misses; rows of what is not known are nought."""
    dawns = record.theta[DAWN_STEP::STEPS_A_DAY]
    steps_down = np.abs(np.diff(dawns, axis=0))
    seen = np.isfinite(steps_down).any(axis=0)
    change = np.maximum(LEAST_CHANGE, np.nanmedian(np.where(seen, steps_down, 0.0), axis=0))
    summed = np.concatenate([[0.0], np.cumsum(record.sets_mm + record.rain_mm)])
    ends = np.minimum(steps[:, None] + leads, len(summed) - 1)
    water = WATER_ERROR * (summed[ends] - summed[steps][:, None])
    days = leads / STEPS_A_DAY
    walk = (WALK_SHARE * change) ** 2
    cov = (
        READING_NOISE**2 * np.eye(len(leads))
        + START_NOISE**2
        + walk[:, None, None, None] * np.minimum.outer(days, days)
        + (water[:, :, None] * water[:, None, :])[None]
    )
    known = np.isfinite(read).transpose(1, 2, 0)
    both = known[..., :, None] & known[..., None, :]
    inverse = np.linalg.inv(np.linalg.cholesky(np.where(both, cov, np.eye(len(leads)))))
    return np.asarray(np.where(both, inverse, 0.0))


def forcing_of(prior: Prior, record: Record, x: Floats, steps: Ints, length: int) -> Forcing:
    """What comes and is asked for in windows of ``length`` steps, columns (windows · vectors) with the vector last."""
    shares = sun_share()
    offsets = np.arange(length)
    at = np.minimum(steps[:, None] + offsets, record.days * STEPS_A_DAY - 1)
    day = at // STEPS_A_DAY
    asked = record.eto_mm[day] * shares[at % STEPS_A_DAY]
    kcb = record.kcb[day]
    # the last knot stands at the end of what is read: days before it go back through the weeks
    last_day = (record.ends - DAWN_STEP) // STEPS_A_DAY
    factor = np.exp(demand_log(prior, x, np.arange(last_day, -1, -1.0)[: record.days]))
    by_day = factor[np.minimum(day, len(factor) - 1)]
    demand = (asked * kcb)[:, :, None] * by_day
    open_ground = np.maximum(LEAST_BARE, 1 - kcb / OPEN_KCB)
    evaporation = (asked * open_ground)[:, :, None] * scale(prior, x, "bare")
    sets = record.sets_mm[at][:, :, None] * scale(prior, x, "sets")
    rain = record.rain_mm[at][:, :, None] * scale(prior, x, "rain")
    return Forcing(*(_columns(part) for part in (demand, evaporation, sets, rain)))


def _columns(part: Floats) -> Floats:
    """From (windows, steps, vectors) to (steps, windows · vectors)."""
    return np.ascontiguousarray(part.transpose(1, 0, 2).reshape(part.shape[1], -1))


def spread_soil(prior: Prior, record: Record, x: Floats, steps: Ints) -> Soil:
    """The soil of every window and vector, columns (windows · vectors) with the vector last."""
    count = x.shape[1]
    roots = np.repeat(record.roots_cm[np.minimum(steps // STEPS_A_DAY, record.days - 1)], count)
    return soil_of(prior, np.tile(x, (1, len(steps))), roots)


def predicted(prior: Prior, record: Record, found: Windows, x: Floats) -> Floats:
    """Water contents at the leads after each start, shape (leads, layers, windows, vectors) [m³/m³]."""
    vectors, length = x.shape[1], int(found.leads[-1])
    soil = spread_soil(prior, record, x, found.steps)
    forcing = forcing_of(prior, record, x, found.steps, length)
    columns = started(np.repeat(found.start, vectors, axis=1))
    places = {lead: place for place, lead in enumerate(found.leads.tolist())}
    out = np.empty((len(places), *columns.theta.shape))
    for step in range(length):
        advance(columns, soil, forcing, step)
        if step + 1 in places:
            out[places[step + 1]] = columns.theta
    return out.reshape(len(places), found.start.shape[0], len(found.steps), vectors)
