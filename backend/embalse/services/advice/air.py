"""Frost and heat by the loggers' own air sensors, where a limit is set."""

import json

from embalse.core.sensors.matrix_sensor import celsius
from embalse.core.weather.air_limits import AirAlarm, AirLimits, air_alarm
from embalse.services.load.in_force import in_force
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import FarmRow, FarmRows

LOOKED_BACK_H = 12
"""How far back a limit passed is told [h]: what the night did is said in the morning."""


def air_limits(farm: FarmRow, now: int) -> AirLimits | None:
    """The limits in force at an instant [s, UTC], None where nobody set any."""
    bodies = [json.loads(r.body) for r in record_store.records("air_limits")]
    held = in_force(bodies, (now, farm.time_zone))
    return AirLimits(held[-1]["frost_c"], held[-1]["heat_c"]) if held else None


def air_alarms(farm: FarmRow, rows: FarmRows, now: int) -> list[AirAlarm]:
    """Limits the air has passed in the last twelve hours at an instant [s, UTC], frost first."""
    limits = air_limits(farm, now)
    if limits is None:
        return []
    names = {f"{b.key}/{t.key}": f"{b.name}, {t.name}" for b in rows.blocks for t in rows.stations.get(b.id, [])}
    found = []
    for sensor in (c for group in rows.companions.values() for c in group if c.quantity == "air"):
        place = names.get(sensor.ref.rsplit("/", 1)[0])
        if place is None:
            continue
        ts, values = readings_store.between(sensor.id, now - 3600 * LOOKED_BACK_H, now)
        alarm = air_alarm(place, ts.tolist(), celsius(values, sensor.raw_unit).tolist(), limits)
        if alarm is not None:
            found.append(alarm)
    return sorted(found, key=lambda a: (a.kind != "frost", a.most_c if a.kind == "frost" else -a.most_c))
