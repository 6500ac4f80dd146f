"""A line watched by a pressure switch or a meter: when water ran in it."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

HOLE_S: Final = 3 * 3600  # seconds without word after which a line is not taken to have stayed as it was (ours)
LEAST_FLOW_M3_H: Final = 0.5  # m³/h below which a meter that crawls is not taken for a set (ours)


@dataclass(frozen=True)
class LineReading:
    """What a line said at an instant [s, UTC]: whether it has pressure, and what its meter shows [m³]; None: unsaid."""

    at: int
    pressure: bool | None = None
    meter_m3: float | None = None


@dataclass(frozen=True)
class Spell:
    """Water that ran from one instant to another [s, UTC]; open at an end that was not seen."""

    start_at: int | None
    end_at: int | None


def longest_spell(readings: Sequence[LineReading], start_at: int, end_at: int) -> Spell | None:
    """The longest time a line ran within a span, by its pressure switch, else by its meter.

    Parameters
    ----------
    readings : sequence of LineReading
        In any order; what lies outside the span is passed over.
    start_at, end_at : int
        The span [s, UTC].

    Returns
    -------
    Spell or None
        None where it never ran, or said nothing. An end that was not seen, at the span's edge or beside three hours of
        silence, is None.

    Examples
    --------
    >>> said = [LineReading(0, False), LineReading(600, True), LineReading(4200, True), LineReading(4800, False)]
    >>> longest_spell(said, 0, 9000)
    Spell(start_at=600, end_at=4800)
    """
    told = sorted((r for r in readings if start_at <= r.at <= end_at), key=lambda r: r.at)
    states = [(r.at, r.pressure) for r in told if r.pressure is not None] or _by_meter(told)
    found: list[tuple[int, int, Spell]] = []
    begun: int | None = None
    seen_begin = False
    last = None
    for at, runs in states:
        silent = last is not None and at - last > HOLE_S
        if begun is not None and (not runs or silent):
            end = at if not silent else None
            found.append(
                (begun, last if silent and last is not None else at, Spell(begun if seen_begin else None, end))
            )
            begun = None
        if runs and begun is None:
            begun, seen_begin = at, last is not None and not silent
        last = at
    if begun is not None and last is not None:
        found.append((begun, last, Spell(begun if seen_begin else None, None)))
    return max(found, key=lambda f: f[1] - f[0])[2] if found else None


def _by_meter(told: Sequence[LineReading]) -> list[tuple[int, bool]]:
    """Whether water ran from each reading of the meter on to the next, then at the last one that it is not known to."""
    shown = [(r.at, r.meter_m3) for r in told if r.meter_m3 is not None]
    found = []
    for (at, before), (then, after) in itertools.pairwise(shown):
        hours = (then - at) / 3600
        found.append((at, hours > 0 and (after - before) / hours >= LEAST_FLOW_M3_H))
    if found:
        found.append((shown[-1][0], False) if not found[-1][1] else (shown[-1][0], True))
    return found
