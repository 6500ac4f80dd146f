"""Which readings are not to be believed, and why: found by rule, kept and drawn, never used."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from embalse.core.practice import practice
from embalse.core.robust import bends, hampel, noise_from_bends
from embalse.core.sensors.calibration import HIGHEST_THETA
from embalse.core.wording import Notice

FaultClass = Literal[
    "range", "spike", "stuck", "gap", "step", "out of soil", "drained", "noise", "ripple", "rise", "drift", "late"
]
KEPT_OUT: frozenset[str] = frozenset({"range", "spike", "stuck", "step", "out of soil", "drained"})
LASTING: frozenset[str] = KEPT_OUT - {"spike", "step"}
"""Faults that keep a sensor's latest reading out while they last; the median of hours does not follow a single one."""
BY_READING: frozenset[str] = KEPT_OUT | {"gap"}
SLOW: frozenset[str] = frozenset({"noise", "ripple", "rise", "drift"})
"""Seen over days only; such a sensor is still used, with its error widened by the size of the fault."""
DOUBT_DAYS: dict[str, float] = {name: practice(f"doubt_{name}_days") for name in sorted(SLOW)}
"""How long after its last sign a slow fault still counts against a sensor [days]."""
LATE_H = 24.0  # hours after which a reading that comes in was not there for the day's advice (ours)
HOUR = 3600.0  # seconds
HALF_WINDOW = 3  # readings on either side that a spike is held against (Hampel's window of seven)
NOISE_HALF_WINDOW = 24  # readings on either side from which the noise is taken: a day of hours
Floats = NDArray[np.float64]
Times = NDArray[np.int64]


@dataclass(frozen=True)
class TrustLimits:
    """Numbers the rules go by, in the unit of the values they are held against (m³/m³ or kPa); all this project's own.

    ``ending`` is what a value's name ends in, so that it is said in the reader's units.
    """

    low: float
    high: float
    spike: float
    ending: str = ""
    spike_sds: float = 6.0  # robust SDs of the window
    spike_interval_h: float = 3.0  # h between readings above which none is called a spike
    spike_noises: float = 5.0  # noises of the day's second differences
    spike_alone: float = 2.5  # times the floor for a single reading far from both neighbours
    stuck_h: float = 24.0  # h of one same value
    stuck_readings: int = 12  # readings of one same value
    gap_h: float = 6.0  # h without a reading
    drop: float = 0.06  # fall in one step that stays: more than drainage makes
    air: float = 0.02  # below it the sensor is in air: no soil dries so far
    air_readings: int = 6  # readings in a row
    drained_from_kpa: float = 30.0  # kPa from which the fall begins
    drained_to_kpa: float = 8.0  # kPa to which it goes
    drained_h: float = 3.0  # h within which no watering wets a cup so far
    drained_flat_kpa: float = 2.0  # kPa below which a cup that fell over several readings stays
    drained_flat_h: float = 24.0  # h it stays there: soil that was wetted has drained to more by then


# m³/m³: what soil can hold, and a jump no front makes in an hour (ours)
WATER = TrustLimits(low=0.0, high=HIGHEST_THETA, spike=0.02, ending="_theta")
# kPa: a gauge's slack to the end of any scale, and a jump no drying makes in an hour (ours)
TENSION = TrustLimits(low=-1.0, high=250.0, spike=8.0, ending="_kpa", drop=1e9, air=-1e9)
MATRIX = replace(TENSION, drained_from_kpa=np.inf)
"""A matrix sensor holds no water column that could drain; watering takes it from dry to wet at once."""
RAW = TrustLimits(low=-np.inf, high=np.inf, spike=np.inf, drop=np.inf, air=-np.inf)
CAPS_KPA = (199.0, 239.0, 240.0, 200.0, 0.0)
"""Ends of a matrix sensor's scale: staying there is no fault."""


@dataclass(frozen=True)
class Fault:
    """A fault from one instant to another [s, UTC], both included; what it is and the numbers of the rule.

    ``known_at`` is the earliest instant at which the rule could have found it; ``size`` how
    much a slow fault may be wrong by [m³/m³].
    """

    fault: FaultClass
    start_at: int
    end_at: int
    readings: int
    reason: Notice
    known_at: int = 0
    size: float = 0.0


