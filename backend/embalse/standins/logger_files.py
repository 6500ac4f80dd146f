"""Logger files of the demonstration, each logger with habits of its own."""

from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from embalse.services.intake.import_plan import ImportPlan, PlanColumn
from embalse.services.schema.land import SoilPart
from embalse.standins.demo_farm import UTC_SHIFT_H, Season, SimulatedStation
from embalse.standins.demo_stories import PROBE_CALIBRATION, SOILS, BlockStory

Array = NDArray[np.float64]
COUNT_AIR, COUNT_WATER = 820.0, 380.0


def column_name(block: BlockStory, station: SimulatedStation, depth_cm: float) -> str:
    """Header of a column in the logger's file, which is the sensor's channel."""
    return f"{block.document['key']}-{station.story.key}-{depth_cm:g}"


def raw_values(station: SimulatedStation, depth_cm: float) -> Array:
    """What the logger writes for a sensor: percent before calibration, m³/m³, or counts that fall with wetness."""
    theta = station.sensed[depth_cm]
    unit = station.block.raw_unit
    if unit == "count":
        return np.asarray(np.round(COUNT_AIR - (COUNT_AIR - COUNT_WATER) * np.clip(theta / 0.5, 0, 1)))
    if unit == "kPa":
        return tension_values(station, depth_cm)
    if unit == "%":
        slope, intercept = (float(str(PROBE_CALIBRATION[name])) for name in ("slope", "intercept"))
        return np.asarray(np.round((theta - intercept) / slope, 2))
    return np.asarray(np.round(theta, 4))


def tension_values(station: SimulatedStation, depth_cm: float) -> Array:
    """What a matrix sensor gives at a water content, in whole kPa up to 199, by the curve of the block's soil."""
    depths = station.story.depths_cm
    wired = depths[::-1][depths.index(depth_cm)] if station.story.crossed else depth_cm
    part = SoilPart.model_validate(next(s for s in SOILS if s["key"] == station.block.document["soil"]))
    horizon = next(h for h in part.horizons if h.top_cm <= wired <= h.bottom_cm).horizon()
    kpa = horizon.curve.tension_kpa(station.sensed[wired])
    return np.asarray(np.where(np.isnan(station.sensed[wired]), np.nan, np.clip(np.round(kpa), 0, 199)))


def write_logger_file(folder: Path, block: BlockStory, season: Season) -> tuple[Path, ImportPlan]:
    """A block's logger file and the plan that reads it."""
    stations = [s for s in season.stations if s.block is block]
    columns = [(column_name(block, s, d), s, d) for s in stations for d in s.story.depths_cm]
    values = [raw_values(s, d) for _, s, d in columns]
    delimiter = {"semicolon": ";", "tab": "\t"}.get(block.logger, ",")
    decimals = 0 if block.raw_unit in ("count", "kPa") else 4 if block.raw_unit == "m3/m3" else 2
    lines = _head([name for name, _, _ in columns], block, delimiter)
    for index, second in enumerate(season.hours):
        moment = datetime.fromtimestamp(second, UTC) + timedelta(hours=UTC_SHIFT_H)
        if any(s.story.gap and _in_gap(s.story.gap, moment.date()) for s in stations):
            continue
        there = [moment.date() >= s.story.installed for _, s, _ in columns]
        cells = [
            f"{v[index]:.{decimals}f}" if here and not np.isnan(v[index]) else "NAN"
            for v, here in zip(values, there, strict=True)
        ]
        if block.logger == "semicolon":
            cells = [cell.replace(".", ",") for cell in cells]
        lines.append(delimiter.join([_stamp(block, moment), *cells]))
    path = folder / f"{block.document['key']}.{'tsv' if block.logger == 'tab' else 'csv'}"
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    plan = ImportPlan(
        time_zone=f"UTC+0{UTC_SHIFT_H}:00",
        date_order="dmy" if block.logger == "semicolon" else "ymd",
        decimal="," if block.logger == "semicolon" else ".",
        columns=[
            PlanColumn(column=name, sensor=f"{block.document['key']}/{s.story.key}/{d:g}", unit=None)
            for name, s, d in columns
        ],
    )
    return path, plan


def _head(names: list[str], block: BlockStory, delimiter: str) -> list[str]:
    unit = {"%": "%", "m3/m3": "m3/m3", "count": "counts", "kPa": "kPa"}[block.raw_unit]
    header = delimiter.join(["time", *names])
    if block.logger == "semicolon":
        return [f"logger {block.document['key']}", header, delimiter.join(["", *[unit] * len(names)])]
    if block.logger == "tab":
        return [header, delimiter.join(["", *[unit] * len(names)])]
    return [header]


def _stamp(block: BlockStory, moment: datetime) -> str:
    if block.logger == "semicolon":
        return moment.strftime("%d/%m/%Y %H:%M")
    return moment.strftime("%Y-%m-%d %H:%M:%S" if block.logger == "tab" else "%Y-%m-%d %H:%M")


def _in_gap(gap: tuple[date, date], day: date) -> bool:
    return gap[0] <= day < gap[1]
