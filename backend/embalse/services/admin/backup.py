"""Copies of the farm's file: by hand, on a schedule, and going back to one."""

import logging
import threading
from datetime import UTC, datetime
from pathlib import Path

from embalse.services import helpers
from embalse.store import keeping

log = logging.getLogger("embalse")
HELPER = "the copy of the data"


def copy_name(folder: Path, moment: datetime | None = None) -> Path:
    """Name of a copy taken at a moment (now if None)."""
    return folder / f"embalse-{(moment or datetime.now(UTC)):%Y%m%d-%H%M%S}.db"


def backup_now(database: Path, folder: Path, keep: int) -> Path:
    """Take a copy into a folder and let the oldest go beyond ``keep``."""
    made = keeping.backup(database, copy_name(folder))
    keeping.thin_out(folder, keep)
    return made


class Schedule:
    """Takes a copy every so many hours in a thread of its own, until it is stopped."""

    def __init__(self, database: Path, folder: Path, every_h: float, keep: int) -> None:
        self._stop = threading.Event()
        self._given = (database, folder, keep)
        self._every_s = 3600 * every_h
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin; the first copy is taken after the first span."""
        self._thread.start()

    def stop(self) -> None:
        """Stop waiting; a copy under way is finished."""
        self._stop.set()

    def _run(self) -> None:
        while not self._stop.wait(self._every_s):
            try:
                log.info("backup: %s", backup_now(*self._given).name)
            except Exception as trouble:  # whatever it was, the next copy is tried again
                log.exception("backup failed; tried again later")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)
