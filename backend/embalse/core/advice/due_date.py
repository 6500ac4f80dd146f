"""When a block is due by one sensor's reading, or by days since its last water, in the place of its depletion."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from embalse.core.crop.dry_down import FEWEST_STEPS, WINDOW_DAYS, DaysToRefill
from embalse.core.delivery.irrigation_rules import BlockRules
from embalse.core.robust import CONFIDENCE_Z, sd_from_deviations
from embalse.core.root_zone.block import Sensor, SensorReadings
from embalse.core.sensors.calibration import TENSION_UNITS, WATER_CONTENT_UNITS
from embalse.core.wording import Notice

SLOWEST_SHARE: Final = 0.05
"""Least step a day, as a share of what is left [-]: a reading that hardly moves gives no late limit (ours)."""


@dataclass(frozen=True)
class Due:
    """Days until water is due (10, 50, 90 %) [days], or None with the reason, and the rule they follow."""

    days: DaysToRefill | None
    rule: Notice
    why_not: Notice | None = None


def drier_is_higher(rules: BlockRules, raw_unit: str) -> bool | None:
    """Whether a sensor's reading rises as the soil dries: by its unit, else as the rule says; None where neither does.

    Examples
    --------
    >>> [drier_is_higher(BlockRules(), unit) for unit in ("kPa", "m3/m3", "mV")]
    [True, False, None]
    """
    if raw_unit in TENSION_UNITS:
        return True
    if raw_unit in WATER_CONTENT_UNITS or raw_unit == "permittivity":
        return False
    return None if rules.reading_drier is None else rules.reading_drier == "higher"


def due_by_reading(
    rules: BlockRules, sensor: Sensor, readings: SensorReadings, water: tuple[frozenset[int], float | None], now: float
) -> Due:
    """Days until one sensor shows the reading of the rule, at the pace of its last dry days.

    Parameters
    ----------
    rules : BlockRules
        With ``reading_value`` in the sensor's raw unit.
    sensor : Sensor
    readings : SensorReadings
        Raw values: the latest, and those at dawn by day number.
    water : (frozenset of int, float or None)
        Day numbers on which water came between that dawn and the next, and the end of the last water [s, UTC].
    now : float
        Instant asked for [s, UTC]: what went by since the latest reading is taken off.

    Returns
    -------
    Due
        Nil days where the reading is at the value or past it; none where water came after it. Needs no calibration.

    References
    ----------
    .. [1] Irrigate at the reading a chosen depth showed when growth fell off: common practice, no source.
    """
    value = rules.reading_value or 0.0
    rule = Notice("rule.reading", depth_cm=sensor.depth_cm, value=value, unit=sensor.raw_unit)
    wet_days, last_water_at = water
    higher = drier_is_higher(rules, sensor.raw_unit)
    if higher is None:
        return Due(None, rule, Notice("due.which_way"))
    if readings.fault is not None or readings.latest_raw is None or readings.latest_at is None:
        return Due(None, rule, Notice("due.no_reading", depth_cm=sensor.depth_cm, why=readings.fault))
    if last_water_at is not None and last_water_at > readings.latest_at:
        return Due(None, rule, Notice("due.water_since", depth_cm=sensor.depth_cm))
    sign = 1.0 if higher else -1.0
    left = sign * (value - readings.latest_raw)
    if left <= 0:
        return Due(DaysToRefill(0.0, 0.0, 0.0), rule)
    found = _at_its_pace(left, _dry_steps(readings, sign, wet_days), (now - readings.latest_at) / 86400)
    return Due(None, rule, found) if isinstance(found, Notice) else Due(found, rule)


def _at_its_pace(left: float, steps: list[float], gone_days: float) -> DaysToRefill | Notice:
    """Days until what is left is dried, of which some are gone by; or why none can be told."""
    if len(steps) < FEWEST_STEPS:
        return Notice("due.few_days", days=len(steps), wanted=FEWEST_STEPS)
    pace = float(np.median(steps))
    least = SLOWEST_SHARE * left
    if pace <= least:
        return Notice("due.not_drying")
    spread = CONFIDENCE_Z * float(sd_from_deviations(np.array(steps) - pace))
    high = left / (pace - spread) if pace - spread > least else math.inf
    return DaysToRefill(*(max(0.0, d - gone_days) for d in (left / (pace + spread), left / pace, high)))


def _dry_steps(readings: SensorReadings, sign: float, wet_days: frozenset[int]) -> list[float]:
    """Moves towards dry from dawn to dawn, of the last days between which no water came, in the raw unit."""
    days, values = readings.dawn_days.tolist(), readings.dawn_raw.tolist()
    first = (days[-1] if days else 0) - WINDOW_DAYS
    return [
        sign * (after - before)
        for (day, before), (next_day, after) in pairwise(zip(days, values, strict=True))
        if day >= first and next_day == day + 1 and day not in wet_days and math.isfinite(before + after)
    ]


def due_by_days(every_days: float, last_water_at: float | None, now: float) -> Due:
    """Light sets for a surface that must stay moist: days since the last water against the days asked for [days, s].

    Without a record of water it is due now.

    Examples
    --------
    >>> due_by_days(2.0, 0.0, 86400.0).days.mid
    1.0
    """
    rule = Notice("rule.surface", every_days=every_days)
    if last_water_at is None:
        return Due(DaysToRefill(0.0, 0.0, 0.0), rule)
    left = max(0.0, every_days - (now - last_water_at) / 86400)
    return Due(DaysToRefill(left, left, left), rule)


def block_due(
    rules: BlockRules,
    sensors: Sequence[Sensor],
    readings: Mapping[str, SensorReadings],
    water: tuple[frozenset[int], float | None],
    now: float,
) -> Due | None:
    """When a block is due where its rule is a reading or days since water; None where it goes by its depletion.

    ``water`` are its wet days (numbers) and the end of its last water [s, UTC]; ``now`` the instant asked for [s, UTC].
    """
    if rules.trigger == "surface" and rules.surface_days is not None:
        return due_by_days(rules.surface_days, water[1], now)
    if rules.trigger != "reading":
        return None
    found = next((s for s in sensors if s.key == rules.reading_sensor), None)
    if found is None:
        rule = Notice("rule.reading_of", sensor=rules.reading_sensor or "")
        return Due(None, rule, Notice("due.no_sensor", sensor=rules.reading_sensor or ""))
    return due_by_reading(rules, found, readings.get(found.key, SensorReadings()), water, now)
