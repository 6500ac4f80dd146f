"""New readings looked at apart from taking them in, so that a device is answered as soon as its batch is stored.

What waits is noted in the transaction that stores it, so nothing is forgotten when the server is cut; until a sensor's
new readings have been looked at, nothing is advised from them.
"""

import contextlib
import logging
import threading
from collections.abc import Iterable, Iterator, Sequence

from embalse.services.readings import faults
from embalse.services.readings import judging_in_parts as parts
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store import unjudged
from embalse.store.database import transaction
from embalse.store.unjudged import UnjudgedRow

log = logging.getLogger("embalse")
waiting = threading.Event()
"""Set when readings wait for a keeper of this process."""
_keepers: set[object] = set()
_held: set[int] = set()
MANY = 100_000
"""Readings of a block from which they are looked at in parts by a process of its own, while others read and write."""


def kept_up_by(keeper: object) -> None:
    """From now on a keeper of this process looks at what waits."""
    _keepers.add(keeper)


def no_longer_kept_up_by(keeper: object) -> None:
    """A keeper stopped: without any, readings are looked at as soon as they are stored."""
    _keepers.discard(keeper)


def is_kept_up() -> bool:
    """Whether a keeper of this process looks at what waits."""
    return bool(_keepers)


def look_soon() -> None:
    """Have what waits looked at: by the keeper of this process, or here and now where there is none."""
    if is_kept_up():
        waiting.set()
    else:
        judge_waiting()


def look_now(sensor_ids: Iterable[int]) -> bool:
    """Look at the readings of some sensors that wait, here and now; returns whether all could be."""
    wanted = set(sensor_ids)
    return _judge_blocks({s.id for s in farm_store.sensors(companions=None) if s.id in wanted})[1]


@contextlib.contextmanager
def left_to_me(sensor_ids: Iterable[int]) -> Iterator[None]:
    """The keeper leaves these sensors alone for as long as more of their readings come: whoever stores them looks."""
    mine = set(sensor_ids) - _held
    _held.update(mine)
    try:
        yield
    finally:
        _held.difference_update(mine)


def judge_waiting() -> int:
    """Look at all readings that wait, one block after another; returns of how many sensors.

    A block whose readings cannot be looked at is logged and keeps waiting; it holds no other up.
    """
    return _judge_blocks({row.sensor_id for row in unjudged.unjudged()} - _held)[0]


def _judge_blocks(sensor_ids: Iterable[int]) -> tuple[int, bool]:
    """How many sensors were looked at, and whether all blocks could be."""
    by_block: dict[str, list[int]] = {}
    keys = {s.id: s.ref.split("/", 1)[0] for s in farm_store.sensors(companions=None)}
    for sensor_id in sorted(sensor_ids):
        if sensor_id in keys:
            by_block.setdefault(keys[sensor_id], []).append(sensor_id)
    looked, well = 0, True
    for key, ids in by_block.items():
        try:
            looked += _judge(key, ids)
        except Exception:  # a fault in a rule must not keep the other blocks' readings out
            log.exception("the new readings of %s were not looked at; tried again later", key)
            well = False
    return looked, well


def _judge(key: str, sensor_ids: Sequence[int]) -> int:
    """Look at a block's readings in one transaction; where there are many, in parts before it."""
    looked = 0
    rows = _waiting(sensor_ids)
    since = min((row.start_at for row in rows), default=None)
    if sum(readings_store.count(row.sensor_id, row.start_at, row.end_at) for row in rows) > MANY:
        parts.look_at_most(key, sensor_ids)
    with transaction():
        rows = _waiting(sensor_ids)
        for (start, end, suspect), together in _alike(rows).items():
            faults.check_new(together, start, end, [key], suspect=suspect, since=since)
            looked += len(together)
        for row in rows:
            unjudged.done(row.sensor_id)
    return looked


def _waiting(sensor_ids: Iterable[int]) -> list[UnjudgedRow]:
    return [row for sensor_id in sensor_ids for row in unjudged.unjudged(sensor_id)]


def _alike(rows: Iterable[UnjudgedRow]) -> dict[tuple[int, int, bool], list[int]]:
    """Sensors whose new readings span the same time: they are looked at together."""
    found: dict[tuple[int, int, bool], list[int]] = {}
    for row in rows:
        found.setdefault((row.start_at, row.end_at, row.suspect), []).append(row.sensor_id)
    return found
