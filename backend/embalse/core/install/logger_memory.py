"""When a logger that is read out by hand writes over its oldest readings."""

import math
from dataclasses import dataclass

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.wording import Notice


@dataclass(frozen=True)
class MemoryState:
    """The last day number to read a logger out, days left [days], whether it is due, and the words."""

    read_out_by: int
    days_left: int
    due: bool
    words: Notice


def memory_state(read_out_day: int, holds: float, every_min: float, today: int) -> MemoryState:
    """How a logger's memory stands.

    Parameters
    ----------
    read_out_day, today : int
        Day numbers: when it was last read out, and now.
    holds : float
        Readings a channel until it writes over itself.
    every_min : float
        Minutes between readings [min].

    Raises
    ------
    CoreError
        If a value is not positive.

    Examples
    --------
    >>> memory_state(0, 4096, 60, 100).read_out_by
    170
    """
    require(holds > 0, "holds", "must be more than 0")
    require(every_min > 0, "every_min", "must be more than 0")
    last = read_out_day + math.floor(holds * every_min / 1440)
    left = last - today
    if left < 0:
        words = Notice("logger.wrapped", on_day=last, ago_days=float(-left))
        return MemoryState(last, left, True, words)
    due = left <= practice("logger_warn_days")
    return MemoryState(last, left, due, Notice("logger.read_out_by", on_day=last, left_days=float(left)))
