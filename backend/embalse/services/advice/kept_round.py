"""The Round kept until anything in the farm's file changes, so that looking again costs next to nothing.

Where a keeper is at work, readings that came in are in the Round half a minute later at the latest; what a person
entered is in it at once.
"""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import Final

from pydantic import BaseModel

from embalse.core.wording import Reader
from embalse.services.advice.advise import round_content
from embalse.services.advice.losses import losses_content
from embalse.services.load import clock
from embalse.services.reader import reader, reading_as
from embalse.services.readings import judging
from embalse.store import changes
from embalse.store.version import file_version

KEPT: Final = 32
ASKED_FOR_S: Final = 1800
"""How long after somebody looked the Round of now is still made anew by itself."""
FRESH_S: Final = 60
"""An answer about now is made anew after a minute, since hours go into it."""
LATELY_S: Final = 30
"""How old the Round of now may be where only readings came in since (ours): loggers read every quarter of an hour."""
_lock = threading.Lock()
_making, _making_losses = threading.Lock(), threading.Lock()
"""Held while a Round is made: those who ask for the same one meanwhile wait for it and make no second."""
_kept: OrderedDict[Hashable, str] = OrderedDict()
_lately: dict[Hashable, "_Lately"] = {}
_asked: dict[tuple[bool, Reader], float] = {}
_looked_at: dict[Reader, float] = {}
_asked_of: dict[tuple[Hashable, Reader], tuple[float, threading.Lock, Callable[[], BaseModel]]] = {}


def round_json(moment: str | None = None, with_working: bool = True) -> str:
    """The Round of all blocks as JSON, as :func:`round_content` makes it; kept while the file stays as it is.

    Raises
    ------
    Conflict
        If no farm is set up.
    ValueError
        If the moment cannot be read.
    """
    if not moment:
        _asked[with_working, reader()] = time.monotonic()
    return _round(moment, with_working)


def losses_json(moment: str | None = None) -> str:
    """Water below the roots in the last week as JSON, kept in the same way; raises as :func:`round_json`."""
    if not moment:
        _looked_at[reader()] = time.monotonic()
    return _losses(moment)


def _losses(moment: str | None, lately: bool = True) -> str:
    # an hour more or less changes no week
    return _answer(_Asked("losses", moment, 3600, lately), _making_losses, lambda: losses_content(moment))


def renew() -> int:
    """Make the Round of now anew for whoever looked lately, so that it is there when they look again; how many."""
    lately = [who for who, at in list(_asked.items()) if time.monotonic() - at < ASKED_FOR_S]
    for with_working, who in lately:
        with reading_as(who.units, who.language):
            _round(None, with_working, lately=False)
    for who in [who for who, at in list(_looked_at.items()) if time.monotonic() - at < ASKED_FOR_S]:
        with reading_as(who.units, who.language):
            _losses(None, lately=False)
    for (what, who), (at, making, make) in list(_asked_of.items()):
        if time.monotonic() - at < ASKED_FOR_S:
            with reading_as(who.units, who.language):
                _answer(_Asked(what, None, 3600, False), making, make)
    return len(lately)


def _round(moment: str | None, with_working: bool, lately: bool = True) -> str:
    asked = _Asked(("round", with_working), moment, FRESH_S, lately)
    return _answer(asked, _making, lambda: round_content(moment, None, with_working))


@dataclass(frozen=True)
class _Asked:
    """What is asked, for which moment, how long an answer about now stays one [s], and whether a late one will do."""

    what: Hashable
    moment: str | None
    fresh_s: int
    lately: bool


@dataclass(frozen=True)
class _Lately:
    """The last answer about now: made in which file and after which entry, at which farm time [s, UTC]."""

    entered: Hashable
    made_at: int
    answer: str


def kept_answer(what: Hashable, moment: str | None, making: threading.Lock, make: Callable[[], BaseModel]) -> str:
    """Any answer about all blocks as JSON, kept in the same way, for an hour where nothing changes."""
    if not moment:
        _asked_of[what, reader()] = (time.monotonic(), making, make)
    return _answer(_Asked(what, moment, 3600, True), making, make)


def _answer(asked: _Asked, making: threading.Lock, make: Callable[[], BaseModel]) -> str:
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    at = clock.as_of(farm, asked.moment) if asked.moment else now // asked.fresh_s
    version = file_version()
    key = (asked.what, version, bool(asked.moment), at, reader())
    of_now, entered = (asked.what, reader()), (version[:3], changes.last_id())
    found = _looked_up(key)
    if found is None and asked.lately and not asked.moment:
        found = _made_lately(of_now, entered, now)
    if found is not None:
        return found
    with making:
        found = _looked_up(key)
        if found is None:
            found = make().model_dump_json()
            with _lock:
                _kept[key] = found
                if not asked.moment:
                    _lately[of_now] = _Lately(entered, now, found)
                while len(_kept) > KEPT:
                    _kept.popitem(last=False)
    return found


def _made_lately(of_now: Hashable, entered: Hashable, now: int) -> str | None:
    """The last answer about now, where a keeper is about to make the next and no person entered anything since."""
    if not judging.is_kept_up():
        return None
    with _lock:
        last = _lately.get(of_now)
    if last is None or last.entered != entered or not 0 <= now - last.made_at <= LATELY_S:
        return None
    return last.answer


def _looked_up(key: Hashable) -> str | None:
    with _lock:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
        return found


def forget() -> None:
    """Forget all Rounds kept, and who looked."""
    with _lock:
        _kept.clear()
        _lately.clear()
        _asked.clear()
        _looked_at.clear()
        _asked_of.clear()
