"""Faults that no single reading shows: noise, temperature ripple, drift, and a rise without water.

They are looked for over days, against the water that came and against the station's other depths.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from embalse.core.quality.crossed_depths import DepthSeries
from embalse.core.quality.faults import Fault, runs
from embalse.core.robust import bends, noise_from_bends, pairwise_slopes
from embalse.core.wording import Notice

DAY_H = 24  # hours
Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]
Spans = Sequence[tuple[int, int]]


@dataclass(frozen=True)
class SlowLimits:
    """Numbers the rules go by: m³/m³, hours and days; those not from a source are this project's own."""

    noise_sd: float = 0.005  # m³/m³ from hour to hour
    noise_window_h: int = 48  # h
    ripple: float = 0.004  # m³/m³, half the height of the daily wave
    ripple_days: int = 5  # days of it
    ripple_within_days: int = 21  # days they may lie apart
    ripple_steady: float = 0.8  # share of the waves that keep their hour [-]
    ripple_rise: float = 0.005  # m³/m³ it climbs a day without water
    ripple_after_water_h: int = 12  # h after water a day is not looked at
    rise: float = 0.05  # m³/m³ in an hour
    rise_share: float = 0.6  # share of the jump that stays [-]
    rise_days: int = 5  # days looked at on either side
    rise_usual: int = 20  # of the sensor's largest jumps, whose median is its usual wetting
    rise_after_water_h: int = 24  # h after water a rise is no wonder
    rise_neighbour: float = 0.25  # share of the jump a neighbour may show [-]
    drift: float = 0.04  # m³/m³ both ends move by
    drift_window_days: int = 10  # days a window
    drift_windows: int = 5  # windows in which water moves
    drift_depths: int = 4  # depths needed to tell which one moves
    drift_swing: float = 0.012  # m³/m³ a window climbs by at a wetting for its ends to say anything
    drift_order: float = 0.6  # share of the pairs of windows that move one way [-]
    drift_at_once: float = 0.8  # share of the move one step may make [-]: else it is a step
    drift_own: float = 0.5  # share of the moving apart [-] that is its own: below it the others moved away from it
    drift_beside: int = 2  # sensors at the same depth elsewhere in the block that tell which one moves


LIMITS = SlowLimits()


