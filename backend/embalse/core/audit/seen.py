"""What a station saw of a set: its gain in the roots with the crop's use added back, reach, and leak."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from embalse.core.audit.set_audit import SeenAt
from embalse.core.field.wetting import Floats, ProfileHours, Wetting
from embalse.core.robust import noise_of_series

HOUR_S: Final = 3600
BEFORE_H: Final = 3  # hours before a set over which the water it begins from is taken (ours)
RISE_H: Final = 24  # hours after a set within which the root zone is at its wettest (ours: slow soils take a day)
KNOWN: Final = 0.7  # of the hours looked at that must be known (ours)
MATCH_S: Final = 12 * HOUR_S  # seconds within which a wetting that began is a set's (as wettings are matched in trials)
SLOPE_ERROR: Final = 0.05  # of a gain, from a calibration's slope (ours: what a fitted line is off as a rule)


def seen_of(
    station: str, profile: ProfileHours, found: Sequence[Wetting], span: tuple[int, int], until: int | None = None
) -> SeenAt | None:
    """What a station saw of a set.

    The gain is what the root zone held when most of the water was in the profile, within a day of the set's end, less
    what it held in the hours before, with the crop's use in between added back where it is known.

    Parameters
    ----------
    station : str
    profile : ProfileHours
        Its hours, water content and use in the wetted soil.
    found : sequence of Wetting
        Its wettings.
    span : (int, int)
        Start and end of the set [s].
    until : int, optional
        When other water came [s]; what follows is not looked at.

    Returns
    -------
    SeenAt or None
        None where too little is known around the set.
    """
    start, end = span
    stop = end + RISE_H * HOUR_S if until is None else min(until, end + RISE_H * HOUR_S)
    first, last = (int(np.searchsorted(profile.at, t)) for t in (start - BEFORE_H * HOUR_S, stop))
    onset = int(np.searchsorted(profile.at, start))
    roots, under = (_held_mm(profile, (first, last), inside) for inside in (True, False))
    if roots is None or onset - first < 1 or last - onset < 2:
        return None
    lead = onset - first
    use = np.zeros(last - first) if profile.use_mm is None else np.nan_to_num(profile.use_mm[first:last])
    use[:lead] = 0.0
    in_roots = roots - float(np.nanmedian(roots[: lead + 1])) + np.cumsum(use)
    beneath = np.zeros(last - first) if under is None else under - float(np.nanmedian(under[: lead + 1]))
    peak = int(np.nanargmax((in_roots + beneath)[lead:])) + lead
    gained, passed = float(in_roots[peak]), float(beneath[peak])
    mine = [w for w in found if abs(w.start_at - start) <= MATCH_S or start <= w.start_at <= end]
    error = float(np.hypot(_noise_mm(profile), SLOPE_ERROR * max(0.0, gained)))
    if not mine:
        return SeenAt(station, answered=False, error_mm=error)
    wetting = min(mine, key=lambda w: abs(w.start_at - start))
    least = wetting.between is not None
    return SeenAt(station, True, max(0.0, gained), error, wetting.reach_cm, wetting.below_mm, max(0.0, passed), least)


def _held_mm(profile: ProfileHours, hours: tuple[int, int], inside: bool) -> Floats | None:
    """Water within the roots, or below them, hour by hour [mm]; None where too little is known or none stands there."""
    first, last = hours
    total: Floats | None = None
    for layer in range(len(profile.depths_cm)):
        share = profile.share_inside(layer) if inside else 1 - profile.share_inside(layer)
        if share > 0:
            part = profile.theta[layer][first:last] * profile.millimetres(layer) * share
            total = part if total is None else total + part
    return total if total is not None and len(total) and np.isfinite(total).mean() >= KNOWN else None


def _noise_mm(profile: ProfileHours) -> float:
    """Error of a difference of two storages from the noise of the sensors [mm]."""
    parts = [
        noise_of_series(profile.theta[layer]) * profile.millimetres(layer) * profile.share_inside(layer)
        for layer in range(len(profile.depths_cm))
    ]
    return float(np.sqrt(2 * np.sum(np.square(parts))))
