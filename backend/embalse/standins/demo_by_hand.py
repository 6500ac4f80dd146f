"""The demonstration's station that is read by hand: two tensiometers in the tunnel, walked to every week."""

from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from embalse.core.soil import retention_curve, saxton_rawls
from embalse.services import handheld
from embalse.services.parts.land import SoilPart
from embalse.standins.demo_farm import END, SOILS, Season
from embalse.standins.demo_histories import station_place
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
        entry = handheld.HandEntry.model_validate({**body, "readings": readings})
        typed = at + (TYPED_LATE if at + timedelta(days=EVERY_DAYS) >= LAST else timedelta(minutes=5))
        with transaction():
            farm_store.hold_clock(int(typed.timestamp()))
        with acting(Actor("Demo field hand", "field hand")):
            stored += handheld.accept(entry).new
        at += timedelta(days=EVERY_DAYS)
    with transaction():
        farm_store.hold_clock(int(END.timestamp()))
    return stored


def read_vega(season: Season) -> int:
    """Send what the field hand read every morning in Vega, where no logger stands; returns how many were stored."""
    station = next(s for s in season.stations if s.block.by_hand)
    ref = f"{station.block.document['key']}/{station.story.key}"
    values = {depth: tension_values(station, depth) for depth in station.story.depths_cm}
    stored = 0
    with acting(Actor("Demo field hand", "field hand")):
        for index, second in enumerate(season.hours):
            at = datetime.fromtimestamp(second, UTC)
            if at.hour != MORNING_UTC_H or at.date() < station.story.installed + timedelta(days=1) or at >= END:
                continue
            with transaction():
                farm_store.hold_clock(second + 600)
            readings = [
                {"sensor": f"{depth:g}", "value": float(series[index]), "confirmed": True}
                for depth, series in values.items()
            ]
            body = {"key": f"vega-{at:%Y%m%d}", "station": ref, "at": at.isoformat(), "who": "field hand"}
            entry = handheld.HandEntry.model_validate({**body, "readings": readings})
            stored += handheld.accept(entry).new
    with transaction():
        farm_store.hold_clock(int(END.timestamp()))
    return stored


def _gauge_kpa(theta: float) -> float:
    """What a gauge in whole kPa shows at a water content [m³/m³] of the block's soil."""
    soil = SoilPart.model_validate(next(s for s in SOILS if s["key"] == HAND_BLOCK))
    curve = retention_curve(saxton_rawls(soil.horizons[0].horizon().earth), 0.0, GAUGE_KPA.tolist())
    thetas = np.array([point[1] for point in curve])
    return float(GAUGE_KPA[np.argmin(np.abs(thetas - theta))])
