"""The days ahead of a block by its fitted model: looked up where a page asks, worked out where there is time."""

import hashlib
import io
import logging
import zlib
from collections import OrderedDict
from collections.abc import Sequence
from typing import Final
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from embalse.core.advice.block_analysis import PathsOf, StationAnalysis
from embalse.core.block_model.column import STEP_H
from embalse.core.block_model.crop_cover import basal_coefficients
from embalse.core.block_model.ground import modelled_stations
from embalse.core.block_model.parameters import Prior
from embalse.core.block_model.paths import AHEAD_DAYS, Ahead, driest_dawn, loss_paths, still_true, weathers
from embalse.core.crop.depletion_forecast import LossPaths
from embalse.core.root_zone.block import Block, Moment
from embalse.core.soil.roots import root_depth_cm
from embalse.services.block_model.gather import gather
from embalse.services.block_model.kept_fits import Models, anchor_day, any_kept, may_compute, models_at
from embalse.services.block_model.packed import unpacked
from embalse.services.load import clock
from embalse.services.load.in_force import cutting_days
from embalse.store import block_models as store
from embalse.store.database import FILE_TROUBLE, transaction
from embalse.store.errors import StoreError
from embalse.store.rows import BlockRow, FarmRow, FarmRows

Floats = NDArray[np.float64]
log = logging.getLogger("embalse")
SERVES_S: Final = 30 * 3600  # seconds kept days ahead serve: a day, and the morning after until they are renewed (ours)
LIVE_S: Final = 300  # seconds a moment may lie back and still be now (ours)
KEPT_S: Final = 3 * 86400  # seconds kept days ahead stay
UNIT_MM: Final = 0.01  # mm a kept path is counted in
REMEMBERED: Final = 400  # days ahead remembered in this process
_remembered: OrderedDict[str, LossPaths] = OrderedDict()


def paths_of_blocks(farm: FarmRow, rows: FarmRows, blocks: Sequence[Block], now: int, moment: Moment) -> list[PathsOf]:
    """For each block what gives its days ahead once its stations are worked out.

    A page about now looks up what is kept for it. About a past moment they are worked out from the model of that
    moment's own facts, the same whenever it is asked; where none is kept, and no time to fit one, there are none.
    """
    ids = {row.key: row for row in rows.blocks}
    if may_compute() or now < clock.farm_now(farm) - LIVE_S:
        return [_worked_out((farm, rows), block, ids[block.key], (now, moment)) for block in blocks]
    kept = store.aheads([row.id for row in rows.blocks], now - SERVES_S, now)
    return [_looked_up(block, kept.get(ids[block.key].id), now) for block in blocks]


def _looked_up(block: Block, row: store.AheadRow | None, now: int) -> PathsOf:
    def paths_of(stations: Sequence[StationAnalysis]) -> LossPaths | None:
        if row is None or row.set_up != set_up_mark(block):
            return None
        state = profile_now(block, stations)
        if state is None:
            return None
        found, later_days = decoded(row.body), (now - row.start_at) / 86400
        if found is None or not still_true(found, later_days, row.storage_mm - float(state[1] @ state[0])):
            return None
        return found.later(later_days)

    return paths_of


def _worked_out(farm: tuple[FarmRow, FarmRows], block: Block, row: BlockRow, when: tuple[int, Moment]) -> PathsOf:
    def paths_of(stations: Sequence[StationAnalysis]) -> LossPaths | None:
        found = block_ahead(farm, block, row, when, stations)
        return None if found is None else found[0]

    return paths_of


