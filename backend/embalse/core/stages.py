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


def stage_spans(planting_day: int, days: Mapping[str, float | None]) -> list[tuple[str, int, int]]:
    """First day number of each stage and of the next; empty where a length is not known (lengths in days)."""
    found, start = [], float(planting_day)
    for stage in STAGES:
        length = days.get(stage)
        if length is None:
            return []
        found.append((stage, round(start), round(start + length)))
        start += length
    return found


def kc_on(
    day: int, planting_day: int | None, days: Mapping[str, float | None], kc: Mapping[str, float | None]
) -> float | None:
    """Crop coefficient on a day number [-]: level, rising in a straight line, level, falling; None where not known.

    Parameters
    ----------
    day, planting_day : int
        Day numbers.
    days : mapping of stage to float
        Length of each stage [days].
    kc : mapping
        ``kc_ini``, ``kc_mid``, ``kc_end`` [-].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, Eq. 66.

    Examples
    --------
    >>> lengths = {"initial": 25, "development": 25, "mid": 30, "late": 20}
    >>> round(kc_on(40, 0, lengths, {"kc_ini": 0.15, "kc_mid": 1.19, "kc_end": 0.35}), 2)
    0.77
    """
    ini, mid, end = kc.get("kc_ini"), kc.get("kc_mid"), kc.get("kc_end")
    spans = [] if planting_day is None else stage_spans(planting_day, days)
    if not spans or ini is None or mid is None or end is None or day < spans[0][1]:
        return None
    ends = {"initial": (ini, ini), "development": (ini, mid), "mid": (mid, mid), "late": (mid, end)}
    for stage, first, after in spans:
        if day < after:
            before, then = ends[stage]
            return before + (then - before) * (day - first) / max(1, after - first)
    return end
