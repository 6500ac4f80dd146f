"""How the server's own threads fare: what failed last, in words a page can show."""

import errno
import threading
import time
from dataclasses import dataclass
from typing import Final

DISK_FULL: Final = "the disk is full"


@dataclass(frozen=True)
class Trouble:
    """What a thread could not do, since when [s, UTC], and why."""

    what: str
    since: float
    why: str


_lock = threading.Lock()
_troubles: dict[str, Trouble] = {}


def failed(what: str, trouble: BaseException) -> None:
    """Note that a thread's work failed; the first time since it last went well is kept."""
    with _lock:
        before = _troubles.get(what)
        _troubles[what] = Trouble(what, before.since if before else time.time(), why(trouble))


def well(what: str) -> None:
    """Note that a thread's work went well."""
    with _lock:
        _troubles.pop(what, None)


def troubles() -> list[Trouble]:
    """What does not go well now, the oldest first."""
    with _lock:
        return sorted(_troubles.values(), key=lambda one: one.since)


def why(trouble: BaseException) -> str:
    """Why something failed, without a path or a name of the inside.

    Examples
    --------
    >>> why(OSError(errno.ENOSPC, "No space left on device")), why(ZeroDivisionError())
    ('the disk is full', 'an error inside; it is in the log')
    """
    text = str(trouble)
    if getattr(trouble, "errno", None) == errno.ENOSPC or "disk is full" in text or "disk I/O error" in text:
        return DISK_FULL if "I/O" not in text else "the disk cannot be written"
    if isinstance(trouble, PermissionError):
        return "the folder may not be written"
    if isinstance(trouble, OSError):
        return trouble.strerror or "a file cannot be read or written"
    return "an error inside; it is in the log"
