"""A last reading carried forward: what the crop has used and what has come since, with a band that grows."""

import math
from dataclasses import replace

from embalse.core.practice import practice
from embalse.core.root_zone.root_zone import Carried, RootZoneMarks, StationState

USE_ERROR_SHARE = practice("carry_use_error_share")
WATER_ERROR_SHARE = practice("carry_water_error_share")


def carry_limit_days(read_every_days: float | None) -> float:
    """How old a reading may be and still be carried forward [days]: by the round it is read in, or by a logger.

    Examples
    --------
    >>> carry_limit_days(7.0), carry_limit_days(None)
    (10.5, 3.0)
    """
    if read_every_days is None:
        return practice("carry_logged_days")
    return practice("carry_rounds") * read_every_days


def carry_forward(state: StationState, marks: RootZoneMarks, used_mm: float, came_mm: float) -> StationState:
    """A station's state as it is likely to be now, from what was read some days ago.

    Parameters
    ----------
    state : StationState
        As it was read, ``age_days`` ago.
    marks : RootZoneMarks
    used_mm : float
        Crop use since then [mm].
    came_mm : float
        Sets and rain since then [mm]; what there was no room for below full has gone down.

    Returns
    -------
    StationState
        Storage between wilting and full, or what it was, with an error grown by a share of both.
    """
    top = max(marks.full_mm, state.storage_mm)
    bottom = min(marks.wilting_mm, state.storage_mm)
    storage = min(top, max(bottom, state.storage_mm - used_mm + came_mm))
    error = math.hypot(state.error_mm, USE_ERROR_SHARE * used_mm, WATER_ERROR_SHARE * came_mm)
    return replace(state, storage_mm=storage, error_mm=error, carried=Carried(state.age_days, used_mm, came_mm))
