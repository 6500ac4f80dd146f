"""A file of invented readings for a farm's own sensors, to try the import and the Round with."""

import csv
import io

import numpy as np
from numpy.typing import NDArray

from embalse.core.errors import CoreError
from embalse.core.root_zone.block import Block, Sensor
from embalse.core.simulate.sample import sample_weeks
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.reader import say
from embalse.store import farm as farm_store
from embalse.store.errors import Conflict

MARK = "# Invented readings, made by Embalse to try things with"
"""First line of the file, by which an import knows it again."""
IS_SAMPLE = "invented readings"
"""What the import log says of such a file."""
WITHOUT_ROOTS_CM = 60.0  # root depth of the invented crop where nobody gave one
HOUR_S = 3600
AS_WRITTEN = ("", "m3/m3", "%", "kPa")
"""Units a sample can be written in; others mean nothing before the sensor is calibrated."""
KPA_LIMIT = 199.0


def sample_file(key: str) -> str:
    """Three weeks up to now for every sensor of a block, hourly, in its own unit, as delimited text.

    Raises
    ------
    NotFound
        If there is no such block.
    Conflict
        If the block has no sensors, or they read counts that mean nothing without a calibration.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = farm_store.farm_rows([key])
    [block] = core_blocks(rows, now)
    sensors = [(t, s) for t in block.stations if not t.borrowed_from for s in t.sensors]
    channels = {s.ref: s.channel for group in rows.sensors.values() for s in group}
    names = [channels.get(s.key) or s.key for _, s in sensors]
    try:
        depths = [s.depth_cm for _, s in sensors]
        roots = block.roots_cm(times.local_day(now, farm.time_zone)) or WITHOUT_ROOTS_CM
        theta = sample_weeks(block.horizons, roots, depths)
    except CoreError as refusal:
        raise Conflict(refusal.field, say(refusal.reason)) from refusal
    columns = [_written(block, s, theta[:, n]) for n, (_, s) in enumerate(sensors)]
    out = io.StringIO()
    out.write(f"{MARK}\n")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time", *names])
    said = ""
    for hour in range(len(theta)):
        at = f"{times.local(now - now % HOUR_S - (len(theta) - 1 - hour) * HOUR_S, farm.time_zone):%Y-%m-%d %H:%M}"
        if at != said:  # the hour that comes twice in autumn is written once
            writer.writerow([at, *(column[hour] for column in columns)])
        said = at
    return out.getvalue()


def _written(block: Block, sensor: Sensor, theta: NDArray[np.float64]) -> list[str]:
    """A sensor's column as a logger writes it."""
    if sensor.raw_unit not in AS_WRITTEN:
        reason = "these sensors' values say nothing of a soil before they are calibrated: there is no sample for them"
        raise Conflict("sensor", reason)
    if sensor.raw_unit == "kPa":
        horizon = next((h for h in block.horizons if sensor.depth_cm <= h.bottom_cm), block.horizons[-1])
        kpa = np.clip(np.round(horizon.curve.tension_kpa(theta)), 0, KPA_LIMIT)
        return [f"{value:g}" for value in kpa]
    return [f"{100 * value:.2f}" for value in theta] if sensor.raw_unit == "%" else [f"{value:.4f}" for value in theta]
