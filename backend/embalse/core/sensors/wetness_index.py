"""Sensors that are not calibrated: an index between their reading in air and in water, and what would make it water."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CalibrationError, require
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
WORDS: Final = ("air-dry", "dry", "moist", "wet", "as in water")
# shares of the span lately seen [-] at which a sample tells most (ours)
WANTED_LEVELS: Final = (("driest", 0.1), ("middle", 0.5), ("wettest", 0.9))
NEAR_SHARE: Final = 0.15
"""How near the latest reading must be to a wanted level for the sample to be taken now [-], share of the span seen."""
FEWEST_DAYS: Final = 3  # daily values for a trend (ours)
STEADY_A_DAY: Final = 0.005
"""A slower move than this a day is no trend [-]: half of what shows in the second decimal on the page."""


def wetness_index(raw: Floats, air: float, water: float) -> Floats:
    """Where raw values lie between the sensor's readings in air (0) and in water (1), shape of ``raw``.

    It is no water content: two soils with the same index may hold twice as much the one as the other.

    Raises
    ------
    CalibrationError
        If air and water are the same.

    Examples
    --------
    >>> wetness_index(np.array([800.0, 600.0, 400.0]), 800, 400).tolist()
    [0.0, 0.5, 1.0]
    """
    require(air != water, "water", "readings in air and in water must differ", CalibrationError)
    return np.asarray((air - np.asarray(raw, dtype=float)) / (air - water))


def index_word(index: float) -> str:
    """The word of an index: five equal classes of the span (common practice, no source).

    Examples
    --------
    >>> index_word(0.65), index_word(-0.02), index_word(1.0)
    ('wet', 'air-dry', 'as in water')
    """
    return WORDS[min(len(WORDS) - 1, max(0, int(5 * index)))]


def class_limits(air: float, water: float) -> list[tuple[str, float, float]]:
    """The five classes of the index as raw numbers, to program into a reader: word, from, to, the driest first.

    Raises
    ------
    CalibrationError
        If air and water are the same.

    Examples
    --------
    >>> class_limits(800, 400)[0], class_limits(800, 400)[-1]
    (('air-dry', 800.0, 720.0), ('as in water', 480.0, 400.0))
    """
    require(air != water, "water", "readings in air and in water must differ", CalibrationError)
    step = (water - air) / len(WORDS)
    return [(word, air + n * step, air + (n + 1) * step) for n, word in enumerate(WORDS)]


@dataclass(frozen=True)
class SampleWanted:
    """A sample that would help: at which raw reading to take it, and when that will be, in words."""

    level: str
    raw: float
    when: Notice


def samples_wanted(raw: Floats, latest: float) -> list[SampleWanted]:
    """The three moments at which a weighed sample tells most of a sensor's curve.

    Parameters
    ----------
    raw : array, shape (n,)
        Raw values of the last weeks.
    latest : float
        The newest.

    Returns
    -------
    list of SampleWanted
        Readings a tenth, half and nine tenths of the way through what the sensor has lately seen; empty when it has
        seen fewer than 24 values.
    """
    seen = raw[np.isfinite(raw)]
    if len(seen) < 24:
        return []
    low, high = (float(q) for q in np.quantile(seen, (0.02, 0.98)))
    if high == low:
        return []
    place = (latest - low) / (high - low)
    levels = [low + share * (high - low) for _, share in WANTED_LEVELS]
    nearest = int(np.argmin([abs(place - share) for _, share in WANTED_LEVELS]))
    whens = [
        Notice("index.sample_now")
        if at == nearest and abs(place - WANTED_LEVELS[at][1]) < NEAR_SHARE
        else Notice("index.sample_when", raw=level)
        for at, level in enumerate(levels)
    ]
    return [
        SampleWanted(f"{number} of three", level, when)
        for number, level, when in zip(("first", "second", "third"), levels, whens, strict=True)
    ]


def index_trend(index: Sequence[float]) -> Notice:
    """How an index moved over its daily values; its unit is the share of the air–water span [-]."""
    values = [v for v in index if np.isfinite(v)]
    if len(values) < FEWEST_DAYS:
        return Notice("index.few_days")
    step = (values[-1] - values[0]) / (len(values) - 1)
    if abs(step) < STEADY_A_DAY:
        return Notice("index.steady")
    return Notice("index.wetter" if step > 0 else "index.drier", step=abs(step))
