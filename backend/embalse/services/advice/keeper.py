"""The server's own work between requests: new readings looked at, the Round of now kept ready, models fitted."""

import logging
import threading
import time
from typing import Final

from embalse.services import helpers
from embalse.services.advice import kept_round
from embalse.services.advice.model_keeping import Fitting
from embalse.services.readings import judging
from embalse.store.database import connection
from embalse.store.errors import Conflict
from embalse.store.version import file_version

log = logging.getLogger("embalse")
HELPER = "looking at new readings"
GATHER_S = 0.3
"""How long new readings gather before they are looked at together."""
REST: Final = 3
"""After the Round was made anew, it is left for so many times as long as that took (ours): pages come first."""


class Keeper:
    """Looks at what came in, in a thread of its own, until it is stopped; with what waits since before the start.

    The blocks' models are fitted by a process that it begins and looks after.

    Whatever fails is logged and tried again: nothing ends the thread.
    """

    def __init__(self, every_s: float = 20.0, gather_s: float = GATHER_S) -> None:
        self._every_s = every_s
        self._gather_s = gather_s
        self._stop = threading.Event()
        self._renew_from, self._left = 0.0, False
        self._fitting = Fitting()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> None:
        """Begin."""
        judging.kept_up_by(self)
        self._thread.start()

    def stop(self) -> None:
        """Stop; what is under way is finished."""
        self._stop.set()
        judging.waiting.set()
        self._thread.join()
        self._fitting.stop()
        judging.no_longer_kept_up_by(self)

    def _run(self) -> None:
        while not self._stop.is_set():
            judging.waiting.clear()
            try:
                with connection():
                    file_version()  # its watching connection stays: else every last one closed writes the log back
                    judging.judge_waiting()
                    self._renew()
                    self._fitting.look()
            except Conflict as not_now:
                log.debug("keeper: %s", not_now)
            except Exception as trouble:
                log.exception("what came in was not looked at; tried again later")
                helpers.failed(HELPER, trouble)
            else:
                helpers.well(HELPER)
            if judging.waiting.wait(self._until_next()):
                self._stop.wait(self._gather_s)

    def _renew(self) -> None:
        begun = time.monotonic()
        if begun < self._renew_from:
            self._left = True
            return
        kept_round.renew()
        self._left = False
        now = time.monotonic()
        self._renew_from = now + REST * (now - begun)

    def _until_next(self) -> float:
        """How long to wait for new readings [s]: a Round that was left is made as soon as the rest is over."""
        rest = self._renew_from - time.monotonic()
        return min(self._every_s, max(0.0, rest)) if self._left else self._every_s
