"""The server's own thread that acts on approved sets, and never stops for one thing that went wrong."""

import logging
import threading
from typing import Final

from embalse.services import helpers
from embalse.services.acting.stepping import step
from embalse.store.database import connection
from embalse.store.errors import Conflict

log = logging.getLogger("embalse")
EVERY_S: Final = 15.0  # seconds between looks (ours: a set is planned to minutes)
HELPER: Final = "opening and closing valves"


class Acting:
    """Steps every quarter of a minute until it is stopped; after a start the controllers' logs are read first."""

    def __init__(self, every_s: float = EVERY_S) -> None:
        self._every_s = every_s
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self) -> None:
        """Stop; a command under way is finished."""
        self._stop.set()
        self._thread.join()

    def _run(self) -> None:
        while not self._stop.is_set():
            try:
                with connection():
                    step()
            except Conflict as not_now:
                log.debug("acting: %s", not_now)
            except Exception as trouble:
                log.exception("controllers were not looked after; tried again")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)
            self._stop.wait(self._every_s)
