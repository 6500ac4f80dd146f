"""The Round kept until anything in the farm's file changes, so that looking again costs next to nothing."""

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Final

from embalse.core.wording import Reader
from embalse.services.advice.advise import round_content
from embalse.services.advice.losses import losses_content
from embalse.services.load import clock
from embalse.services.reader import reader, reading_as
from embalse.store.version import file_version

KEPT: Final = 32
ASKED_FOR_S: Final = 1800
"""How long after somebody looked the Round of now is still made anew by itself."""
FRESH_S: Final = 60
"""An answer about now is made anew after a minute, since hours go into it."""
_lock = threading.Lock()
_making, _making_losses = threading.Lock(), threading.Lock()
"""Held while a Round is made: those who ask for the same one meanwhile wait for it and make no second."""
_kept: OrderedDict[Hashable, str] = OrderedDict()
_asked: dict[tuple[bool, Reader], float] = {}
_looked_at: dict[Reader, float] = {}


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


def _losses(moment: str | None) -> str:
    # an hour more or less changes no week
    asked = clock.as_of(clock.the_farm(), moment) if moment else clock.farm_now(clock.the_farm()) // 3600
    key = ("losses", file_version(), bool(moment), asked, reader())
    return _answer(key, _making_losses, lambda: losses_content(moment).model_dump_json())


def renew() -> int:
    """Make the Round of now anew for whoever looked lately, so that it is there when they look again; how many."""
    lately = [who for who, at in list(_asked.items()) if time.monotonic() - at < ASKED_FOR_S]
    for with_working, who in lately:
        with reading_as(who.units):
            _round(None, with_working)
    for who in [who for who, at in list(_looked_at.items()) if time.monotonic() - at < ASKED_FOR_S]:
        with reading_as(who.units):
            _losses(None)
    return len(lately)


def _round(moment: str | None, with_working: bool) -> str:
    asked = clock.as_of(clock.the_farm(), moment) if moment else clock.farm_now(clock.the_farm()) // FRESH_S
    key = (file_version(), bool(moment), asked, with_working, reader())
    return _answer(key, _making, lambda: round_content(moment, None, with_working).model_dump_json())


def _answer(key: Hashable, making: threading.Lock, make: Callable[[], str]) -> str:
    found = _looked_up(key)
    if found is not None:
        return found
    with making:
        found = _looked_up(key)
        if found is None:
            found = make()
            with _lock:
                _kept[key] = found
                while len(_kept) > KEPT:
                    _kept.popitem(last=False)
    return found


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
        _asked.clear()
        _looked_at.clear()
