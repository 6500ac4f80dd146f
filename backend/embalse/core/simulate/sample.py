"""Three invented weeks of a soil's water, to try things with before there are readings."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import require
from embalse.core.field.day_curve import hourly_share
from embalse.core.simulate.column import THICKNESS_CM, ColumnSpec, SoilColumns
from embalse.core.simulate.weather import weather
from embalse.core.soil.horizon_marks import Horizon, horizon_marks
from embalse.core.wording import Notice

DAYS = 21
JULY = 7
WATERED_AT = 0.5  # share of the available water used at which the invented crop is watered
SET_H, SET_MM_H = 20, 8.0
SOAKED_MM_H = 25.0  # intake of the invented soil
LAST_DRY_DAYS = 4  # days left without a set, so that a dry-down can be seen at the end
SCATTER = 0.001  # m³/m³, as a sensor's reading wanders


def sample_weeks(
    horizons: Sequence[Horizon], root_cm: float, depths_cm: Sequence[float], seed: int = 1
) -> NDArray[np.float64]:
    """Water content hour by hour at depths, of a soil that is watered in the evening and dries down at the end.

    Parameters
    ----------
    horizons : sequence of Horizon
        The block's soil.
    root_cm : float
        Depth of the roots [cm].
    depths_cm : sequence of float
        Depths of the sensors [cm].
    seed : int
        The same seed gives the same weeks.

    Returns
    -------
    ndarray, shape (hours, depths)
        Whole-soil water content [m³/m³].

    Raises
    ------
    CoreError
        If there are no depths, or the horizons' marks cannot be worked out.
    """
    require(len(depths_cm) > 0, "depths_cm", "the station has no sensors yet")
    require(len(horizons) > 0, "horizons", Notice("no_advice.soil"))
    bottom = max(root_cm, *depths_cm) + 4 * THICKNESS_CM
    lowest = horizons[-1]  # goes on below what is described of it: water has to go somewhere
    ground = (*horizons[:-1], replace(lowest, bottom_cm=max(lowest.bottom_cm, bottom)))
    marks = tuple(horizon_marks(h) for h in ground)
    column = SoilColumns([ColumnSpec(marks, bottom, root_cm, SOAKED_MM_H)])
    eto_mm_d = weather(np.full(DAYS, JULY), seed).eto_mm_d
    roots = np.array([root_cm])
    inside = np.clip((root_cm - column.centres_cm) / THICKNESS_CM + 0.5, 0, 1)
    available_mm = float(((column.full - column.wilting) * inside).sum() * column.thickness_mm)
    found = np.empty((DAYS * 24, len(depths_cm)))
    left_mm = 0.0
    for hour in range(DAYS * 24):
        day, clock = divmod(hour, 24)
        found[hour] = [float(column.at_depth(depth)[0]) for depth in depths_cm]
        short_mm = float(column.depletion_mm(roots)[0])
        if clock == SET_H and day < DAYS - LAST_DRY_DAYS and short_mm > WATERED_AT * available_mm:
            left_mm = short_mm
        now_mm = min(left_mm, SET_MM_H)
        left_mm -= now_mm
        column.hour(np.array([now_mm]), np.array([hourly_share(clock) * float(eto_mm_d[day])]))
    scatter = np.random.default_rng(seed).normal(0.0, SCATTER, found.shape)
    return np.asarray(np.clip(found + scatter, 0.0, None))
