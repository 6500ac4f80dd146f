"""Wettings as the sensors saw them: when, how deep, how much by layer, what went below, and from what."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from embalse.core.errors import require
from embalse.core.field.wetting import Arrival, Floats, ProfileHours, Water, Wetting
from embalse.core.field.wettings_between import runs_of, wettings_between
from embalse.core.practice import practice
from embalse.core.robust import middle, noise_of_series
from embalse.core.wording import Notice

HOUR_S: Final = 3600  # seconds
RISE_WITHIN_H: Final = 4  # hours over which a rise is looked for: a front passes a sensor in some (ours)
LEAST_RISE: Final = 0.006  # m³/m³ in those hours, above the day's ripple of temperature (ours)
NOISE_TIMES: Final = 4.0  # noises a rise must exceed (ours)
JOINED_H: Final = 30
"""Rises this close after one another, down the profile, belong to one wetting [h]."""
AT_ONCE_H: Final = 6  # hours within which the top layers rise together (ours)
LEAST_GAIN_MM: Final = 1.0  # mm gained for a wetting to be listed (ours)
WITH_IT_H: Final = 3  # hours a set may begin before or after a wetting it belongs to (ours)
MATCH_AFTER_H: Final = practice("wetting_match_after_h")
DEEP_ONLY_RISE: Final = 0.015  # m³/m³ the top layer rises by where water did not come from above (ours)
AFTER_H: Final = 24  # hours after a set its gain is still counted: redistribution of a day (ours)
AFTER_RAIN_H: Final = 36  # hours the same after rain, whose own hours are not known (ours)
BELOW_H: Final = 60  # hours water may take to pass below the roots (ours)
KNOWN_SHARE: Final = 0.8  # share of the hours [-] with readings for a sum over them (ours)
WHOLE: Final = 0.9  # share of a layer [-] from which it counts as inside the root zone


def _climbs(theta: Floats) -> list[int]:
    """Places at which a level begins to climb within four hours by more than it ever does by chance."""
    if len(theta) < 2 * RISE_WITHIN_H + 2:
        return []
    least = max(LEAST_RISE, NOISE_TIMES * noise_of_series(theta))
    smooth = _smoothed(theta)
    climb = np.full(len(theta), -np.inf)
    climb[RISE_WITHIN_H:] = smooth[RISE_WITHIN_H:] - smooth[:-RISE_WITHIN_H]
    climb[~np.isfinite(climb)] = -np.inf
    above = climb > least
    starts = np.flatnonzero(above & ~np.concatenate([[False], above[:-1]])).tolist()
    return [_onset(smooth, max(0, first - RISE_WITHIN_H), first, least) for first in starts]


def _onset(smooth: Floats, low: int, high: int, least: float) -> int:
    """The last place before a level leaves its base by a third of the least rise that counts."""
    base = middle(smooth[max(0, low - 3) : low + 1])
    left = np.flatnonzero(smooth[low : high + 1] > base + least / 3)
    return low + max(0, int(left[0]) - 1) if len(left) else low


def _smoothed(theta: Floats) -> Floats:
    """Median of three readings, which leaves a front where it is."""
    padded = np.concatenate([theta[:1], theta, theta[-1:]])
    before, here, after = padded[:-2], padded[1:-1], padded[2:]
    return np.asarray(np.maximum(np.minimum(before, here), np.minimum(np.maximum(before, here), after)))


def wettings(profile: ProfileHours, waters: Sequence[Water] = ()) -> list[Wetting]:
    """Every wetting in a profile's hours, oldest first, with what it is put down to.

    A layer answers when its water content climbs within four hours by more than four times its noise, 0.006 m³/m³ at
    least (common practice, no source). Answers are joined from the top down while each follows the last within 30
    hours. A wetting is put down to the sets and rain that fell shortly before or during it.

    Parameters
    ----------
    profile : ProfileHours
    waters : sequence of Water
        Sets and rain that were logged.

    Returns
    -------
    list of Wetting

    Raises
    ------
    CoreError
        If depths, limits and series do not belong together.
    """
    require(len(profile.depths_cm) == len(profile.theta), "depths_cm", "one series a depth is needed")
    require(len(profile.limits_cm) == len(profile.depths_cm) + 1, "limits_cm", "one more limit than depths is needed")
    runs = runs_of(profile.at)
    in_hours = [one for run in runs for one in _in_hours(profile.part(run), waters)]
    between = wettings_between(profile, runs, waters, in_hours) if len(runs) > 1 else []
    return sorted([*in_hours, *between], key=lambda one: one.start_at)


def _in_hours(profile: ProfileHours, waters: Sequence[Water]) -> list[Wetting]:
    """Wettings of one run of hours without a longer gap."""
    climbs = sorted(
        (int(profile.at[place]), layer) for layer, theta in enumerate(profile.theta) for place in _climbs(theta)
    )
    groups: list[list[tuple[int, int]]] = []
    for at, layer in climbs:
        group = next((g for g in reversed(groups) if _belongs(g, (at, layer), waters)), None)
        if group is None:
            groups.append([(at, layer)])
        else:
            group.append((at, layer))
    starts = [min(at for at, _ in group) for group in groups]
    smoothed = np.stack([_steadied(theta) for theta in profile.theta])
    found = []
    for number, group in enumerate(groups):
        until = next((s for s in starts[number + 1 :] if s - starts[number] > HOUR_S), None)
        one = _wetting(profile, smoothed, group, (waters, until))
        if one is not None:
            found.append(one)
    return found


def _belongs(group: list[tuple[int, int]], climb: tuple[int, int], waters: Sequence[Water]) -> bool:
    """Whether a climb goes on with a wetting: soon after its last, below where it began, or of the same water."""
    at, layer = climb
    if at - max(t for t, _ in group) > JOINED_H * HOUR_S:
        return False
    top, start = min(one for _, one in group), group[0][0]
    if layer != top:
        return layer > top or at - start <= AT_ONCE_H * HOUR_S
    return any(w.start_at <= start + WITH_IT_H * HOUR_S and at <= w.end_at for w in waters) and not any(
        start + WITH_IT_H * HOUR_S < w.start_at <= at for w in waters
    )


def _steadied(theta: Floats) -> Floats:
    """Median of five readings."""
    padded = np.concatenate([theta[:1], theta[:1], theta, theta[-1:], theta[-1:]])
    return np.asarray(np.median(np.stack([padded[i : i + len(theta)] for i in range(5)]), axis=0))


def _wetting(
    profile: ProfileHours, smoothed: Floats, group: list[tuple[int, int]], given: tuple[Sequence[Water], int | None]
) -> Wetting | None:
    """A wetting from the climbs that began it; None when too little came to speak of.

    Each layer below the first is asked whether it rose in the sixty hours after, slowly or fast.
    """
    waters, until = given
    start = min(at for at, _ in group)
    first = int(np.searchsorted(profile.at, start))
    stop = start + BELOW_H * HOUR_S if until is None else min(until, start + BELOW_H * HOUR_S)
    last = max(first + 3, int(np.searchsorted(profile.at, stop)))
    fast = {layer: at for at, layer in reversed(group)}
    arrivals = []
    for layer in range(min(fast), len(profile.depths_cm)):
        found = _arrival(profile, smoothed, (layer, fast.get(layer)), (first, last))
        if found is not None:
            arrivals.append((layer, found))
    if not arrivals:
        return None
    gain = sum(a.gain_mm * profile.share_inside(layer) for layer, a in arrivals)
    top = arrivals[0][1]
    deep_only = arrivals[0][0] > 0 and top.peak - top.before < DEEP_ONLY_RISE
    if max(gain, top.gain_mm) < LEAST_GAIN_MM or deep_only:
        return None
    seen = [a for _, a in arrivals]
    end = int(profile.at[min(last, len(profile.at)) - 1])
    caused = _causes(waters, start)
    return Wetting(
        start_at=start,
        end_at=end,
        arrivals=tuple(seen),
        gain_mm=gain,
        reach_cm=max(a.depth_cm for a in seen),
        below_mm=_below(profile, start, until) if profile.limits_cm[-1] > profile.root_depth_cm + 1 else None,
        front_cm_h=_front(seen),
        from_what=caused,
        suspect="" if caused else _suspect(seen, profile.depths_cm[0]),
    )


def _arrival(
    profile: ProfileHours, smoothed: Floats, which: tuple[int, int | None], span: tuple[int, int]
) -> Arrival | None:
    """How a layer answered within a span of places; None when it rose by less than counts."""
    layer, fast_at = which
    first, last = span
    series = smoothed[layer]
    before = series[max(0, first - 6) : first + 1]
    after = series[first:last]
    if not np.isfinite(before).any() or not np.isfinite(after).any():
        return None
    base, top = middle(before), int(np.nanargmax(after))
    peak = float(after[top])
    if peak - base < LEAST_RISE:
        return None
    if fast_at is None:
        risen = np.flatnonzero(after > base + LEAST_RISE / 2)
        fast_at = int(profile.at[first + int(risen[0])])
    return Arrival(profile.depths_cm[layer], fast_at, base, peak, (peak - base) * profile.millimetres(layer))


def _causes(waters: Sequence[Water], start: int) -> tuple[Water, ...]:
    """Sets and rain a wetting is put down to: those that began with it, else those that ran then, else the last before.

    Water that began within twelve hours after it came with it too.
    """
    with_it = [w for w in waters if start - WITH_IT_H * HOUR_S <= w.start_at <= start + MATCH_AFTER_H * HOUR_S]
    early = [w for w in with_it if w.start_at <= start + WITH_IT_H * HOUR_S]
    running = [w for w in waters if w.start_at < start < w.end_at]
    if early or running:
        return tuple(with_it if early else [*running, *with_it])
    lately = [w for w in waters if w.start_at < start <= w.end_at + _after_h(w) * HOUR_S]
    return (max(lately, key=lambda w: w.end_at),) if lately else ()


def _after_h(water: Water) -> int:
    return AFTER_RAIN_H if water.kind == "rain" else AFTER_H


def _front(arrivals: Sequence[Arrival]) -> float | None:
    """Speed of the front [cm/h]: slope of depth on arrival, least squares; None with fewer than two depths."""
    if len(arrivals) < 2:
        return None
    hours = np.array([(a.at - arrivals[0].at) / HOUR_S for a in arrivals])
    depths = np.array([a.depth_cm for a in arrivals])
    spread = float(((hours - hours.mean()) ** 2).sum())
    if spread < 0.5:
        return None
    speed = float(((hours - hours.mean()) * (depths - depths.mean())).sum() / spread)
    return speed if speed > 0 else None


def _below(profile: ProfileHours, start: int, until: int | None) -> float | None:
    """Water that went below the roots by a wetting [mm], None where no sensor stands below them or none is known.

    Until the root zone is at its wettest: what the layers below have gained. After it: what the root zone loses beyond
    crop use in the next sixty hours, or until the next wetting; where crop use is not known, the gain below alone,
    which is a lower limit.
    """
    first = max(0, int(np.searchsorted(profile.at, start)) - 2)
    stop = start + BELOW_H * HOUR_S if until is None else min(until - 2 * HOUR_S, start + BELOW_H * HOUR_S)
    last = int(np.searchsorted(profile.at, stop))
    if last - first < 6:
        return None
    roots, under = _parts(profile, first, last)
    if roots is None or under is None:
        return None
    gained = under - middle(under[:3])
    if profile.use_mm is None or np.isnan(profile.use_mm[first:last]).any():
        return max(0.0, float(np.nanmax(gained)))
    peak = int(np.nanargmax(roots))
    lost = roots[peak] - roots[peak:] - np.concatenate([[0.0], np.cumsum(profile.use_mm[first + peak + 1 : last])])
    return max(0.0, float(gained[peak])) + max(0.0, middle(lost[-6:]))


def _parts(profile: ProfileHours, first: int, last: int) -> tuple[Floats | None, Floats | None]:
    """Water in the root zone and below it over some hours [mm]; None where a layer of it is not known."""
    sums: list[Floats | None] = []
    for inside in (True, False):
        total: Floats | None = None
        for layer in range(len(profile.depths_cm)):
            share = profile.share_inside(layer) if inside else 1 - profile.share_inside(layer)
            if share > (0 if inside else WHOLE):
                part = _smoothed(profile.theta[layer][first:last]) * profile.millimetres(layer) * share
                total = part if total is None else total + part
        sums.append(total if total is not None and np.isfinite(total).mean() > KNOWN_SHARE else None)
    return sums[0], sums[1]


def _suspect(arrivals: Sequence[Arrival], shallowest_cm: float) -> Notice:
    """What an unexplained wetting may be, by where it began and how fast it came."""
    first = min(arrivals, key=lambda a: a.at)
    deeper = [a for a in arrivals if a.depth_cm > first.depth_cm]
    if first.depth_cm > shallowest_cm and (len(arrivals) == 1 or all(a.depth_cm > shallowest_cm for a in arrivals)):
        return Notice("suspect.from_below")
    if not deeper and first.gain_mm < 4:
        return Notice("suspect.top_only")
    return Notice("suspect.unlogged")
