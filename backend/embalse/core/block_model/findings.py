"""What a block's model tells of its past: water below the roots by wetting, and where roots drink."""

from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import STEPS_A_DAY
from embalse.core.block_model.fit import Fitted
from embalse.core.block_model.ground import Ground
from embalse.core.block_model.parameters import Prior
from embalse.core.block_model.record import DAWN_STEP, DUSK_STEP, Record
from embalse.core.block_model.replay import replay, through_mm
from embalse.core.field.uptake import ACTIVE_ERRORS, ACTIVE_SHARE, LayerUptake, Uptake
from embalse.core.field.wetting import Wetting
from embalse.core.wording import Notice

Floats = NDArray[np.float64]
CLEAN_MM: Final = 1.0  # mm given on a day and the one before from which it is no clean day (ours)
MODEL_ERROR: Final = 0.15  # of a layer's uptake that the model itself may be wrong by (ours)
GOES_ON_S: Final = 120 * 3600  # seconds after its end that water goes on down (ours): five days, then it is said
SOAKS_S: Final = 12 * 3600  # seconds a wetting nobody logged is taken to have lasted (ours)
PAN_RATIO: Final = 10.0  # times slower than a layer above from which one holds water up: texture errs by three (ours)
DRAINS_SHARE: Final = 0.3  # of the uptake [-] that may drain for layers to be told apart soon after water (ours)
FEWEST_DAYS: Final = 2  # days retraced at least (ours)


def below_roots_mm(prior: Prior, record: Record, found: Fitted, span: tuple[int, int], roots_cm: float) -> float | None:
    """Water that went below the roots for good over a span of steps [mm], 0 where some rose.

    Parameters
    ----------
    prior : Prior
    record : Record
    found : Fitted
    span : (int, int)
        Steps from the beginning of the water to its end: the next water, or five days after.
    roots_cm : float
        Deepest the roots go in the season [cm]: what passes shallow young roots is still theirs.

    Returns
    -------
    float or None
        None where no probe stands for soil below the roots, nothing was read before the span, or a layer holds water up
        (:func:`holds_water_up`): what it lets through hangs on a conductivity nobody measured.
    """
    if prior.ground.limits_cm[-1] <= roots_cm + 1 or holds_water_up(prior.ground):
        return None
    first = span[0]
    while first > 0 and first % STEPS_A_DAY not in (DAWN_STEP, DUSK_STEP):
        first -= 1
    if span[1] <= span[0] or not np.isfinite(record.theta[first]).any():
        return None
    flux = through_mm(prior, replay(prior, record, found, (first, span[1])), roots_cm)
    return max(0.0, float(flux[span[0] - first :].sum()))


def goes_on_until(wetting: Wetting, later: Wetting | None) -> int:
    """Until when the water of a wetting is followed down [s, UTC]: five days after its end, or the next wetting."""
    end = max((w.end_at for w in wetting.from_what), default=wetting.start_at + SOAKS_S) + GOES_ON_S
    return end if later is None else min(end, later.start_at)


def holds_water_up(ground: Ground) -> bool:
    """Whether a layer lets water through ten times slower than one above it, by their textures: water stands on it."""
    fastest_above = np.maximum.accumulate(ground.ks_mm_h)
    return bool((PAN_RATIO * ground.ks_mm_h <= fastest_above).any())


def modelled_uptake(prior: Prior, record: Record, found: Fitted, until_day: int, last_days: int = 14) -> Uptake | None:
    """What roots took from each layer a day, retraced over the last days [mm/day].

    Parameters
    ----------
    prior : Prior
    record : Record
    found : Fitted
        The fit that knows the dusks too.
    until_day : int
        Day number whose dawn is the end.
    last_days : int
        How many days back.

    Returns
    -------
    Uptake or None
        The mean of the days without water on them or the day before; where there is none, of those without water on
        them if little drains then. Else without a layer: while water goes through the roots all the time, what drains
        cannot be told from what they take. None with fewer than two days in all.
    """
    first_day = max(record.first_day, until_day - last_days)
    first, last = record.dawn(first_day), record.dawn(until_day)
    days = (last - first) // STEPS_A_DAY
    if days < FEWEST_DAYS:
        return None
    retraced = replay(prior, record, found, (first, last))
    by_day = retraced.taken_mm[: days * STEPS_A_DAY].reshape(days, STEPS_A_DAY, -1).sum(axis=1)
    begins = first + STEPS_A_DAY * np.arange(days)
    clean = np.array([_dry(record, int(step), STEPS_A_DAY) for step in begins])
    if not clean.any():
        clean = np.array([_dry(record, int(step), 0) for step in begins])
        through = through_mm(prior, retraced, float(record.roots_cm[-1]))[: days * STEPS_A_DAY]
        drains = float(through.reshape(days, STEPS_A_DAY).sum(axis=1)[clean].sum()) if clean.any() else np.inf
        if drains > DRAINS_SHARE * float(by_day[clean].sum()):
            return Uptake((), 0, None, Notice("uptake.no_clean", window_days=last_days))
    kept = by_day[clean]
    means = kept.mean(axis=0)
    scatter = kept.std(axis=0, ddof=1) / np.sqrt(len(kept)) if len(kept) > 1 else np.zeros(len(means))
    errors = np.hypot(scatter, MODEL_ERROR * means)
    whole = float(means.sum())
    layers = []
    for depth, mean, error in zip(prior.ground.depths_cm, means.tolist(), errors.tolist(), strict=True):
        share = mean / whole if whole > 0 else 0.0
        layers.append(LayerUptake(depth, mean, error, share, mean > ACTIVE_ERRORS * error and share > ACTIVE_SHARE))
    active = [n for n, layer in enumerate(layers) if layer.active]
    deepest = float(prior.ground.limits_cm[active[-1] + 1]) if active else None
    return Uptake(tuple(layers), len(kept), deepest)


def _dry(record: Record, step: int, before: int) -> bool:
    """Whether no water came in the day from a dawn on, nor in so many steps before it."""
    begin, end = max(0, step - before), step + STEPS_A_DAY
    return bool((record.sets_mm[begin:end] + record.rain_mm[begin:end]).sum() < CLEAN_MM)
