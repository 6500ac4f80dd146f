"""Small blocks for the core's tests."""

from typing import Any

import numpy as np

from embalse.core.delivery.delivery import IrrigationSystem
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.root_zone.block import Block, Moment, Sensor, SensorReadings, Station
from embalse.core.soil.horizon_marks import Horizon, MarkEntry
from embalse.core.soil.roots import RootGrowth
from embalse.core.soil.soil import FineEarth
from embalse.core.sources import Source, Sourced
from embalse.core.wording import Notice

ENTRY = Source("entry", "test")
DAY = 20_000
NOW = 86400.0 * DAY + 6 * 3600
MOMENT = Moment(NOW, DAY, 6 * 3600.0)
DEPTHS = (10.0, 30.0, 50.0)
SOURCES = {name: ENTRY for name in ("wetted_fraction", "min_set_mm", "max_set_mm", "efficiency_fraction", "rate_mm_h")}


def horizon(full: float = 0.30, wilting: float = 0.10, bottom: float = 120) -> Horizon:
    earth = FineEarth(0.4, 0.2)
    return Horizon(0, bottom, earth, full=MarkEntry(full, "test"), wilting=MarkEntry(wilting, "test"))


def station(key: str = "a", depths: tuple[float, ...] = DEPTHS, raw_unit: str = "m3/m3") -> Station:
    return Station(key, f"station {key}", tuple(Sensor(f"{key}/{d:g}", d, raw_unit) for d in depths))


def block(
    stations: tuple[Station, ...] = (),
    limits: SetLimits | None = None,
    system: IrrigationSystem | None = None,
    roots: RootGrowth | None = None,
    allowable: float = 0.5,
) -> Block:
    return Block(
        key="b",
        name="B",
        area_ha=10,
        horizons=(horizon(),),
        roots=roots or RootGrowth(60),
        roots_source=ENTRY,
        allowable=Sourced(allowable, ENTRY),
        limits=limits or SetLimits(0.5),
        system=system or IrrigationSystem("drip", 2.0, 0.8),
        stations=stations or (station(),),
        sources=dict(SOURCES),
    )


def drying(theta: float = 0.25, use: float = 0.01, days: int = 8, age_h: float = 0.0) -> SensorReadings:
    """A sensor that went down by ``use`` a day to ``theta`` now."""
    numbers = np.arange(DAY - days + 1, DAY + 1)
    return SensorReadings(NOW - 3600 * age_h, theta, numbers, theta + use * (DAY - numbers))


def readings(theta: float = 0.25, use: float = 0.01, stations: tuple[str, ...] = ("a",)) -> dict[str, SensorReadings]:
    return {f"{key}/{d:g}": drying(theta, use) for key in stations for d in DEPTHS}


def notices(said: Any) -> list[Notice]:
    """Every notice in a text, the outer before those within it."""
    if isinstance(said, Notice):
        return [said, *(one for value in said.values.values() for one in notices(value))]
    return [one for part in said for one in notices(part)] if isinstance(said, list | tuple) else []


def codes(said: Any) -> list[str]:
    """Codes of every notice in a text."""
    return [one.code for one in notices(said)]


def values_of(said: Any, code: str) -> dict[str, Any]:
    """Values of the first notice of a code in a text; fails when it is not said."""
    return next(one for one in notices(said) if one.code == code).values
