"""The stage a crop is in on a day, by the days since planting or bud break."""

from collections.abc import Mapping
from typing import Final

STAGES: Final = ("initial", "development", "mid", "late")


def stage_on(day: int, planting_day: int | None, days: Mapping[str, float | None]) -> str | None:
    """The stage on a day number; None before planting, or where the calendar is not known.

    Parameters
    ----------
    day, planting_day : int
        Day numbers; planting, or bud break of a perennial.
    days : mapping of stage to float
        Length of each stage [days].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, ch. 6 and Table 11.

    Examples
    --------
    >>> stage_on(70, 0, {"initial": 30, "development": 35, "mid": 40, "late": 20})
    'mid'
    """
    lengths = [days.get(stage) for stage in STAGES]
    if planting_day is None or day < planting_day or any(length is None for length in lengths):
        return None
    left = float(day - planting_day)
    for stage, length in zip(STAGES, lengths, strict=True):
        assert length is not None
        if left < length:
            return stage
        left -= length
    return STAGES[-1]
