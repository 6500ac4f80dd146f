"""Water over time: each sensor's water content and the root zone's storage on one time axis."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from embalse.core.block import Sensor
from embalse.core.calibration import HIGHEST_THETA, calibration_at
from embalse.core.layers import Layer

Series = tuple[NDArray[np.int64], NDArray[np.float64]]
"""Instants [s, UTC], increasing, and raw values, both shape (n,)."""


def theta_series(sensor: Sensor, series: Series) -> NDArray[np.float64]:
    """Water content [m³/m³] of a raw series, shape (n,); NaN where uncalibrated or not possible in soil."""
    theta, _ = calibrated(sensor, series)
    return np.where((theta >= 0) & (theta <= HIGHEST_THETA), theta, np.nan)


def calibrated(sensor: Sensor, series: Series) -> tuple[NDArray[np.float64], bool]:
    """A raw series as water content [m³/m³] with what is impossible left in, and whether all of it is calibrated."""
    ts, raw = series
    theta = np.full(len(raw), np.nan)
    for start in sorted({float("-inf"), *(c.valid_from for c in sensor.calibrations)}):
        found = calibration_at(sensor.calibrations, sensor.raw_unit, start)
        where = ts >= start
        theta[where] = np.nan if found is None else found.intercept + found.slope * raw[where]
    return theta, bool(len(raw)) and not np.isnan(theta).any()


def common_times(series: Mapping[str, Series], step_s: int = 3600) -> NDArray[np.int64]:
    """Instants [s, UTC] on whole steps at which any series has a value, shape (n,)."""
    steps = [ts // step_s for ts, _ in series.values() if len(ts)]
    return np.unique(np.concatenate(steps)) * step_s if steps else np.empty(0, dtype=np.int64)


def on_times(
    times: NDArray[np.int64], series: Series, theta: NDArray[np.float64], step_s: int = 3600
) -> NDArray[np.float64]:
    """Values placed on whole steps, shape of ``times``; the last value within a step counts, NaN where none."""
    placed = np.full(len(times), np.nan)
    if len(theta):
        placed[np.searchsorted(times, series[0] // step_s * step_s)] = theta
    return placed


def storage_series(layers: Sequence[Layer], thetas: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
    """Root-zone storage [mm] over time from water contents by layer; NaN at times a layer is missing."""
    used = [(layer, theta) for layer, theta in zip(layers, thetas, strict=True) if layer.used_cm > 0]
    if not used:
        return np.empty(0)
    total = np.zeros(len(used[0][1]))
    for layer, theta in used:
        total += 10.0 * layer.used_cm * theta
    return total
