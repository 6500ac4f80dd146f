"""Water by a meter's readings, beside what the sets on record add up to."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from embalse.core.season.water_account import METER_ERROR


@dataclass(frozen=True)
class MeterReading:
    """What a meter showed [m³] at an instant [s, UTC]; ``new_meter`` where it was changed and counts from there."""

    at: int
    m3: float
    new_meter: bool = False


@dataclass(frozen=True)
class Metered:
    """Water between the first and the last reading of a period [m³]; ``fell_at`` are instants at which it fell."""

    first: MeterReading
    last: MeterReading
    m3: float
    fell_at: tuple[int, ...]


def metered(readings: Sequence[MeterReading], start_at: int, end_at: int) -> Metered | None:
    """Water of a period by its readings, none of it between them guessed.

    Parameters
    ----------
    readings : sequence of MeterReading
        Any order.
    start_at, end_at : int
        The period [s, UTC]. Where none was read at its start the first one inside begins it, likewise at its end.

    Returns
    -------
    Metered or None
        From a reading to the next its rise counts [m³]. Where it fell and nobody said that the meter was changed, the
        instant is told and that step counts for nothing. None with fewer than two readings in the period.

    Examples
    --------
    >>> metered([MeterReading(0, 100.0), MeterReading(50, 140.0), MeterReading(90, 190.0)], 0, 60).m3
    40.0
    """
    inside = sorted((r for r in readings if start_at <= r.at <= end_at), key=lambda r: r.at)
    if len(inside) < 2:
        return None
    total, fell = 0.0, []
    for before, after in pairwise(inside):
        if after.new_meter:
            continue
        if after.m3 < before.m3:
            fell.append(after.at)
            continue
        total += after.m3 - before.m3
    return Metered(inside[0], inside[-1], total, tuple(fell))


def agrees(logged_m3: float, metered_m3: float) -> bool:
    """Whether the sets on record add up to what the meter counted, within 5 % of it [m³].

    Examples
    --------
    >>> agrees(95.0, 100.0), agrees(94.0, 100.0)
    (True, False)
    """
    return abs(logged_m3 - metered_m3) <= METER_ERROR * metered_m3 + 1e-9
