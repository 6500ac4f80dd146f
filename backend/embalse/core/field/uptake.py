"""Where roots drink: the day-and-night staircase of each depth, its share, and how deep roots are seen to drink."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require
from embalse.core.field.wetting import ProfileHours, Wetting
from embalse.core.wording import Notice, Text

Floats = NDArray[np.float64]
DAY_S: Final = 86400  # seconds
MORNING_H, EVENING_H = 6, 20
QUIET_AFTER_S: Final = 24 * 3600  # seconds after water within which a fall is drainage too (ours: a day)
FEWEST_DAYS: Final = 4  # dry days for a mean by layer (ours)
ACTIVE_ERRORS: Final = 2.0  # standard errors above 0 from which roots are said to drink
ACTIVE_SHARE: Final = 0.03  # share of the whole uptake [-] from which roots are said to drink (ours)


@dataclass(frozen=True)
class LayerUptake:
    """What roots took from a layer in a day [mm/day] with its standard error, and its share of the profile's [-].

    ``active`` when it is more than two errors and 3 % of the whole.
    """

    depth_cm: float
    mm_d: float
    error_mm_d: float
    share: float
    active: bool


@dataclass(frozen=True)
class Uptake:
    """Uptake by layer over so many clean days, and the depth down to which roots are seen to drink [cm].

    ``why_not`` says why there is none; ``root_depth_cm`` is None then, and where no layer is active.
    """

    layers: tuple[LayerUptake, ...]
    days: int
    root_depth_cm: float | None
    why_not: Text = ""


def uptake(profile: ProfileHours, wettings: tuple[Wetting, ...] = (), last_days: int = 14) -> Uptake:
    """Uptake of each layer from the steps its water content takes by day and not by night.

    What a layer loses from six to twenty o'clock, less what it loses in the nights around it hour for hour, roots have
    taken: drainage goes on by day and night alike. Days with a wetting, and the day after one, are left out.

    Parameters
    ----------
    profile : ProfileHours
        Instants are farm-local seconds.
    wettings : tuple of Wetting
        Wettings of the same profile.
    last_days : int
        How many days back are looked at.

    Returns
    -------
    Uptake

    Raises
    ------
    CoreError
        If the profile has no layer.
    """
    require(len(profile.theta) > 0, "theta", "a profile needs at least one layer")
    if not len(profile.at):
        return Uptake((), 0, None, "no readings")
    last = int(profile.at[-1]) // DAY_S
    days = [d for d in range(last - last_days, last) if not _disturbed(d, wettings)]
    steps = np.array([[_taken(profile, layer, day) for day in days] for layer in range(len(profile.theta))])
    known = np.isfinite(steps).all(axis=0) if days else np.zeros(0, dtype=bool)
    count = int(known.sum())
    if count < FEWEST_DAYS:
        return Uptake((), count, None, Notice("uptake.few_days", days=count, window_days=last_days, wanted=FEWEST_DAYS))
    taken = steps[:, known]
    means = taken.mean(axis=1)
    errors = taken.std(axis=1, ddof=1) / np.sqrt(count)
    whole = float(np.maximum(means, 0).sum())
    layers = []
    for depth, mean, error in zip(profile.depths_cm, means.tolist(), errors.tolist(), strict=True):
        share = max(0.0, mean) / whole if whole > 0 else 0.0
        layers.append(LayerUptake(depth, mean, error, share, mean > ACTIVE_ERRORS * error and share > ACTIVE_SHARE))
    return Uptake(tuple(layers), count, _seen_depth(profile, layers))


def _disturbed(day: int, wettings: tuple[Wetting, ...]) -> bool:
    begin, end = day * DAY_S, (day + 1) * DAY_S + MORNING_H * 3600
    return any(begin - QUIET_AFTER_S < w.start_at < end for w in wettings)


def _taken(profile: ProfileHours, layer: int, day: int) -> float:
    """Loss of a day less that of the nights around it [mm]; NaN where a reading is missing."""
    begin = day * DAY_S
    marks = [begin - (24 - EVENING_H) * 3600, begin + MORNING_H * 3600, begin + EVENING_H * 3600,
             begin + (24 + MORNING_H) * 3600]  # fmt: skip
    values = [_near(profile, layer, mark) for mark in marks]
    evening, morning, dusk, dawn = values
    by_day = morning - dusk
    night = ((evening - morning) + (dusk - dawn)) / (2 * (24 - EVENING_H + MORNING_H))
    return (by_day - night * (EVENING_H - MORNING_H)) * profile.millimetres(layer)


def _near(profile: ProfileHours, layer: int, at: int) -> float:
    """Mean of the three readings around an instant [m³/m³]; NaN where there are none."""
    first, last = np.searchsorted(profile.at, [at - 3600, at + 3601])
    part = profile.theta[layer][first:last]
    return float(np.nanmean(part)) if len(part) and np.isfinite(part).any() else float("nan")


def _seen_depth(profile: ProfileHours, layers: list[LayerUptake]) -> float | None:
    """Lower limit of the deepest active layer that hangs together with the top [cm]."""
    deepest = None
    for number, layer in enumerate(layers):
        if layer.active:
            deepest = profile.limits_cm[number + 1]
        elif number and not layers[number - 1].active:
            break
    return deepest
