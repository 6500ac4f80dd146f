"""Lower sensors an hour or two after a set: a strong answer says shorten; none, and drier each time, lengthen."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final, Literal

import numpy as np

from embalse.core.audit.seen import BEFORE_H, HOUR_S
from embalse.core.errors import require
from embalse.core.field.wetting import Floats, Times
from embalse.core.practice import practice
from embalse.core.robust import noise_of_series

Answer = Literal["strong", "slight", "none", "not told"]
Advice = Literal["shorten", "lengthen", "right", "cannot tell"]
DELAY_H: Final = practice("lower_delay_h")
CLAY_DELAY_H: Final = practice("lower_delay_clay_h")
CLAY_FRACTION: Final = 0.35  # of clay in the topsoil from which water is slow to come down (the clays' texture classes)
READ_H: Final = 1.0  # hours over which the lower sensors are read once the delay is over (one to two hours after)
STRONG_SHARE: Final = practice("lower_strong_share")
NOISES: Final = 3.0  # times its own error an answer must be beyond (ours: three standard deviations)
DRYING_SETS: Final = 3  # sets in a row without an answer over which lower sensors must have dried (ours: "several")
RAW: Final = "raw"  # what a unit begins with that may go either way as it gets wetter
USUAL_DAYS: Final = 3  # days before, at the same hours, that tell what a sensor does without water (ours)


def lower_delay_h(clay_fraction: float | None) -> float:
    """Hours after a set's end from which lower sensors are read, by the clay of the topsoil [-].

    Examples
    --------
    >>> lower_delay_h(0.20), lower_delay_h(0.35), lower_delay_h(None)
    (1.0, 2.0, 1.0)
    """
    return CLAY_DELAY_H if clay_fraction is not None and clay_fraction >= CLAY_FRACTION else DELAY_H


@dataclass(frozen=True)
class Pair:
    """The upper and the lower sensor of a station: hourly instants [s] and wetness in the sensors' own unit.

    Wetter is more: a tension is handed in with its sign turned. A unit that begins with "raw" may go either way. Shapes
    (n,), NaN where not read.
    """

    station: str
    unit: str
    at: Times
    upper: Floats
    lower: Floats
    lower_cm: float
    upper_scatter: "Scatter"
    lower_scatter: "Scatter"


@dataclass(frozen=True)
class Scatter:
    """Noise of a sensor's series and the smallest step its readings go by, in its own unit."""

    noise: float
    step: float


def pair_of(station: str, unit: str, at: Times, values: tuple[Floats, Floats], lower_cm: float = 0.0) -> Pair:
    """A pair from the hourly wetness of its upper and its lower sensor (instants in s, depth in cm)."""
    upper, lower = values
    scatters = [Scatter(noise_of_series(v), _step(v)) for v in values]
    return Pair(station, unit, at, upper, lower, lower_cm, scatters[0], scatters[1])


@dataclass(frozen=True)
class LowerAnswer:
    """What the lower sensors said of a set: their mean change, that of the upper ones, and the least that counts.

    In the sensors' own unit, wetter is more. ``before`` is what the lower ones showed before the set.
    """

    said: Answer
    change: float | None = None
    upper_change: float | None = None
    least: float | None = None
    before: float | None = None
    unit: str = ""
    pairs: int = 0


def lower_answer(
    pairs: Sequence[Pair], span: tuple[int, int], delay_h: float = DELAY_H, waters: Sequence[tuple[int, int]] = ()
) -> LowerAnswer:
    """What the lower sensors of all pairs said one to two hours after a set, as their mean.

    What a sensor does at the same hours of the days before, without water, is taken off: drying, and a swing with the
    day's warmth. An answer is a change of more than three times its error and more than one step of the sensor. It is
    strong from half of what the upper sensors answered. Pairs of the most common unit count.

    Parameters
    ----------
    pairs : sequence of Pair
    span : (int, int)
        Start and end of the set [s].
    delay_h : float
        Hours after the end from which they are read [h].
    waters : sequence of (int, int)
        Starts and ends of sets and rain [s]: days with one are not taken for usual.

    Returns
    -------
    LowerAnswer
        "not told" without readings around the set, or where not even the upper sensors answered.

    Raises
    ------
    CoreError
        If the delay is negative.

    References
    ----------
    .. [1] Common practice, no source: read the lower sensor one to two hours after the end; a strong move to wet is too
       much, slight is right, none and drier from set to set is too little.
    """
    require(delay_h >= 0, "delay_h", "must be 0 or more")
    units = Counter(p.unit for p in pairs)
    unit = units.most_common(1)[0][0] if units else ""
    read = [r for p in pairs if p.unit == unit and (r := _read(p, span, delay_h, waters)) is not None]
    if not read:
        return LowerAnswer("not told", unit=unit)
    lower, upper = float(np.mean([r.lower for r in read])), float(np.mean([r.upper for r in read]))
    least = float(np.sqrt(np.sum([r.least**2 for r in read]))) / len(read)
    before = float(np.mean([r.before for r in read]))
    facts = (lower, upper, least, before, unit, len(read))
    if upper <= float(np.mean([r.upper_least for r in read])):
        return LowerAnswer("not told", *facts)
    if lower <= least:
        return LowerAnswer("none", *facts)
    return LowerAnswer("strong" if lower >= STRONG_SHARE * upper else "slight", *facts)


