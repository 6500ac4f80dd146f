"""The past retraced: the model restarted from what was read twice a day, and what flowed and was taken in between."""

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.block_model.column import STEPS_A_DAY, advance, started
from embalse.core.block_model.fit import Fitted
from embalse.core.block_model.parameters import Prior
from embalse.core.block_model.record import DAWN_STEP, DUSK_STEP, Record
from embalse.core.block_model.windows import forcing_of, spread_soil

Floats = NDArray[np.float64]
RESTART_STEPS: Final = (DAWN_STEP, DUSK_STEP)
ARRIVED_SHARE: Final = 0.7
"""Share [-] of the water read below the roots beyond the model's that is taken to have come through (ours)."""


@dataclass(frozen=True, eq=False)
class Replay:
    """A span of the past retraced; steps are those of the record.

    ``out_mm`` is the flux out of each layer and ``taken_mm`` the uptake in each step, shape (steps, layers), and
    ``gained_mm`` what each layer was read to hold beyond what the model said, booked at the step before that reading.
    """

    first_step: int
    out_mm: Floats
    taken_mm: Floats
    gained_mm: Floats


def replay(prior: Prior, record: Record, found: Fitted, span: tuple[int, int]) -> Replay:
    """Retrace a span of steps, restarted at six and eighteen o'clock from the readings.

    A layer that was not read goes on as the model left it; a span that runs past the last reading runs on freely.

    Parameters
    ----------
    prior : Prior
    record : Record
    found : Fitted
    span : (int, int)
        First step and the one after the last.
    """
    first, last = span
    x = found.x[:, None]
    layers = record.theta.shape[1]
    soil = spread_soil(prior, record, x, np.array([first], dtype=np.int64))
    forcing = forcing_of(prior, record, x, np.array([first], dtype=np.int64), last - first)
    theta = record.theta[first].copy()
    missing = ~np.isfinite(theta)
    theta[missing] = prior.ground.ref[missing]
    columns = started(theta[:, None])
    out, taken, gained = (np.zeros((last - first, layers)) for _ in range(3))
    for number in range(last - first):
        step = first + number
        if number and step % STEPS_A_DAY in RESTART_STEPS and step < len(record.theta):
            read = record.theta[step]
            known = np.isfinite(read)
            there = columns.theta[:, 0]
            gained[number - 1][known] = (read[known] - there[known]) * prior.ground.thickness_mm[known]
            there[known] = read[known]
        advance(columns, soil, forcing, number)
        out[number], taken[number] = columns.below_mm[:, 0], columns.taken_mm[:, 0]
    return Replay(first, out, taken, gained)


def through_mm(prior: Prior, found: Replay, roots_cm: float) -> Floats:
    """Water through the bottom of the root zone in each step [mm], shape (steps,), negative where it rose.

    The flux lies in a straight line between the limits of the layers; of what was read below the roots beyond the
    model's, 70 % is counted as come through.
    """
    limits = prior.ground.limits_cm
    place = float(np.clip(np.interp(roots_cm, limits, np.arange(len(limits))), 0, len(limits) - 1))
    upper = int(place)
    share = place - upper
    flux = np.concatenate([np.zeros((len(found.out_mm), 1)), found.out_mm], axis=1)
    through = flux[:, upper] if share < 1e-9 else (1 - share) * flux[:, upper] + share * flux[:, upper + 1]
    below = np.clip((limits[1:] - roots_cm) / np.diff(limits), 0.0, 1.0)
    return np.asarray(through + ARRIVED_SHARE * found.gained_mm @ below)
