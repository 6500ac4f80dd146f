"""The Round kept until anything in the farm's file changes, so that looking again costs next to nothing."""

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Final

from embalse.services.advice.advise import round_content
from embalse.services.load import clock
from embalse.services.reader import reader
from embalse.store.version import file_version

KEPT: Final = 32
FRESH_S: Final = 60
"""An answer about now is made anew after a minute, since hours go into it."""
_lock = threading.Lock()
_kept: OrderedDict[Hashable, str] = OrderedDict()


def round_json(moment: str | None = None, with_working: bool = True) -> str:
    """The Round of all blocks as JSON, as :func:`round_content` makes it; kept while the file stays as it is.

    Raises
    ------
    Conflict
        If no farm is set up.
    ValueError
        If the moment cannot be read.
    """
    asked = clock.as_of(clock.the_farm(), moment) if moment else clock.farm_now(clock.the_farm()) // FRESH_S
    key = (file_version(), bool(moment), asked, with_working, reader())
    with _lock:
        found = _kept.get(key)
        if found is not None:
            _kept.move_to_end(key)
            return found
    made = round_content(moment, None, with_working).model_dump_json()
    with _lock:
        _kept[key] = made
        while len(_kept) > KEPT:
            _kept.popitem(last=False)
    return made