@dataclass(frozen=True)
class _Read:
    lower: float
    upper: float
    least: float
    upper_least: float
    before: float


def _read(pair: Pair, span: tuple[int, int], delay_h: float, waters: Sequence[tuple[int, int]]) -> _Read | None:
    before = (span[0] - BEFORE_H * HOUR_S, span[0])
    first = span[1] + round(delay_h * HOUR_S)
    after = (first, first + round(READ_H * HOUR_S))
    found = []
    for values, scatter in ((pair.lower, pair.lower_scatter), (pair.upper, pair.upper_scatter)):
        change = _change(pair.at, values, before, after)
        if change is None:
            return None
        usual = _usual(pair.at, values, (before, after), waters)
        least = max(NOISES * scatter.noise * _root(pair.at, values, (before, after)), scatter.step)
        found.append((change - usual, least))
    start = _mean(pair.at, pair.lower, before)
    assert start is not None
    # readings that are not calibrated may fall where it gets wetter: a set makes the upper sensor wetter
    sign = -1 if pair.unit.startswith(RAW) and found[1][0] < 0 else 1
    return _Read(sign * found[0][0], sign * found[1][0], found[0][1], found[1][1], sign * start)


def _within(at: Times, values: Floats, span: tuple[int, int]) -> Floats:
    first, last = np.searchsorted(at, span[0]), np.searchsorted(at, span[1], side="right")
    part = values[first:last]
    return part[np.isfinite(part)]


def _mean(at: Times, values: Floats, span: tuple[int, int]) -> float | None:
    part = _within(at, values, span)
    return float(part.mean()) if len(part) else None


def _change(at: Times, values: Floats, before: tuple[int, int], after: tuple[int, int]) -> float | None:
    old, new = _mean(at, values, before), _mean(at, values, after)
    return None if old is None or new is None else new - old


def _usual(
    at: Times, values: Floats, spans: tuple[tuple[int, int], tuple[int, int]], waters: Sequence[tuple[int, int]]
) -> float:
    """Median change at the same hours of up to three days before without water; 0 where there is none."""
    before, after = spans
    found = []
    for days in range(1, USUAL_DAYS + 1):
        back = days * 24 * HOUR_S
        first, last = before[0] - back, after[1] - back
        # a day after water the profile still drains: that is no usual day
        if any(start < last and end > first - 24 * HOUR_S for start, end in waters):
            continue
        change = _change(at, values, (first, before[1] - back), (after[0] - back, last))
        if change is not None:
            found.append(change)
    return float(np.median(found)) if found else 0.0


def _root(at: Times, values: Floats, spans: tuple[tuple[int, int], tuple[int, int]]) -> float:
    """What a reading's noise is multiplied by in a difference of two means [-]."""
    return float(np.sqrt(sum(1 / max(1, len(_within(at, values, span))) for span in spans)))


def _step(values: Floats) -> float:
    """The smallest step a sensor's readings go by, in its unit; 0 where they never change."""
    known = values[np.isfinite(values)]
    steps = np.abs(np.diff(known))
    steps = steps[steps > 0]
    return float(steps.min()) if len(steps) else 0.0


def lower_advice(answers: Sequence[LowerAnswer]) -> Advice:
    """What the lower sensors say of the last set, from the answers of the sets up to it, oldest first.

    Strong: shorten. Slight: right. None: lengthen where the last three sets had no answer and the lower sensors were
    drier before each of them, else it cannot be told.

    Examples
    --------
    >>> lower_advice([LowerAnswer("none", 0.0, 9.0, 1.0, before) for before in (-30.0, -33.0, -36.0)])
    'lengthen'
    """
    if not answers or answers[-1].said == "not told":
        return "cannot tell"
    last = answers[-1]
    if last.said != "none":
        return "shorten" if last.said == "strong" else "right"
    lately = answers[-DRYING_SETS:]
    levels = [a.before for a in lately if a.said == "none" and a.unit == last.unit]
    if len(levels) < DRYING_SETS:
        return "cannot tell"
    falls = all(b is not None and a is not None and b < a for a, b in pairwise(levels))
    fell = (levels[0] or 0.0) - (levels[-1] or 0.0)
    return "lengthen" if falls and fell > (last.least or 0.0) else "cannot tell"
