"""Many new readings looked at in parts, by a process of its own: pages and devices do not wait for it."""

import json
import subprocess
import sys
import time
from collections.abc import Iterable
from pathlib import Path
from typing import Final

from embalse.services.readings import faults
from embalse.store import readings as readings_store
from embalse.store import unjudged
from embalse.store.database import connection, database, open_database, transaction

PART: Final = 20_000
"""Readings looked at in one transaction (ours): a tenth of a second, so that whoever else writes soon has a turn."""
TURN_S: Final = 0.01
"""Pause between two parts [s]: another process asks every few milliseconds whether it may write."""
CHILD: Final = "from embalse.services.readings.judging_in_parts import child; child()"


def look_at_most(key: str, sensor_ids: Iterable[int]) -> None:
    """Look at the new readings of a block's sensors, save the last part of each.

    Raises
    ------
    OSError
        When the process that looks was stopped; what it had looked at stays so.
    """
    task = json.dumps([str(database.database), key, list(sensor_ids)])
    done = subprocess.run([sys.executable, "-P", "-c", CHILD], input=task.encode(), stderr=subprocess.PIPE, check=False)
    if done.returncode:
        last = done.stderr.decode(errors="replace").strip().splitlines()[-1:]
        raise OSError(f"the process that looked at readings was stopped: {' '.join(last)}")


def look_at_part(key: str, sensor_id: int) -> bool:
    """Look at the oldest of a sensor's readings that wait; returns whether it did, False where a part or less waits."""
    with transaction():
        row = next(iter(unjudged.unjudged(sensor_id)), None)
        upto = None if row is None else readings_store.instant_after(sensor_id, row.start_at, PART)
        if row is None or upto is None or upto >= row.end_at:
            return False
        faults.check_new([sensor_id], row.start_at, upto, [key], suspect=False)
        unjudged.looked_at_up_to(sensor_id, upto)
    return True


def child() -> None:
    """Look at what the task that comes in names."""
    path, key, sensor_ids = json.load(sys.stdin)
    open_database(Path(path))
    with connection():
        for sensor_id in sensor_ids:
            while look_at_part(key, sensor_id):
                time.sleep(TURN_S)
    database.close()
