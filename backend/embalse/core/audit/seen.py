"""What a station saw of a set: its gain in the roots with the crop's use added back, reach, and leak."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.audit.set_audit import SLOPE_ERROR, SeenAt
from embalse.core.field.wetting import Floats, ProfileHours, Wetting
from embalse.core.robust import middle, noise_of_series

Flags = NDArray[np.bool_]
HOUR_S: Final = 3600
BEFORE_H: Final = 3  # hours before a set over which the water it begins from is taken (ours)
RISE_H: Final = 24  # hours after a set within which the root zone is at its wettest (ours: slow soils take a day)
SMOOTH_H: Final = 5  # hours over which the wettest time is looked for (ours: a single hour is noise)
AROUND_H: Final = 6  # hours either side of it over which the gain is taken (ours)
KNOWN: Final = 0.7  # of the hours looked at that must be known (ours)
MATCH_S: Final = 12 * HOUR_S  # seconds within which a wetting that began is a set's (as wettings are matched in trials)
LAYER_ERROR_MM: Final = 1.0  # mm a leak may be off by, from what lies between two sensors (ours)


@dataclass(frozen=True)
class Watch:
    """A station that is looked at: its hours, water content and use in the wetted soil, and its wettings.

    ``noise_mm`` is the error of a difference of two storages, within the roots and below them, from its sensors' noise.
    A system that is ``moving`` waters it at some time within a set, and for a short while. ``at_end`` (shape (n,))
    are hours in which a sensor in the roots stood at an end of its range.
    """

    station: str
    profile: ProfileHours
    found: tuple[Wetting, ...]
    noise_mm: tuple[float, float]
    moving: bool = False
    at_end: Flags | None = None


def watch(station: str, profile: ProfileHours, found: Sequence[Wetting], moving: bool = False) -> Watch:
    """A station made ready to be looked at, set by set (mm)."""
    noise = (_noise_mm(profile, inside=True), _noise_mm(profile, inside=False))
    return Watch(station, profile, tuple(found), noise, moving)


def seen_of(watched: Watch, span: tuple[int, int], until: int | None = None) -> SeenAt | None:
    """What a station saw of a set.

    The gain is what the root zone held around the time when most of the water was in the profile, within a day of the
    set's end, less what it held in the hours before, with the crop's use in between added back where it is known.

    Parameters
    ----------
    watched : Watch
    span : (int, int)
        Start and end of the set [s].
    until : int, optional
        When other water came [s]; what follows is not looked at.

    Returns
    -------
    SeenAt or None
        None where too little is known around the set.
    """
    mine = _wetting_of(watched, span)
    start, end = span
    if watched.moving and mine is not None:
        start = end = max(start, mine.start_at)
    stop = end + RISE_H * HOUR_S if until is None else min(until, end + RISE_H * HOUR_S)
    gain = _gain(watched.profile, (start, end), stop)
    if gain is None:
        return None
    error = float(np.hypot(watched.noise_mm[0], SLOPE_ERROR * gain.roots_mm))
    at_end = watched.at_end is not None and any(watched.at_end[hours].any() for hours in gain.hours)
    seen = SeenAt(watched.station, False, 0.0, error, held_mm=gain.held_mm, use_unknown=gain.use_unknown, at_end=at_end)
    if mine is None:
        return seen
    least = mine.between is not None
    off = (watched.noise_mm[1], SLOPE_ERROR * (mine.below_mm or 0.0), LAYER_ERROR_MM)
    return replace(
        seen, answered=True, gained_mm=gain.roots_mm, reach_cm=mine.reach_cm, below_mm=mine.below_mm,
        passed_mm=gain.below_mm, least=least, below_error_mm=math.hypot(*off), wetting_at=mine.start_at,
        arrived_h=tuple((a.depth_cm, max(0.0, (a.at - span[0]) / HOUR_S)) for a in mine.arrivals if not least),
    )  # fmt: skip


def _wetting_of(watched: Watch, span: tuple[int, int]) -> Wetting | None:
    """The wetting that is a set's: one put down to it, else the nearest that began about when it did, or within it."""
    start, end = span
    own = [w for w in watched.found if any(water.start_at == start for water in w.from_what)]
    near = [w for w in watched.found if abs(w.start_at - start) <= MATCH_S or start <= w.start_at <= end]
    return min(own or near, key=lambda w: abs(w.start_at - start), default=None)


@dataclass(frozen=True)
class _Gain:
    """Water gained within the roots and below them, what the roots held before [mm], and whether use is not known.

    ``hours`` are the places of the hours before, and of those in which the gain was taken.
    """

    roots_mm: float
    below_mm: float
    held_mm: float
    use_unknown: bool
    hours: tuple[slice, slice]


def _gain(profile: ProfileHours, span: tuple[int, int], stop: int) -> _Gain | None:
    start, end = span
    first, last = (int(np.searchsorted(profile.at, t)) for t in (start - BEFORE_H * HOUR_S, stop))
    lead = int(np.searchsorted(profile.at, start)) - first
    roots, under = (_held_mm(profile, (first, last), inside) for inside in (True, False))
    if roots is None or lead < 1 or last - first - lead < 2:
        return None
    told = np.full(last - first, np.nan) if profile.use_mm is None else profile.use_mm[first:last]
    use = np.nan_to_num(told)
    use[:lead] = 0.0
    held = middle(roots[: lead + 1])
    in_roots = roots - held + np.cumsum(use)
    beneath = np.zeros(last - first) if under is None else under - middle(under[: lead + 1])
    wettest = _wettest(in_roots + beneath, first=int(np.searchsorted(profile.at, end)) - first)
    gained, passed = float(np.nanmean(in_roots[wettest])), float(np.nanmean(beneath[wettest]))
    unknown = not np.isfinite(told[lead : wettest.stop]).mean() >= KNOWN
    looked = slice(first, first + lead), slice(first + wettest.start, first + wettest.stop)
    return _Gain(max(0.0, gained), max(0.0, passed), held, unknown, looked)


def _wettest(total: Floats, first: int) -> slice:
    """Hours around the wettest one from a place on: their mean is not drawn up by the noise, as a highest value is."""
    first = min(first, len(total) - 1)
    later = total[first:]
    known = np.isfinite(later)
    sums, counts = (np.convolve(v, np.ones(SMOOTH_H), "same") for v in (np.where(known, later, 0.0), known))
    mean = np.where(counts > SMOOTH_H / 2, sums / np.maximum(counts, 1), -np.inf)
    if not np.isfinite(mean).any():
        return slice(first, len(total))
    peak = int(np.argmax(mean)) + first
    return slice(max(first, peak - AROUND_H), peak + AROUND_H + 1)


def held_mm(profile: ProfileHours) -> Floats | None:
    """Water the root zone held, hour by hour [mm], shape (n,); None where too little is known."""
    return _held_mm(profile, (0, len(profile.at)), inside=True)


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


def _noise_mm(profile: ProfileHours, inside: bool) -> float:
    """Error of a difference of two storages, within the roots or below them, from the noise of the sensors [mm]."""
    parts = []
    for layer in range(len(profile.depths_cm)):
        share = profile.share_inside(layer) if inside else 1 - profile.share_inside(layer)
        parts.append(noise_of_series(profile.theta[layer]) * profile.millimetres(layer) * share)
    return float(np.sqrt(2 * np.sum(np.square(parts))))
