"""Farms of any size for the benchmarks, written past the import so that it does not take minutes."""

from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.readings.rollups import hours_by_day
from embalse.store import farm as farm_store
from embalse.store import hours as store_hours
from embalse.store import imports, readings
from embalse.store.database import open_database, transaction

HOUR, DAY = 3600, 86400
NOW = 1_783_396_800 + 7 * DAY  # 06:00 in Madrid on 14 July 2026 (04:00 UTC)
DEPTHS = (10, 20, 30, 45, 60, 90)


def farm(path: Path, blocks: int, depths: tuple[int, ...] = DEPTHS) -> None:
    """An open farm with so many blocks, one station each."""
    open_database(path)
    made = [_block(number, depths) for number in range(blocks)]
    document: dict[str, Any] = {
        "embalse": 1,
        "farm": {"name": "Bench", "time_zone": "Europe/Madrid"},
        "soils": [{"key": "loam", "horizons": [{"top_cm": 0, "bottom_cm": 150, "texture": "loam"}]}],
        "systems": [{"key": "drip", "kind": "drip", "efficiency_fraction": 0.9, "rate_mm_h": 1.5}],
        "blocks": made,
        **_weather(),
    }
    apply_document(FarmDocument.model_validate(document))
    with transaction():
        farm_store.hold_clock(NOW)


def _weather() -> dict[str, Any]:
    """Two months of reference ET and a forecast of eleven members, as known at ``NOW``."""
    random = np.random.default_rng(3)
    today = date.fromordinal(NOW // DAY + date(1970, 1, 1).toordinal())
    eto = [
        {"day": (today - timedelta(days=n)).isoformat(), "eto_mm": round(float(7 + random.normal(0, 0.8)), 2)}
        for n in range(1, 61)
    ]
    days = [
        {"day": (today + timedelta(days=n)).isoformat(), "rain_mm": [0.0] * 11,
         "eto_mm": [round(float(7 + random.normal(0, 0.8)), 2) for _ in range(11)]}
        for n in range(10)
    ]  # fmt: skip
    issued = f"{today.isoformat()}T05:00"
    return {"eto": eto, "forecasts": [{"key": "bench", "issued": issued, "days": days}]}


def _block(number: int, depths: tuple[int, ...]) -> dict[str, Any]:
    sensors = [{"depth_cm": d, "channel": f"b{number}-{d}"} for d in depths]
    return {
        "key": f"b{number}", "area_ha": 5, "crop": "almond", "planting_date": "2026-02-20",
        "soil": "loam", "system": "drip", "root_depth_cm": 80,
        "wetted_fraction": 0.5, "stations": [{"key": "a", "sensors": sensors}],
    }  # fmt: skip


def saw(hours: int, seed: int) -> np.ndarray:
    """Water contents that fall for four days and jump back, hour by hour, with noise [m³/m³]."""
    random = np.random.default_rng(seed)
    phase = (np.arange(hours) + seed * 7) % 96
    return np.round(0.27 - 0.0006 * phase + random.normal(0, 0.001, hours), 4)


def fill(days: int, now: int = NOW) -> int:
    """Hourly readings and dawn values of every sensor for so many days up to now; returns how many readings."""
    hours = days * 24 + 1
    times = now - HOUR * np.arange(hours)[::-1]
    total = 0
    with transaction():
        job = imports.start_job("bench", "0", now)
        for sensor_id in readings.sensor_ids():
            values = saw(hours, sensor_id)
            rows = list(zip([sensor_id] * hours, times.tolist(), values.tolist(), [job] * hours, strict=True))
            total += readings.insert_new(rows)
            by_day = hours_by_day(times, values)
            store_hours.replace_days(sensor_id, int(times[0]) // DAY, now // DAY, by_day)
            dawn = values[::-24][::-1]
            last = now // DAY
            numbers = range(last - len(dawn) + 1, last + 1)
            readings.replace_dawns(
                (sensor_id, day, value, 3) for day, value in zip(numbers, dawn.tolist(), strict=True)
            )
    return total
