"""Wettings that came while nobody read: told by the readings before and after, as between rounds by hand."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Final

import numpy as np

from embalse.core.field.wetting import Arrival, ProfileHours, Times, Water, Wetting
from embalse.core.wording import Notice

HOUR_S: Final = 3600  # seconds
GAP_H: Final = 12
"""Hours without a reading from which a wetting is told between two readings (ours): a front is missed in half a day."""
LEAST_RISE: Final = 0.006  # m³/m³ between two readings, as of hour to hour (ours)
LEAST_GAIN_MM: Final = 1.0  # mm gained for a wetting to be listed, as of hour to hour (ours)
GOES_ON_H: Final = 60
"""Hours between readings in which water of the one before may still go down (ours): as long as a front is followed."""


def runs_of(at: Times) -> list[slice]:
    """Runs of instants [s, UTC] without half a day between two of them, as places."""
    breaks = (np.flatnonzero(np.diff(at) > GAP_H * HOUR_S) + 1).tolist()
    return [slice(a, b) for a, b in zip([0, *breaks], [*breaks, len(at)], strict=True)]


def wettings_between(
    profile: ProfileHours, runs: Sequence[slice], waters: Sequence[Water], in_hours: Sequence[Wetting]
) -> list[Wetting]:
    """Wettings that came between two runs of readings, oldest first.

    Each is put down to all sets and rain that began between the readings. A rise that goes on to the next reading, with
    no new water between, belongs to the one before. What a wetting seen in the hours before already explains is left
    out.

    Parameters
    ----------
    profile : ProfileHours
    runs : sequence of slice
        Runs of readings, from :func:`runs_of`.
    waters : sequence of Water
        Sets and rain that were logged.
    in_hours : sequence of Wetting
        Wettings already found within the runs.
    """
    found: list[Wetting] = []
    for before, after in pairwise(runs):
        span = int(profile.at[before.stop - 1]), int(profile.at[after.start])
        risen = _risen(profile, before, after)
        if not risen:
            continue
        came = tuple(w for w in waters if span[0] <= w.start_at < span[1])
        last = found[-1] if found else None
        if not came and last is not None and last.between is not None and _goes_on(last.between[1], span):
            found[-1] = _joined(last, profile, risen, span[1])
            continue
        if not came and any(
            span[0] - one.start_at <= GOES_ON_H * HOUR_S for one in in_hours if one.start_at <= span[0]
        ):
            continue
        one = _wetting(profile, risen, span, came)
        if one.gain_mm >= LEAST_GAIN_MM or one.arrivals[0].gain_mm >= LEAST_GAIN_MM:
            found.append(one)
    return found


def _goes_on(read_at: int, span: tuple[int, int]) -> bool:
    return span[0] == read_at and span[1] - span[0] <= GOES_ON_H * HOUR_S


def _risen(profile: ProfileHours, before: slice, after: slice) -> list[tuple[int, float, float]]:
    """Layers that stand higher after a gap than before it: layer, θ before, θ after."""
    found = []
    for layer, theta in enumerate(profile.theta):
        old, new = float(theta[before.stop - 1]), float(theta[after.start])
        if new - old > LEAST_RISE:
            found.append((layer, old, new))
    return found


def _wetting(
    profile: ProfileHours, risen: Sequence[tuple[int, float, float]], span: tuple[int, int], came: tuple[Water, ...]
) -> Wetting:
    arrivals = tuple(
        Arrival(profile.depths_cm[layer], span[1], old, new, (new - old) * profile.millimetres(layer))
        for layer, old, new in risen
    )
    return Wetting(
        start_at=came[0].start_at if came else span[0],
        end_at=span[1],
        arrivals=arrivals,
        gain_mm=sum(a.gain_mm * profile.share_inside(layer) for (layer, _, _), a in zip(risen, arrivals, strict=True)),
        reach_cm=max(a.depth_cm for a in arrivals),
        below_mm=None,
        front_cm_h=None,
        from_what=came,
        suspect="" if came else Notice("suspect.between"),
        between=span,
    )


def _joined(one: Wetting, profile: ProfileHours, risen: Sequence[tuple[int, float, float]], read_at: int) -> Wetting:
    """A wetting with what the next reading adds to it: deeper arrivals, and a higher peak where it rose on."""
    more = _wetting(profile, risen, (one.between[0] if one.between else one.start_at, read_at), one.from_what)
    old = {a.depth_cm: a for a in one.arrivals}
    new = {a.depth_cm: a for a in more.arrivals}
    arrivals = []
    for depth in sorted(old.keys() | new.keys()):
        first, second = old.get(depth), new.get(depth)
        if first is None or second is None:
            only = first or second
            assert only is not None
            arrivals.append(only)
        else:
            gain = first.gain_mm + second.gain_mm
            arrivals.append(Arrival(depth, first.at, first.before, second.peak, gain))
    return Wetting(
        one.start_at, read_at, tuple(arrivals), one.gain_mm + more.gain_mm, max(a.depth_cm for a in arrivals),
        None, None, one.from_what, one.suspect, (one.between or (one.start_at, read_at)),
    )  # fmt: skip
