"""What imperfect sensors make of the truth."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class SensorFaults:
    """How a sensor errs: offset and noise [m³/m³], shares of readings that are spikes or missing [-].

    From the reading ``stuck_from`` on, counted from 0, it repeats what it gave last.
    """

    offset_sd: float = 0.004
    noise_sd: float = 0.0015
    spike_share: float = 0.0
    missing_share: float = 0.0
    stuck_from: int | None = None


def sensed_theta(truth: Array, faults: SensorFaults, seed: int) -> Array:
    """Water content [m³/m³] as a sensor reports it, shape of ``truth``; NaN where a reading is missing."""
    random = np.random.default_rng(seed)
    reported = truth + random.normal(0, faults.offset_sd) + random.normal(0, faults.noise_sd, len(truth))
    spikes = random.random(len(truth)) < faults.spike_share
    reported = np.where(spikes, reported + random.choice([-0.12, 0.15], len(truth)), reported)
    if faults.stuck_from is not None:
        reported[faults.stuck_from :] = reported[faults.stuck_from]
    missing = random.random(len(truth)) < faults.missing_share
    return np.where(missing, np.nan, np.clip(reported, 0.0, 0.60))