def slow_faults(
    times: NDArray[np.int64],
    series: Sequence[DepthSeries],
    water: Spans,
    stepped: bool = False,
    *,
    limits: SlowLimits = LIMITS,
    beside: Mapping[str, Sequence[Floats]] | None = None,
) -> dict[str, list[Fault]]:
    """Slow faults of a station's sensors.

    Parameters
    ----------
    times : array of int, shape (n,)
        Whole hours [s, UTC], increasing; hours without any reading may be left out.
    series : sequence of DepthSeries
        Water contents [m³/m³] on ``times``, faulty readings taken out (NaN).
    water : sequence of (int, int)
        Start and end of every set and rain [s, UTC].
    stepped : bool
        Whether a fall in one step was found in any of the series; like a rise, it moves both ends as drift does.
    limits : SlowLimits
    beside : mapping of str to sequence of array, optional
        For a sensor the water contents of those at the same depth at the block's other stations, on ``times``.

    Returns
    -------
    dict
        Faults by sensor, each with the numbers of its rule.

    References
    ----------
    .. [1] The classes follow Dorigo et al. (2013), Vadose Zone J. 12(3); rules and limits are this project's own.
    """
    if len(times) < 2 * DAY_H:
        return {s.sensor: [] for s in series}
    axis = np.arange(times[0] // 3600, times[-1] // 3600 + 1)
    place = times // 3600 - axis[0]
    filled = [_on_axis(s.theta, place, len(axis)) for s in series]
    found: dict[str, list[Fault]] = {}
    for index, one in enumerate(series):
        theta = filled[index]
        noisy = _noise(axis, theta, limits)
        calm = _without(axis, theta, noisy)
        rippled = _ripple(axis, calm, _dry(axis, water, limits.ripple_after_water_h), limits)
        risen = _rises(axis, filled, index, _dry(axis, water, limits.rise_after_water_h), limits)
        found[one.sensor] = noisy + rippled + risen
    if not stepped and not any(f.fault == "rise" for faults in found.values() for f in faults):
        for index, one in enumerate(series):
            near = [_on_axis(theta, place, len(axis)) for theta in (beside or {}).get(one.sensor, ())]
            found[one.sensor] += _drift(axis, filled, index, limits) or _drift_beside(axis, filled[index], near, limits)
    ordered = {sensor: sorted(faults, key=lambda f: (f.start_at, f.fault)) for sensor, faults in found.items()}
    return _largest_drift_only(ordered)


def _largest_drift_only(found: dict[str, list[Fault]]) -> dict[str, list[Fault]]:
    """One depth that drifts drags the middle of the others along: only the one that moved most is named."""
    sizes = {
        sensor: max((f.size for f in faults if f.fault == "drift"), default=0.0) for sensor, faults in found.items()
    }
    most = max(sizes.values(), default=0.0)
    return {
        sensor: [f for f in faults if f.fault != "drift" or sizes[sensor] == most] for sensor, faults in found.items()
    }


def _on_axis(theta: Floats, place: NDArray[np.int64], hours: int) -> Floats:
    whole = np.full(hours, np.nan)
    whole[place] = theta
    return whole


def _without(axis: NDArray[np.int64], theta: Floats, found: list[Fault]) -> Floats:
    kept = theta.copy()
    for fault in found:
        kept[fault.start_at // 3600 - axis[0] : fault.end_at // 3600 - axis[0] + 1] = np.nan
    return kept


def _dry(axis: NDArray[np.int64], water: Spans, after_h: int) -> Flags:
    """Hours with no set or rain then, nor in the hours before."""
    dry = np.ones(len(axis), dtype=bool)
    for start, end in water:
        low, high = start // 3600 - axis[0], end // 3600 + after_h - axis[0]
        dry[max(0, int(low)) : max(0, int(high) + 1)] = False
    return dry


def _fault(name: str, axis: NDArray[np.int64], span: tuple[int, int], known: int, reason: Notice) -> Fault:
    first, last = span
    last = min(last, len(axis) - 1)
    at = int(axis[min(known, len(axis) - 1)]) * 3600
    return Fault(name, int(axis[first]) * 3600, int(axis[last]) * 3600, last - first + 1, reason, at)  # type: ignore[arg-type]


def _noise(axis: NDArray[np.int64], theta: Floats, limits: SlowLimits) -> list[Fault]:
    """Scatter from hour to hour, by second differences so that drying and wetting stay out of it."""
    bend = bends(theta)
    width = limits.noise_window_h
    if len(bend) < width:
        return []
    windows = sliding_window_view(bend, width)[::DAY_H]
    enough = np.isfinite(windows).sum(axis=1) >= width // 2
    sd = np.zeros(len(windows))
    sd[enough] = noise_from_bends(windows[enough], axis=1)
    found = []
    for first, last in runs(sd > limits.noise_sd):
        span = (first * DAY_H, last * DAY_H + width + 1)
        reason = Notice("fault.noise", sd_theta=float(np.max(sd[first : last + 1])), limit_theta=limits.noise_sd)
        fault = _fault("noise", axis, span, span[0] + width, reason)
        found.append(replace(fault, size=float(np.max(sd[first : last + 1]))))
    return found


def _ripple(axis: NDArray[np.int64], theta: Floats, dry: Flags, limits: SlowLimits) -> list[Fault]:
    """A wave of one day that keeps its hour and rises without water, as temperature makes and roots do not."""
    first_midnight = int(-axis[0] % DAY_H)
    days = (len(axis) - first_midnight) // DAY_H
    if days < limits.ripple_days:
        return []
    cut = slice(first_midnight, first_midnight + days * DAY_H)
    table = theta[cut].reshape(days, DAY_H)
    usable = np.isfinite(table).all(axis=1) & dry[cut].reshape(days, DAY_H).all(axis=1)
    wave = np.zeros(days, dtype=complex)
    rise = np.zeros(days)
    wave[usable], rise[usable] = _daily_wave(table[usable]), _daily_rise(table[usable])
    width = limits.ripple_days
    flagged = np.zeros(days, dtype=bool)
    heights = np.zeros(days)
    known = np.flatnonzero(usable)
    for start in range(len(known) - width + 1):
        group = known[start : start + width]
        if group[-1] - group[0] > limits.ripple_within_days:
            continue
        mean, sizes = abs(np.mean(wave[group])), np.mean(np.abs(wave[group]))
        if (
            mean >= limits.ripple
            and mean >= limits.ripple_steady * sizes
            and np.median(rise[group]) >= limits.ripple_rise
        ):
            flagged[group[0] : group[-1] + 1] = True
            heights[group] = np.maximum(heights[group], mean)
    found = []
    for a, b in runs(flagged):
        height = np.max(heights[a : b + 1])
        reason = Notice("fault.ripple", height_theta=float(height))
        start = first_midnight + a * DAY_H
        span = (start, first_midnight + (b + 1) * DAY_H - 1)
        fault = _fault("ripple", axis, span, start + width * DAY_H, reason)
        found.append(replace(fault, size=float(np.max(heights[a : b + 1]))))
    return found


def _daily_wave(table: Floats) -> NDArray[np.complex128]:
    """Size and hour of the daily wave of each day (rows), its straight trend taken out."""
    hours = np.arange(DAY_H)
    turn = 2 * np.pi * hours / DAY_H
    basis = np.stack([np.ones(DAY_H), hours / DAY_H, np.cos(turn), np.sin(turn)], axis=1)
    fit = table @ np.linalg.pinv(basis).T
    return np.asarray(fit[:, 2] + 1j * fit[:, 3])


def _daily_rise(table: Floats) -> Floats:
    """How far each day (rows) climbs from its lowest so far, three hours averaged [m³/m³]."""
    smooth = sliding_window_view(table, 3, axis=1).mean(axis=2)
    return np.asarray((smooth - np.minimum.accumulate(smooth, axis=1)).max(axis=1))


def _rises(axis: NDArray[np.int64], filled: list[Floats], index: int, dry: Flags, limits: SlowLimits) -> list[Fault]:
    """A jump up after which the sensor stays on another level, while the depths beside it stay on theirs.

    The shallowest sensor is also asked to be dry, or to jump unlike its own wettings: water may reach it alone.
    """
    theta, hours = filled[index], DAY_H * limits.rise_days
    jumps = np.diff(theta)
    usual = np.sort(jumps[np.isfinite(jumps)])[-limits.rise_usual :]
    found: list[Fault] = []
    for before in np.flatnonzero(_may_stay(theta, hours, limits)).tolist():
        jump = jumps[before]
        unlike = len(usual) and jump > 2 * float(np.median(usual))
        if index == 0 and not dry[before + 1] and not unlike:
            continue
        shift = _level_shift(theta, before, hours)
        near = [_level_shift(filled[n], before, hours) for n in (index - 1, index + 1) if 0 <= n < len(filled)]
        if not shift > limits.rise_share * jump or any(other > limits.rise_neighbour * jump for other in near):
            continue
        reason = Notice("fault.rise", before_theta=float(theta[before]), after_theta=float(theta[before + 1]))
        fault = _fault("rise", axis, (before + 1, before + 1), before + 1 + hours, reason)
        found.append(replace(fault, size=float(shift)))
    return found


def _may_stay(theta: Floats, hours: int, limits: SlowLimits) -> Flags:
    """Hours before a jump after which the mean of days lies higher by some of it: only these are worth medians."""
    jumps = np.diff(theta)
    known = np.isfinite(theta)
    total = np.concatenate(([0.0], np.cumsum(np.where(known, theta, 0.0))))
    count = np.concatenate(([0], np.cumsum(known)))
    here = np.arange(1, len(theta))
    first, last = np.maximum(here - hours, 0), np.minimum(here + hours, len(theta))
    with np.errstate(divide="ignore", invalid="ignore"):
        after = (total[last] - total[here]) / (count[last] - count[here])
        before = (total[here] - total[first]) / (count[here] - count[first])
        return np.asarray((jumps > limits.rise) & (after - before > 0.5 * limits.rise_share * jumps))


def _level_shift(theta: Floats, before: int, hours: int) -> float:
    """Median of the days after an hour less that of the days before it [m³/m³]; NaN when too little is known."""
    low, high = theta[max(0, before + 1 - hours) : before + 1], theta[before + 1 : before + 1 + hours]
    if len(high) < hours or np.isfinite(low).sum() < hours // 2 or np.isfinite(high).sum() < hours // 2:
        return float("nan")
    return float(np.nanmedian(high) - np.nanmedian(low))


@dataclass(frozen=True)
class WindowEnds:
    """Wet and dry end of windows of days and each one's climb at a wetting [m³/m³]; NaN where too little is known."""

    wet: Floats
    dry: Floats
    climbed: Floats

    def sides(self) -> tuple[Floats, Floats]:
        return self.wet, self.dry


def _drift(axis: NDArray[np.int64], filled: list[Floats], index: int, limits: SlowLimits) -> list[Fault]:
    """Wet and dry ends that climb or fall together, window after window, at one depth and not at the others.

    Roots and the season move the dry end, more water the wet end; only a sensor moves both alike. A subsoil that dries
    once and is not wetted again moves both too: windows without a wetting say nothing. And it must be its own ends that
    move, not those of the others away from it.
    """
    if len(filled) < limits.drift_depths:
        return []  # of two or three depths nobody can tell which one moves
    ends = [window_ends(theta, limits) for theta in filled]
    wetted = np.flatnonzero(ends[index].climbed >= limits.drift_swing)
    others = [one for n, one in enumerate(ends) if n != index]
    apart = _apart(ends[index], others)
    for start in range(len(wetted) - limits.drift_windows + 1):
        which = wetted[start:]
        moved = _together([values[which] for values in apart], which, limits)
        if moved and _goes_along(ends[index], which, moved, limits):
            return [_drifts(axis, which, moved, "fault.drift", limits)]
    return []


def _drift_beside(axis: NDArray[np.int64], own: Floats, beside: Sequence[Floats], limits: SlowLimits) -> list[Fault]:
    """The same against the same depth at the block's other stations, of which none moved further from the rest."""
    if len(beside) < limits.drift_beside:
        return []
    ends = [window_ends(theta, limits) for theta in (own, *beside)]
    climbed = np.minimum(ends[0].climbed, _middle([one.climbed for one in ends[1:]]))
    wetted = np.flatnonzero(climbed >= limits.drift_swing)
    apart = [_apart(one, [other for m, other in enumerate(ends) if m != n]) for n, one in enumerate(ends)]
    for start in range(len(wetted) - limits.drift_windows + 1):
        which = wetted[start:]
        moves = [_together([values[which] for values in one], which, limits) for one in apart]
        if moves[0] and abs(moves[0]) >= max(abs(m) for m in moves):
            return [_drifts(axis, which, moves[0], "fault.drift_beside", limits)]
    return []


def _drifts(axis: NDArray[np.int64], which: NDArray[np.intp], moved: float, code: str, limits: SlowLimits) -> Fault:
    width = DAY_H * limits.drift_window_days
    span = (int(which[0]) * width, int(which[-1] + 1) * width - 1)
    known = int(which[limits.drift_windows - 1] + 1) * width
    reason = Notice(code, moved_theta=moved, in_days=round((span[1] - span[0]) / DAY_H))
    return replace(_fault("drift", axis, span, known, reason), size=abs(moved))


def _apart(one: WindowEnds, others: Sequence[WindowEnds]) -> list[Floats]:
    """How far the wet and the dry end lie from the middle of others', window by window [m³/m³]."""
    return [values - _middle([other.sides()[side] for other in others]) for side, values in enumerate(one.sides())]


def _goes_along(ends: WindowEnds, which: NDArray[np.intp], moved: float, limits: SlowLimits) -> bool:
    """Whether more of the moving apart is a sensor's own than the others', at both ends."""
    at = which.astype(np.float64)
    slopes = [float(np.median(pairwise_slopes(at, side[which]))) for side in ends.sides()]
    return all(np.sign(moved) * slope * (at[-1] - at[0]) >= limits.drift_own * abs(moved) for slope in slopes)


def _middle(rows: list[Floats]) -> Floats:
    """Median over the other depths, window by window; NaN where none is known."""
    table = np.array(rows)
    middle = np.full(table.shape[1], np.nan)
    known = np.isfinite(table).any(axis=0)
    middle[known] = np.nanmedian(table[:, known], axis=0)
    return middle


def _together(ends: list[Floats], which: NDArray[np.intp], limits: SlowLimits) -> float:
    """The lesser of the wet and the dry end's moves when both drift alike [m³/m³]; else 0."""
    moves = []
    for values in ends:
        if np.isnan(values).any():
            return 0.0
        slopes = pairwise_slopes(which.astype(np.float64), values)
        slope = float(np.median(slopes))
        move = slope * float(which[-1] - which[0])
        order = abs(float(np.mean(np.sign(slopes))))
        if order < limits.drift_order or np.max(np.abs(np.diff(values))) > limits.drift_at_once * abs(move):
            return 0.0
        moves.append(move)
    together = min(moves, key=abs)
    return together if moves[0] * moves[1] > 0 and abs(together) >= limits.drift else 0.0


def window_ends(theta: Floats, limits: SlowLimits) -> WindowEnds:
    """Wet end, dry end and climb of each window of days."""
    width = DAY_H * limits.drift_window_days
    windows = theta[: len(theta) // width * width].reshape(-1, width)
    wet, dry, climbed = (np.full(len(windows), np.nan) for _ in range(3))
    known = np.isfinite(windows).sum(axis=1) >= width // 2
    if known.any():
        wet[known], dry[known] = np.nanquantile(windows[known], [0.95, 0.05], axis=1)
        climbed[known] = np.nanmax(windows[known] - np.fmin.accumulate(windows[known], axis=1), axis=1)
    return WindowEnds(wet, dry, climbed)
