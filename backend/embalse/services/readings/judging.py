"""New readings looked at apart from taking them in, so that a device is answered as soon as its batch is stored.

What waits is noted in the transaction that stores it, so nothing is forgotten when the server is cut; until a sensor's
new readings have been looked at, nothing is advised from them.
"""

import logging
import threading
from collections.abc import Iterable

from embalse.services.readings import faults
from embalse.store import farm as farm_store
from embalse.store import unjudged
from embalse.store.database import transaction
from embalse.store.unjudged import UnjudgedRow

log = logging.getLogger("embalse")
waiting = threading.Event()
"""Set when readings wait for a keeper of this process."""
_keepers: set[object] = set()


def kept_up_by(keeper: object) -> None:
    """From now on a keeper of this process looks at what waits."""
    _keepers.add(keeper)


def no_longer_kept_up_by(keeper: object) -> None:
    """A keeper stopped: without any, readings are looked at as soon as they are stored."""
    _keepers.discard(keeper)


def look_soon() -> None:
    """Have what waits looked at: by the keeper of this process, or here and now where there is none."""
    if _keepers:
        waiting.set()
    else:
        judge_waiting()


def judge_waiting() -> int:
    """Look at all readings that wait, one block after another; returns of how many sensors.

    A block whose readings cannot be looked at is logged and keeps waiting; it holds no other up.
    """
    by_block: dict[str, set[int]] = {}
    keys = {s.id: s.ref.split("/", 1)[0] for s in farm_store.sensors(companions=None)}
    for row in unjudged.unjudged():
        if row.sensor_id in keys:
            by_block.setdefault(keys[row.sensor_id], set()).add(row.sensor_id)
    looked = 0
    for key, sensor_ids in by_block.items():
        try:
            looked += _judge(key, sensor_ids)
        except Exception:  # a fault in a rule must not keep the other blocks' readings out
            log.exception("the new readings of %s were not looked at; tried again later", key)
    return looked


def _judge(key: str, sensor_ids: Iterable[int]) -> int:
    looked = 0
    with transaction():
        rows = [row for sensor_id in sorted(sensor_ids) for row in unjudged.unjudged(sensor_id)]
        for (start, end, suspect), together in _alike(rows).items():
            faults.check_new(together, start, end, [key], suspect=suspect)
            looked += len(together)
        for row in rows:
            unjudged.done(row.sensor_id)
    return looked


def _alike(rows: Iterable[UnjudgedRow]) -> dict[tuple[int, int, bool], list[int]]:
    """Sensors whose new readings span the same time: they are looked at together."""
    found: dict[tuple[int, int, bool], list[int]] = {}
    for row in rows:
        found.setdefault((row.start_at, row.end_at, row.suspect), []).append(row.sensor_id)
    return found
