"""What the bench tells of a sensor beyond its span: the supply's voltage, other days, packing, and its power."""

import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from embalse.core.errors import require
from embalse.core.practice import practice
from embalse.core.wording import Notice

USABLE_SHARE: Final = 0.8  # of a cell's capacity that can be drawn in the field (common practice, no source)
LOSS_A_MONTH: Final = 0.02  # of its charge a cell loses a month by itself (ours: alkaline and lithium cells lose less)
DAYS_A_MONTH: Final = 30.4
DENSITY_STEP: Final = 0.1  # g/cm³ a density effect is told for: what two people packing one pot differ by (ours)


@dataclass(frozen=True)
class BenchReading:
    """Repeats of a sensor: medium, mean raw value, supply [V], day number, bulk density [g/cm³], water [m³/m³]."""

    medium: str
    mean: float
    supply_v: float | None = None
    day: int | None = None
    bulk_density_g_cm3: float | None = None
    theta: float | None = None


@dataclass(frozen=True)
class BenchCheck:
    """A check: its name, what was found as a share of the span, what is allowed [-], and whether it passes."""

    check: str
    share: float | None
    allowed: float
    passes: bool | None
    words: Notice


def bench_checks(readings: Sequence[BenchReading], span: float) -> list[BenchCheck]:
    """Supply, other days and packing, each against its limit of practice.

    Parameters
    ----------
    readings : sequence of BenchReading
        Of one sensor, in any order.
    span : float
        Distance between its readings in air and in water, raw units, more than 0.

    Returns
    -------
    list of BenchCheck
        ``share`` is how far readings of one medium lie apart, as a share of the span: between two supply voltages on
        one day, between days at one voltage, and for 0.1 g/cm³ of packing at one water content. None where it was not
        tried.

    Raises
    ------
    CoreError
        If the span is not positive.
    """
    require(span > 0, "span", "must be more than 0")
    return [
        _check("supply", _apart(readings, ("medium", "day"), "supply_v"), span),
        _check("days", _apart(readings, ("medium", "supply_v"), "day"), span),
        _check("density", _by_density(readings), span),
    ]


def _check(name: str, apart: float | None, span: float) -> BenchCheck:
    allowed = practice(f"bench_{name}_share")
    if apart is None:
        return BenchCheck(name, None, allowed, None, Notice("bench.not_tried"))
    share = apart / span
    passes = share <= allowed
    code = "bench.passes" if passes else f"bench.{name}"
    return BenchCheck(name, share, allowed, passes, Notice(code, share_fraction=share, allowed_fraction=allowed))


def _apart(readings: Sequence[BenchReading], same: tuple[str, ...], differs: str) -> float | None:
    """The most that means lie apart where all but one thing is the same; None where nothing differs."""
    groups: dict[tuple[object, ...], dict[object, list[float]]] = {}
    for one in readings:
        if one.medium == "soil" or getattr(one, differs) is None:
            continue
        key = tuple(getattr(one, name) for name in same)
        groups.setdefault(key, {}).setdefault(getattr(one, differs), []).append(one.mean)
    spreads = []
    for by_value in groups.values():
        means = [statistics.fmean(values) for values in by_value.values()]
        if len(means) > 1:
            spreads.append(max(means) - min(means))
    return max(spreads, default=None)


def _by_density(readings: Sequence[BenchReading]) -> float | None:
    """What 0.1 g/cm³ of packing moves a reading in soil by at one water content, raw units; None where not tried."""
    groups: dict[float, list[tuple[float, float]]] = {}
    for one in readings:
        if one.medium == "soil" and one.bulk_density_g_cm3 is not None and one.theta is not None:
            groups.setdefault(round(one.theta, 2), []).append((one.bulk_density_g_cm3, one.mean))
    slopes = []
    for pairs in groups.values():
        low, high = min(pairs), max(pairs)
        if high[0] - low[0] >= DENSITY_STEP / 2:
            slopes.append(abs(high[1] - low[1]) / (high[0] - low[0]))
    return DENSITY_STEP * max(slopes) if slopes else None


@dataclass(frozen=True)
class PowerBudget:
    """What a logger draws: while asleep [µA], awake [mA] and for how long [s], how often [min], its cells [mAh].

    ``charged_mah_d`` is what a solar cell gives on a dull day [mAh/day].
    """

    sleep_ua: float
    awake_ma: float
    awake_s: float
    every_min: float
    capacity_mah: float
    charged_mah_d: float = 0.0


@dataclass(frozen=True)
class BatteryLife:
    """How long the cells last [days], None where the sun makes good what is drawn; draw [mAh/day], share asleep [-]."""

    days: float | None
    draw_mah_d: float
    asleep_share: float


def battery_life(budget: PowerBudget) -> BatteryLife:
    """How long a logger's cells last (units as in ``PowerBudget``).

    Raises
    ------
    CoreError
        If it is awake longer than its interval, or a value is not positive.

    Examples
    --------
    >>> round(battery_life(PowerBudget(20.0, 80.0, 10.0, 60.0, 2500.0)).days)
    281
    """
    for name in ("awake_ma", "awake_s", "every_min", "capacity_mah"):
        require(getattr(budget, name) > 0, name, "must be more than 0")
    require(budget.sleep_ua >= 0, "sleep_ua", "must not be negative")
    require(budget.charged_mah_d >= 0, "charged_mah_d", "must not be negative")
    cycle_s = 60 * budget.every_min
    require(budget.awake_s < cycle_s, "awake_s", "must be shorter than the time between two readings")
    asleep = budget.sleep_ua / 1000 * (cycle_s - budget.awake_s) / cycle_s * 24
    awake = budget.awake_ma * budget.awake_s / cycle_s * 24
    usable = USABLE_SHARE * budget.capacity_mah
    net = asleep + awake - budget.charged_mah_d
    share = asleep / (asleep + awake)
    if net <= 0:
        return BatteryLife(None, asleep + awake, share)
    return BatteryLife(usable / (net + usable * LOSS_A_MONTH / DAYS_A_MONTH), asleep + awake, share)


def spans_of(batches: Mapping[str, tuple[Sequence[float], Sequence[float]]]) -> dict[str, float]:
    """Span between the means in air and in water by sensor, raw units."""
    return {name: abs(statistics.fmean(water) - statistics.fmean(air)) for name, (air, water) in batches.items()}
