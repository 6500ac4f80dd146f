"""Models of blocks as they were fitted, kept beside the readings: fitted once for a dawn's facts, then looked up."""

import hashlib
import io
import logging
import zlib
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Final
from zipfile import BadZipFile

import numpy as np

from embalse.core.block_model.fit import Fitted, fit
from embalse.core.block_model.parameters import Prior
from embalse.core.block_model.record import Record
from embalse.services import times
from embalse.services.block_model.gather import Gathered
from embalse.services.block_model.packed import unpacked
from embalse.store import block_models as store
from embalse.store.database import FILE_TROUBLE, transaction
from embalse.store.errors import StoreError

log = logging.getLogger("embalse")
EVERY_DAYS: Final = 3  # days a fit serves before the next one (ours): a soil does not change overnight
KEPT_HERE: Final = 600  # fits kept in this process
LAYOUT: Final = 2  # of what is kept: another number makes everything anew

_computing: ContextVar[bool] = ContextVar("computing", default=False)
_here: OrderedDict[tuple[int, int, str], "Models"] = OrderedDict()


@dataclass(frozen=True, eq=False)
class Models:
    """A block's two fits at the dawn of a day number: for dates and water below the roots, and for uptake by layer."""

    day: int
    dates: Fitted
    uptake: Fitted


@contextmanager
def computing() -> Iterator[None]:
    """Inside, a model that is lacking is fitted and kept; elsewhere what is kept is used: no page waits for one."""
    token = _computing.set(True)
    try:
        yield
    finally:
        _computing.reset(token)


def may_compute() -> bool:
    """Whether models that are lacking are fitted here."""
    return _computing.get()


def anchor_day(day: int, block_id: int) -> int:
    """The day number whose dawn's fit serves a day: every third, not the same one for all blocks."""
    return day - (day + block_id) % EVERY_DAYS


def any_kept(block_id: int, first_day: int, last_day: int) -> bool:
    """Whether models of a span of day numbers may be had: kept, or fitted where there is time for it."""
    return may_compute() or store.last_fit(block_id, first_day, last_day) is not None


def models_at(gathered: Gathered, block_id: int, day: int) -> Models | None:
    """The models of a block at the dawn of a day number, by exactly the facts of that dawn; None where there are none.

    They are looked up, and where there is time for it fitted and kept, from those of three days before where these are
    kept. Facts that make no model are kept as such.
    """
    if day <= gathered.season.first_day:
        return None
    prior, record = gathered.at_dawn(day)
    facts = mark_of(prior, record)
    key = (block_id, day, facts)
    if key in _here:
        return _here[key]
    row = store.fit_of(block_id, day, facts)
    if row is not None and not row.body:
        return None
    kept = None if row is None else decoded(day, row.body)
    if kept is not None:
        return _remember(key, kept)
    if not may_compute():
        return None
    before = store.last_fit(block_id, day - EVERY_DAYS, day - 1)
    start = None if before is None or not before.body else decoded(before.day, before.body)
    found = _fitted(prior, record, day, start)
    body = b"" if found is None else encoded(found)
    _keep(store.FitRow(block_id, day, facts, body, times.now_utc()))
    return None if found is None else _remember(key, _decoded(day, body))


def _keep(row: store.FitRow) -> None:
    """Keep a fit where the file can be written; where it cannot it is made again when it is next asked for."""
    try:
        with transaction():
            store.keep_fit(row)
    except (StoreError, *FILE_TROUBLE) as trouble:
        log.warning("a fitted model was not kept: %s", trouble)


def _remember(key: tuple[int, int, str], found: Models) -> Models:
    _here[key] = found
    while len(_here) > KEPT_HERE:
        _here.popitem(last=False)
    return found


def _fitted(prior: Prior, record: Record, day: int, before: Models | None) -> Models | None:
    try:
        return _both(prior, record, day, before)
    except np.linalg.LinAlgError as trouble:
        log.error("no model could be fitted at day %s: %s", day, trouble)
        return None


def _both(prior: Prior, record: Record, day: int, before: Models | None) -> Models | None:
    count = prior.names.count
    start = None if before is None or len(before.dates.x) != count else before
    dates = fit(prior, record, day, None if start is None else start.dates.x)
    if dates is None:
        return None
    halves = fit(prior, record, day, dates.x if start is None else start.uptake.x, half_days=True)
    return Models(day, dates, halves or dates)


def mark_of(prior: Prior, record: Record) -> str:
    """A mark of all a fit is made from: the same facts have the same mark."""
    ground = prior.ground
    marks = hashlib.blake2b(digest_size=16)
    numbers = (ground.entry, prior.wetted_fraction, prior.stress_fraction, record.first_day)
    marks.update(repr((LAYOUT, ground.depths_cm, *numbers)).encode())
    arrays = (
        ground.limits_cm, ground.ref, ground.wilting, ground.saturation, ground.ks_mm_h, ground.steepness,
        prior.wettest, record.theta, record.eto_mm, record.kcb, record.roots_cm, record.sets_mm, record.rain_mm,
    )  # fmt: skip
    for values in arrays:
        # readings are alike to a hundredth of a per mille, however they were added up
        marks.update(np.round(np.nan_to_num(values, nan=-9.0), 5).tobytes())
    return marks.hexdigest()


def encoded(found: Models) -> bytes:
    """Models as bytes: vectors in single, everything else in half precision."""
    stream = io.BytesIO()
    parts = {}
    for name, one in (("dates", found.dates), ("uptake", found.uptake)):
        parts[f"{name}_x"] = one.x.astype(np.float32)
        parts[f"{name}_number"] = np.array([one.cost, one.windows], dtype=np.float32)
        parts[f"{name}_misses"] = one.misses.astype(np.float16)
    parts["lower"] = found.dates.lower[np.tril_indices(len(found.dates.x))].astype(np.float16)
    np.savez(stream, **parts)  # type: ignore[arg-type]
    return zlib.compress(stream.getvalue())


def decoded(day: int, body: bytes) -> Models | None:
    """Models from their bytes; the spread of the second is that of the first. None where the bytes are damaged."""
    try:
        return _decoded(day, body)
    except (zlib.error, ValueError, KeyError, OSError, EOFError, BadZipFile) as damage:
        log.error("a kept model of day %s cannot be read and is made anew: %s", day, damage)
        return None


def _decoded(day: int, body: bytes) -> Models:
    parts = unpacked(body)
    count = len(parts["dates_x"])
    lower = np.zeros((count, count))
    lower[np.tril_indices(count)] = parts["lower"].astype(float)
    made = [
        Fitted(
            parts[f"{name}_x"].astype(float),
            lower,
            float(parts[f"{name}_number"][0]),
            int(parts[f"{name}_number"][1]),
            parts[f"{name}_misses"].astype(float),
        )
        for name in ("dates", "uptake")
    ]
    return Models(day, *made)
