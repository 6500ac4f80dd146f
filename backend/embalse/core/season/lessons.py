"""What a season taught that can be put into the next one, each with its evidence."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final, Literal

from embalse.core.season.water_account import WaterAccount
from embalse.core.season.what_to_change import MANY_DAYS
from embalse.core.wording import Notice

UNRELIABLE_SHARE: Final = 0.1  # of a season's days with readings left out, from which a sensor is looked at (ours)
TRIGGER_MARGIN: Final = (
    1.05  # trigger over readily available water from which it is called late (ours: beyond rounding)
)


@dataclass(frozen=True)
class SensorSeason:
    """A sensor's season: its station, depth [cm], days on which readings were left out, and days in all."""

    station: str
    depth_cm: float
    out_days: int
    days: int


@dataclass(frozen=True)
class Learned:
    """An efficiency as the audit of the sets learned it, its 10 to 90 % band, and the one set up [-]."""

    value: float
    low: float
    high: float
    set_up: float
    sets: int


@dataclass(frozen=True)
class Lesson:
    """Something to change: what it is about, what is said of it, and the value it would put in force, if any."""

    what: Literal["trigger", "efficiency", "sensor"]
    notice: Notice
    value: float | None = None


def trigger_lesson(told: WaterAccount, allowable_mm: float, raw_mm: float, taw_mm: float) -> Lesson | None:
    """A trigger that lets the crop go past what it takes up readily, in a season that had such days.

    Parameters
    ----------
    told : WaterAccount
    allowable_mm, raw_mm, taw_mm : float
        Depletion allowed, readily available water at the season's use, and all available water [mm].

    Returns
    -------
    Lesson or None
        Its value is the share of the available water that is readily available [-]. None where there were fewer than
        five days of stress, or the trigger did not allow them: then water came late, and no mark is to be changed.
    """
    if told.stress_days < MANY_DAYS or taw_mm <= 0 or allowable_mm <= TRIGGER_MARGIN * raw_mm:
        return None
    share = round(raw_mm / taw_mm, 2)
    values = {"allowed_fraction": allowable_mm / taw_mm, "readily_fraction": share}
    return Lesson("trigger", Notice("lesson.trigger", **values), share)


def efficiency_lesson(learned: Learned | None) -> Lesson | None:
    """An efficiency that the sets show to be another than set up; None where the band of theirs holds it [-]."""
    if learned is None or learned.low <= learned.set_up <= learned.high:
        return None
    values = {"value_fraction": learned.value, "low_fraction": learned.low, "high_fraction": learned.high}
    notice = Notice("lesson.efficiency", sets=learned.sets, set_up_fraction=learned.set_up, **values)
    return Lesson("efficiency", notice, round(learned.value, 3))


def drift_lesson(station: str, depth_cm: float, drift: Notice) -> Lesson:
    """A sensor that has drifted over the years, with what is said of it; its depth in cm."""
    return Lesson("sensor", Notice("lesson.drift", station=station, depth_cm=depth_cm, drift=drift))


def sensor_lessons(sensors: Sequence[SensorSeason]) -> list[Lesson]:
    """Sensors whose readings were left out on a tenth of a season's days or more, the worst first."""
    bad = [s for s in sensors if s.days > 0 and s.out_days >= UNRELIABLE_SHARE * s.days]
    return [
        Lesson("sensor", Notice("lesson.sensor", station=s.station, depth_cm=s.depth_cm, out_days=float(s.out_days),
                                of_days=s.days))
        for s in sorted(bad, key=lambda s: s.out_days / s.days, reverse=True)
    ]  # fmt: skip
