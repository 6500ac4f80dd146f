"""Water over time: each sensor's water content and the root zone's storage on one time axis."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from embalse.core.root_zone.block import Sensor
from embalse.core.root_zone.root_zone import fillable, filled_theta
from embalse.core.sensors.calibration import HIGHEST_THETA, calibration_at
from embalse.core.sensors.matrix_sensor import at_times
from embalse.core.soil.layers import Layer

Series = tuple[NDArray[np.int64], NDArray[np.float64]]
"""Instants [s, UTC], increasing, and raw values, both shape (n,)."""


def theta_series(sensor: Sensor, series: Series, warmth: Series | None = None) -> NDArray[np.float64]:
    """Water content [m³/m³] of a raw series, shape (n,); NaN where uncalibrated or not possible in soil."""
    theta, _ = calibrated(sensor, series, warmth)
    return np.where((theta >= 0) & (theta <= HIGHEST_THETA), theta, np.nan)


def calibrated(sensor: Sensor, series: Series, warmth: Series | None = None) -> tuple[NDArray[np.float64], bool]:
    """A raw series as water content [m³/m³] with what is impossible left in, and whether all of it is calibrated.

    ``warmth`` is the soil temperature beside it [°C], where that matters and is measured.
    """
    ts, raw = series
    there = None if warmth is None else at_times(ts, warmth)
    theta = np.full(len(raw), np.nan)
    for start in sorted({float("-inf"), *(c.valid_from for c in sensor.calibrations)}):
        found = calibration_at(sensor.calibrations, sensor.raw_unit, start)
        where = ts >= start
        theta[where] = np.nan if found is None else found.theta(raw[where], None if there is None else there[where])
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
    """Root-zone storage [mm] over time from water contents by layer.

    A layer missing at a time is filled in from its neighbours as the present state is (``station_state``); NaN at
    times at which too little is known for that.
    """
    used = [layer for layer in layers if layer.rooted_cm > 0]
    if not used:
        return np.empty(0)
    table = np.array([theta for layer, theta in zip(layers, thetas, strict=True) if layer.rooted_cm > 0])
    return np.array([10.0 * layer.rooted_cm for layer in used]) @ _filled_in(used, table)


def _filled_in(layers: Sequence[Layer], table: NDArray[np.float64]) -> NDArray[np.float64]:
    """Water contents (layer, time) with what is missing between known layers filled in by share of available water."""
    missing = np.isnan(table)
    if not missing.any():
        return table
    filled = table.copy()
    patterns, which = np.unique(missing, axis=1, return_inverse=True)
    thickness = [layer.rooted_cm for layer in layers]
    for number, pattern in enumerate(patterns.T):
        if not pattern.any() or not fillable(pattern.tolist(), thickness):
            continue
        times = np.flatnonzero(which.ravel() == number)
        known = np.flatnonzero(~pattern)
        for row in np.flatnonzero(pattern).tolist():
            above, below = known[known < row][-1], known[known > row][0]
            ends, values = (layers[above], layers[below]), (table[above, times], table[below, times])
            filled[row, times] = filled_theta(layers[row], ends, values)
    return filled
