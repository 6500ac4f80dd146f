"""The demonstration's station that is read by hand: two tensiometers in the tunnel, walked to every week."""

from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from embalse.core.soil.soil import retention_curve, saxton_rawls
from embalse.services.intake import manual
from embalse.services.schema.land import SoilPart
from embalse.standins.demo_farm import END, Season, SimulatedStation
from embalse.standins.demo_histories import sensor_type, station_place
from embalse.standins.demo_stories import SOILS
from embalse.standins.logger_files import tension_values
from embalse.store import farm as farm_store
from embalse.store.changes import Actor, acting
from embalse.store.database import transaction

HAND_BLOCK = "tunel"
DEPTHS_CM = (30.0, 50.0)
MORNING_UTC_H = 3
EVERY_DAYS = 7
FIRST = datetime(2026, 5, 2, 7, tzinfo=UTC)
LAST = END - timedelta(days=9)
TYPED_LATE = timedelta(days=3)
KPA_PER_CM = 0.0981
GAUGE_ABOVE_SOIL_CM = 10.0
GAUGE_KPA = np.arange(2.0, 81.0)

_LONGITUDE, _LATITUDE = station_place(HAND_BLOCK, "t")
HAND_STATION: dict[str, Any] = {
    "key": "t",
    "name": "tensiometers by the door",
    "longitude": _LONGITUDE,
    "latitude": _LATITUDE,
    "installed": "2026-04-28T12:00",
    "read_every_days": EVERY_DAYS,
    "sensors": [
        {"depth_cm": depth, "type": "tensiometer", "channel": f"T{depth:g}", "raw_unit": "kPa"} for depth in DEPTHS_CM
    ],
}


def read_by_hand(season: Season) -> int:
    """Send what the field hand read every week to the demonstration, the last of it typed in days late.

    Returns how many readings were stored. The demonstration's clock stands where it should afterwards.
    """
    station = next(s for s in season.stations if s.block.document["key"] == HAND_BLOCK and s.story.key == "b")
    hours = np.array(season.hours)
    at, stored = FIRST, 0
    while at < LAST:
        index = int(np.searchsorted(hours, at.timestamp()))
        readings = [
            {"sensor": f"{depth:g}", "value": _gauge_kpa(station.truth[depth][index]), "confirmed": True}
            for depth in DEPTHS_CM
        ]
        body = {"key": f"{at:%Y%m%d}", "station": f"{HAND_BLOCK}/t", "at": at.isoformat(), "who": "field hand"}
        entry = manual.HandEntry.model_validate({**body, "readings": readings})
        typed = at + (TYPED_LATE if at + timedelta(days=EVERY_DAYS) >= LAST else timedelta(minutes=5))
        with transaction():
            farm_store.hold_clock(int(typed.timestamp()))
        with acting(Actor("Demo field hand", "field hand")):
            stored += manual.accept(entry).new
        at += timedelta(days=EVERY_DAYS)
    with transaction():
        farm_store.hold_clock(int(END.timestamp()))
    return stored


def read_every_morning(season: Season) -> int:
    """Send what the field hand read every morning where no logger stands; returns how many were stored."""
    stored = 0
    with acting(Actor("Demo field hand", "field hand")):
        for index, second in enumerate(season.hours):
            at = datetime.fromtimestamp(second, UTC)
            if at.hour != MORNING_UTC_H or at >= END:
                continue
            for station in (s for s in season.stations if s.block.by_hand):
                if at.date() < station.story.installed + timedelta(days=1):
                    continue
                with transaction():
                    farm_store.hold_clock(second + 600)
                stored += _read(station, index, at)
    with transaction():
        farm_store.hold_clock(int(END.timestamp()))
    return stored


def _read(station: SimulatedStation, index: int, at: datetime) -> int:
    """One morning at one station."""
    block = station.block.document["key"]
    readings = [
        {"sensor": f"{depth:g}", "value": hand_value(station, depth, index), "confirmed": True}
        for depth in station.story.depths_cm
    ]
    ref = f"{block}/{station.story.key}"
    body = {"key": f"{block}-{at:%Y%m%d}", "station": ref, "at": at.isoformat(), "who": "field hand"}
    return manual.accept(manual.HandEntry.model_validate({**body, "readings": readings})).new


def hand_value(station: SimulatedStation, depth_cm: float, index: int) -> float:
    """What a hand meter or gauge shows at an hour [kPa]: a gauge carries the water column above its cup."""
    kpa = tension_values(station, depth_cm)[index]
    if sensor_type(station.block) != "tensiometer":
        return float(kpa)
    return float(min(80.0, round(float(kpa) + KPA_PER_CM * (depth_cm + GAUGE_ABOVE_SOIL_CM))))


def _gauge_kpa(theta: float) -> float:
    """What a gauge in whole kPa shows at a water content [m³/m³] of the block's soil."""
    soil = SoilPart.model_validate(next(s for s in SOILS if s["key"] == HAND_BLOCK))
    curve = retention_curve(saxton_rawls(soil.horizons[0].horizon().earth), 0.0, GAUGE_KPA.tolist())
    thetas = np.array([point[1] for point in curve])
    return float(GAUGE_KPA[np.argmin(np.abs(thetas - theta))])