def block_ahead(
    farm: tuple[FarmRow, FarmRows],
    block: Block,
    row: BlockRow,
    when: tuple[int, Moment],
    stations: Sequence[StationAnalysis],
) -> tuple[LossPaths, float] | None:
    """The days ahead of a block from now on and its root zone's water now [mm], fitted first where that is lacking."""
    now, moment = when
    state, anchor = profile_now(block, stations), anchor_day(_last_dawn_day(moment), row.id)
    if state is None or moment.outlook is None or block.calendar is None or block.roots is None:
        return None
    if not any_kept(row.id, anchor, anchor):
        return None
    gathered = gather(*farm, block, now)
    if gathered is None:
        return None
    models = models_at(gathered, row.id, anchor)
    if models is None:
        return None
    theta, rooted_mm = state
    days = np.arange(moment.day, moment.day + AHEAD_DAYS + 1)
    cuts = cutting_days(row, farm[1], (now, farm[0].time_zone))
    ahead = Ahead(
        *weathers(moment.outlook, moment.day),
        kcb=basal_coefficients(block.calendar, days, cuts),
        roots_cm=np.array([root_depth_cm(block.roots, int(d)) for d in days]),
    )
    prior, record = gathered.at_dawn(models.day)
    if len(theta) != prior.ground.count:
        return None
    dry = driest_dawn(record, rooted_mm)
    hour = moment.clock_h if moment.clock_h is not None else 6.0
    found = _paths(prior, models, (theta, rooted_mm, dry), ahead, int(hour // STEP_H)).later((hour % STEP_H) / 24)
    return None if found is None else (found, float(rooted_mm @ theta))


def _last_dawn_day(moment: Moment) -> int:
    return moment.day if moment.now >= 86400 * moment.day + moment.dawn_offset_s else moment.day - 1


def _paths(
    prior: Prior, models: Models, state: tuple[Floats, Floats, Floats], ahead: Ahead, from_step: int
) -> LossPaths:
    """Worked out once for the same state, weather and model: other triggers ask for the same days ahead."""
    mark = hashlib.blake2b(repr((from_step, models.day)).encode(), digest_size=16)
    parts = (models.dates.x, models.dates.misses, *state, ahead.eto_mm, ahead.rain_mm, ahead.kcb, ahead.roots_cm)
    for values in parts:
        mark.update(np.ascontiguousarray(values).tobytes())
    key = mark.hexdigest()
    if key not in _remembered:
        _remembered[key] = loss_paths(prior, models.dates, state, ahead, from_step)
        while len(_remembered) > REMEMBERED:
            _remembered.popitem(last=False)
    return _remembered[key]


def profile_now(block: Block, stations: Sequence[StationAnalysis]) -> tuple[Floats, Floats] | None:
    """Water contents now by layer [m³/m³] and each layer's part in the root zone [mm]; None where a layer is not known.

    They are the means of the stations the model is made of that have all their layers.
    """
    keys = {station.key for station in modelled_stations(block.stations)}
    thetas, rooted = [], None
    for one in stations:
        if one.station.key not in keys or one.state is None:
            continue
        by_depth = {s.layer.depth_cm: s.theta for s in one.state.layers}
        values = [
            by_depth.get(layer.depth_cm, reading.theta) for layer, reading in zip(one.layers, one.readings, strict=True)
        ]
        if any(v is None for v in values):
            continue
        thetas.append(values)
        rooted = np.array([10.0 * layer.rooted_cm for layer in one.layers])
    if rooted is None:
        return None
    return np.array(thetas, dtype=float).mean(axis=0), rooted


def keep_ahead(block: Block, row: BlockRow, now: int, found: tuple[LossPaths, float]) -> None:
    """Keep a block's days ahead from now on [s, UTC], for the pages."""
    paths, storage_mm = found
    kept = store.AheadRow(row.id, now, set_up_mark(block), storage_mm, encoded(paths))
    try:
        with transaction():
            store.keep_ahead(kept, now - KEPT_S)
    except (StoreError, *FILE_TROUBLE) as trouble:
        log.warning("the days ahead of %s were not kept: %s", block.key, trouble)


def set_up_mark(block: Block) -> str:
    """A mark of what of a block's set-up its model is made with: where it changes, what was kept no longer serves."""
    calendar, system = block.calendar, block.system
    parts = (
        block.roots,
        block.limits.wetted_fraction,
        block.rules.managed_depth_cm,
        None if system is None else system.kind,
        None if calendar is None else (calendar.first_day, calendar.lengths_days, calendar.kc),
        [(h.top_cm, h.bottom_cm, h.earth, h.stones_fraction) for h in block.horizons],
        [(s.key, s.bottom_cm, [x.depth_cm for x in s.sensors]) for s in modelled_stations(block.stations)],
    )
    return hashlib.blake2b(repr(parts).encode(), digest_size=12).hexdigest()


def encoded(found: LossPaths) -> bytes:
    """Paths as bytes, counted in hundredths of a millimetre."""
    stream = io.BytesIO()
    lost = np.clip(np.round(found.lost_mm / UNIT_MM), -32000, 32000).astype(np.int16)
    numbers = np.array([found.windows, found.miss_mm, found.demand], dtype=np.float32)
    np.savez(stream, times=found.times_days.astype(np.float32), lost=lost, numbers=numbers)
    return zlib.compress(stream.getvalue())


def decoded(body: bytes) -> LossPaths | None:
    """Paths from their bytes; None where these are damaged."""
    try:
        parts = unpacked(body)
        windows, miss_mm, demand = parts["numbers"].tolist()
        lost = parts["lost"].astype(float) * UNIT_MM
        return LossPaths(parts["times"].astype(float), lost, round(windows), miss_mm, demand)
    except (zlib.error, ValueError, KeyError, OSError, EOFError, BadZipFile) as damage:
        log.error("kept days ahead cannot be read and are made anew: %s", damage)
        return None