def faults(ts: Times, values: Floats, limits: TrustLimits, tension: bool = False) -> list[Fault]:
    """Every fault in a series.

    Parameters
    ----------
    ts : array of int, shape (n,)
        Instants [s, UTC], increasing.
    values : array, shape (n,)
        Water contents [m³/m³], tensions [kPa] or raw values; NaN where a reading gives none.
    limits : TrustLimits
        In the unit of the values.
    tension : bool
        Whether the values are tensions of a tensiometer or matrix sensor [kPa].

    Returns
    -------
    list of Fault
        By start. A gap has no readings; all others are readings not to be used.

    References
    ----------
    .. [1] Dorigo et al. (2013), Vadose Zone J. 12(3): range, spike, plateau; Hampel identifier for the spikes.
    """
    if len(ts) == 0:
        return []
    found = _range(ts, values, limits) + _stuck(ts, values, limits, tension) + _gaps(ts, limits)
    found += _out_of_soil(ts, values, limits)
    if tension:
        found += _drained(ts, values, limits)
    taken = np.zeros(len(ts), dtype=bool)
    for fault in found:
        if fault.fault != "gap":
            taken |= (ts >= fault.start_at) & (ts <= fault.end_at)
    rest = np.where(taken, np.nan, values)
    spikes = _spikes(ts, rest, limits)
    found += spikes + _drops(ts, without_faults(ts, rest, spikes), limits)
    known = [
        replace(f, known_at=f.known_at or f.start_at + round(HOUR * _found_after_h(f.fault, limits))) for f in found
    ]
    return sorted(known, key=lambda f: (f.start_at, f.fault))


def _found_after_h(fault: FaultClass, limits: TrustLimits) -> float:
    waits = {"stuck": limits.stuck_h, "gap": limits.gap_h, "spike": float(HALF_WINDOW), "step": float(HALF_WINDOW)}
    return waits.get(fault, float(limits.air_readings) if fault == "out of soil" else 0.0)


def said(code: str, limits: TrustLimits, **values: float) -> Notice:
    """A fault's reason with values in the unit the limits are in: m³/m³, kPa, or the sensor's own for raw values."""
    named = {name if name == "whole_h" else f"{name}{limits.ending}": value for name, value in values.items()}
    return Notice(f"{code}{limits.ending}", **named)


def runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last index of each run of True in a mask, shape (n,)."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], mask, [False])).astype(np.int8)))
    return [(int(a), int(b) - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]


def _fromruns(
    fault: FaultClass, ts: Times, mask: NDArray[np.bool_], reason: Callable[[int, int], Notice]
) -> list[Fault]:
    return [Fault(fault, int(ts[a]), int(ts[b]), b - a + 1, reason(a, b)) for a, b in runs(mask)]


def _range(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    outside = (values < limits.low) | (values > limits.high)

    def reason(a: int, b: int) -> Notice:
        worst = float(values[a : b + 1][np.argmax(np.abs(values[a : b + 1]))])
        return said("fault.range", limits, seen=worst, low=limits.low, high=limits.high)

    return _fromruns("range", ts, outside, reason)


def _stuck(ts: Times, values: Floats, limits: TrustLimits, tension: bool) -> list[Fault]:
    same = np.concatenate((values[1:] == values[:-1], [False]))
    found = []
    for a, b in runs(same):
        last = b + 1
        hours = (ts[last] - ts[a]) / HOUR
        at_cap = tension and values[a] in CAPS_KPA
        if hours >= limits.stuck_h and last - a + 1 >= limits.stuck_readings and not at_cap:
            reason = said("fault.stuck", limits, value=float(values[a]), whole_h=round(hours))
            found.append(Fault("stuck", int(ts[a]), int(ts[last]), last - a + 1, reason))
    return found


def _gaps(ts: Times, limits: TrustLimits) -> list[Fault]:
    if len(ts) < 3:
        return []
    steps = np.diff(ts)
    usual = float(np.median(steps))
    limit = max(limits.gap_h * HOUR, 4 * usual)
    return [
        Fault("gap", int(ts[i]), int(ts[i + 1]), 0, Notice("fault.gap", whole_h=round(steps[i] / HOUR)))
        for i in np.flatnonzero(steps > limit)
    ]


def _out_of_soil(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    dry = (values >= limits.low) & (values < limits.air)
    dry_runs = [(a, b) for a, b in runs(dry) if b - a + 1 >= limits.air_readings]
    return [
        Fault("out of soil", int(ts[a]), int(ts[b]), b - a + 1, Notice("fault.air", air_theta=limits.air))
        for a, b in dry_runs
    ]


def _spikes(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    """Hampel: further from the median of the seven readings about it than six robust SDs and a floor."""
    if len(values) < 2 * HALF_WINDOW + 1 or not np.isfinite(limits.spike):
        return []
    if float(np.median(np.diff(ts))) > HOUR * limits.spike_interval_h:
        return []  # readings this far apart differ by water, not by noise
    padded = np.pad(values, HALF_WINDOW, mode="reflect")
    windows = sliding_window_view(padded, 2 * HALF_WINDOW + 1)
    candidates = _may_be_spikes(values, limits)
    if not candidates.any():
        return []
    index = np.flatnonzero(candidates)
    chosen = windows[index]
    enough = (np.isfinite(chosen).sum(axis=1) >= HALF_WINDOW + 2) & _without_gap(ts)[index]
    index, chosen = index[enough], chosen[enough]
    median, sd = hampel(chosen)
    far = np.abs(values[index] - median)
    noise = limits.spike_noises * _noise_about(values, index)
    spread = np.maximum(limits.spike_sds * sd, noise)
    by = np.maximum(limits.spike_alone * limits.spike, noise)
    spike = (far > np.maximum(limits.spike, spread)) | _alone(values, index, by)
    mask = np.zeros(len(values), dtype=bool)
    mask[index[spike]] = True
    medians = dict(zip(index.tolist(), median.tolist(), strict=True))
    for a, b in runs(mask):
        if not _stands_out(values, (a, b), limits.spike):
            mask[a : b + 1] = False

    def reason(a: int, b: int) -> Notice:
        return said("fault.spike", limits, seen=float(values[a]), near=medians[a])

    return [f for f in _fromruns("spike", ts, mask, reason) if f.readings <= HALF_WINDOW]


def _noise_about(values: Floats, index: NDArray[np.intp]) -> Floats:
    """Noise about some readings: robust SD of the second differences of a day, before or after, whichever is noisier.

    Second differences keep wetting and drying out of it.
    """
    bend = np.full(len(values), np.nan)
    bend[1:-1] = bends(values)
    padded = np.pad(bend, NOISE_HALF_WINDOW, constant_values=np.nan)
    windows = sliding_window_view(padded, 2 * NOISE_HALF_WINDOW + 1)[index]
    noise = np.zeros(len(index))
    for half in (windows[:, :NOISE_HALF_WINDOW], windows[:, NOISE_HALF_WINDOW + 1 :]):
        known = np.isfinite(half).any(axis=1)
        noise[known] = np.maximum(noise[known], noise_from_bends(half[known], axis=1))
    return noise


def _alone(values: Floats, index: NDArray[np.intp], by: Floats) -> NDArray[np.bool_]:
    """Single readings so far beyond both their neighbours that not even a wetting's front explains them."""
    padded = np.pad(values, 1, constant_values=np.nan)
    here, before, after = values[index], padded[index], padded[index + 2]
    return np.asarray((here - np.maximum(before, after) > by) | (np.minimum(before, after) - here > by))


def _stands_out(values: Floats, span: tuple[int, int], by: float) -> bool:
    """Whether a run lies beyond both the reading before and the one after it; a wetting's front and peak do not."""
    before, after = values[max(0, span[0] - 2) : span[0]], values[span[1] + 1 : span[1] + 3]
    before, after = before[np.isfinite(before)], after[np.isfinite(after)]
    if len(before) == 0 or len(after) == 0:
        return False  # the next reading will tell
    low, high = sorted((float(before[-1]), float(after[0])))
    run = values[span[0] : span[1] + 1]
    return float(np.nanmax(run)) - high > by or low - float(np.nanmin(run)) > by


def _without_gap(ts: Times) -> NDArray[np.bool_]:
    """Readings whose window of seven spans no more than twice the usual time."""
    usual = float(np.median(np.diff(ts))) * 2 * HALF_WINDOW
    last = len(ts) - 1
    places = np.arange(len(ts))
    spans = ts[np.minimum(places + HALF_WINDOW, last)] - ts[np.maximum(places - HALF_WINDOW, 0)]
    return np.asarray(spans <= 2 * usual)


def _may_be_spikes(values: Floats, limits: TrustLimits) -> NDArray[np.bool_]:
    """Readings with a jump near them: only these are worth a median."""
    jump = np.abs(np.diff(values)) > limits.spike / 2
    near = np.zeros(len(values), dtype=bool)
    for shift in range(-HALF_WINDOW, HALF_WINDOW + 1):
        moved = np.zeros(len(values), dtype=bool)
        source = np.flatnonzero(jump) + shift
        moved[source[(source >= 0) & (source < len(values))]] = True
        near |= moved
    return near & np.isfinite(values)


def _drops(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    """A fall from one reading to the next that neither roots nor drainage make, and that stays."""
    if not np.isfinite(limits.drop):
        return []
    known = np.flatnonzero(np.isfinite(values))
    found = []
    for i, j in pairwise(known.tolist()) if len(known) < 3 else _big_falls(ts, values, known, limits):
        at = int(np.searchsorted(known, j))
        before, after = values[known[max(0, at - 6) : at]], values[known[at:][:6]]
        if min(len(before), len(after)) < 3:
            continue
        if min(values[i], float(np.median(before))) - float(np.median(after)) > limits.drop:
            reason = said("fault.step", limits, before=float(values[i]), after=float(values[j]))
            found.append(Fault("step", int(ts[j]), int(ts[j]), 1, reason))
    return found


def _big_falls(ts: Times, values: Floats, known: NDArray[np.intp], limits: TrustLimits) -> list[tuple[int, int]]:
    near_in_time = np.diff(ts[known]) <= 3 * HOUR
    falls = np.flatnonzero((-np.diff(values[known]) > limits.drop) & near_in_time)
    noise = _noise_about(values, known[falls])
    sizes = values[known[falls]] - values[known[falls + 1]]
    return [(int(known[i]), int(known[i + 1])) for i in falls[sizes > limits.spike_noises * noise * np.sqrt(2)]]


def _drained(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    """A tensiometer that falls from a dry reading towards 0 within hours has lost its water column.

    At once, to below 8 kPa; or over several readings, to below 2 kPa, where it then stays for a day.
    """
    return sorted(_drained_at_once(ts, values, limits) + _drained_and_flat(ts, values, limits), key=_start)


def _start(fault: Fault) -> int:
    return fault.start_at


def _drained_and_flat(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    found = []
    for first, last in runs(values < limits.drained_flat_kpa):
        if (ts[last] - ts[first]) / HOUR < limits.drained_flat_h:
            continue
        low = int(np.searchsorted(ts, ts[first] - limits.drained_h * HOUR))
        before = values[low:first]
        dry = np.flatnonzero(before > limits.drained_from_kpa)
        if not len(dry) or dry[-1] == len(before) - 1:
            continue  # not dry before, or it fell at once
        start = low + int(dry[-1]) + 1
        reason = Notice("fault.drained", before_kpa=float(values[start - 1]), after_kpa=float(values[first]))
        known = int(ts[first]) + round(limits.drained_flat_h * HOUR)
        found.append(Fault("drained", int(ts[start]), int(ts[last]), last - start + 1, reason, known))
    return found


def _drained_at_once(ts: Times, values: Floats, limits: TrustLimits) -> list[Fault]:
    found: list[Fault] = []
    wet = np.flatnonzero((values[1:] < limits.drained_to_kpa) & (values[:-1] > limits.drained_from_kpa)) + 1
    for start in wet.tolist():
        if found and ts[start] <= found[-1].end_at:
            continue
        if (ts[start] - ts[start - 1]) / HOUR > limits.drained_h:
            continue
        again = np.flatnonzero(values[start:] > limits.drained_from_kpa)
        end = start + int(again[0]) - 1 if len(again) else len(ts) - 1
        reason = Notice("fault.drained", before_kpa=float(values[start - 1]), after_kpa=float(values[start]))
        found.append(Fault("drained", int(ts[start]), int(ts[end]), end - start + 1, reason))
    return found


def still_in_doubt(fault: str, end_at: float, now: float) -> bool:
    """Whether a slow fault whose last sign was at an instant [s, UTC] still counts against its sensor."""
    return fault in SLOW and end_at >= now - 86400 * DOUBT_DAYS[fault]


def late_faults(ts: Times, now: int) -> list[Fault]:
    """Spans of readings that came in long after they were taken: advice given meanwhile did not know them.

    Parameters
    ----------
    ts : array of int, shape (n,)
        Instants of readings that came in just now [s, UTC], increasing.
    now : int
        When they came [s, UTC]; those taken less than 24 h before are not late.
    """
    late = ts[ts < now - LATE_H * HOUR]
    found = []
    for a, b in runs(np.concatenate((np.diff(late) <= LATE_H * HOUR, [False]))) if len(late) > 1 else []:
        found.append((late[a], late[b + 1], b - a + 2))
    covered = [(first, last) for first, last, _ in found]
    found += [(t, t, 1) for t in late if not any(first <= t <= last for first, last in covered)]
    return [
        Fault(
            "late",
            int(a),
            int(b),
            int(count),
            Notice("fault.late", late_days=round((now - a) / HOUR / 24, 1)),
            now,
        )
        for a, b, count in sorted(found)
    ]


def without_faults(ts: Times, values: Floats, found: Sequence[Fault]) -> Floats:
    """The values with those of faults taken out (NaN), shape of ``values``."""
    kept = values.copy()
    for fault in found:
        if fault.fault in KEPT_OUT:
            kept[(ts >= fault.start_at) & (ts <= fault.end_at)] = np.nan
    return kept
