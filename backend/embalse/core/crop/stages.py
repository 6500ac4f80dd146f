"""The stage a crop is in on a day, by the days since planting or bud break."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require
from embalse.core.wording import Text

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


RESIDUE_SHARE: Final = 0.5
"""How far a full cover of residue lowers the initial Kc [-]: 5 % a tenth of the ground."""


def mulched_kc(kc_ini: float, cover_fraction: float) -> float:
    """The initial Kc under crop residue that covers part of the ground [-].

    References
    ----------
    .. [1] Allen et al. (1998), FAO Irrigation and Drainage Paper 56, ch. 10, organic mulches (from memory).

    Examples
    --------
    >>> round(mulched_kc(0.4, 0.5), 3)
    0.3
    """
    return kc_ini * (1 - RESIDUE_SHARE * cover_fraction)


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


@dataclass(frozen=True)
class CropCalendar:
    """A crop's calendar: first day number, length of each stage [days], and Kc at its start, middle and end [-].

    ``source`` says where it comes from.
    """

    first_day: int
    lengths_days: tuple[float, float, float, float]
    kc: tuple[float, float, float]
    source: Text = ""

    @property
    def last_day(self) -> float:
        """Day number on which the last stage ends."""
        return self.first_day + sum(self.lengths_days)

    def kc_on(self, days: NDArray[np.int64]) -> NDArray[np.float64]:
        """Crop coefficients [-] of day numbers, shape of ``days``; NaN before the first day (FAO-56 Eq. 66)."""
        ends = [self.first_day, *(self.first_day + e for e in accumulate(self.lengths_days))]
        ini, mid, end = self.kc
        values = np.interp(days, ends, [ini, ini, mid, mid, end])
        return np.where(days < self.first_day, np.nan, values)


def degree_days(tmax_c: float, tmin_c: float, base_c: float, upper_c: float = 30.0) -> float:
    """Growing-degree days of a day [°C d]: mean of both temperatures, each held between base and upper limit, less it.

    Raises
    ------
    CoreError
        If the upper limit does not lie above the base.

    References
    ----------
    .. [1] McMaster & Wilhelm (1997), Agric. For. Meteorol. 87:291-300, method 2 (recalled, medium).

    Examples
    --------
    >>> degree_days(34.0, 12.0, 10.0, 30.0)
    11.0
    """
    require(upper_c > base_c, "upper_c", "must lie above the base temperature")
    high, low = (min(upper_c, max(base_c, t)) for t in (tmax_c, tmin_c))
    return (high + low) / 2 - base_c


def stage_lengths_from_heat(heat_c_d: Sequence[float], needed_c_d: Sequence[float]) -> list[float] | None:
    """Lengths of the stages in days, from the heat of each day since planting and the heat each stage needs.

    Parameters
    ----------
    heat_c_d : sequence of float, shape (n,)
        Degree days of each day from planting on [°C d]; days past its end are taken as warm as the last 14 were.
    needed_c_d : sequence of float, shape (4,)
        Heat each stage takes [°C d].

    Returns
    -------
    list of float or None
        Days of each stage; None where the days after the record give no heat to go by.

    Examples
    --------
    >>> stage_lengths_from_heat([10.0] * 30, [100, 100, 200, 100])
    [10.0, 10.0, 20.0, 10.0]
    """
    recent = list(heat_c_d[-14:])
    daily = sum(recent) / len(recent) if recent else 0.0
    sums = np.concatenate([[0.0], np.cumsum(np.asarray(heat_c_d, dtype=float))])
    ends, total = [0.0], 0.0
    for need in needed_c_d:
        total += need
        if total <= sums[-1]:
            ends.append(float(np.interp(total, sums, np.arange(len(sums)))))
        elif daily <= 0:
            return None
        else:
            ends.append(len(heat_c_d) + (total - float(sums[-1])) / daily)
    return [later - earlier for earlier, later in pairwise(ends)]
