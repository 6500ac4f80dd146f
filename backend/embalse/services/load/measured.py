"""The flow a block's sets were measured with, as it was known at an instant."""

import json
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any, Final

from embalse.core.acting.measured_flow import MeasuredFlow, RunFlow, measured_flow
from embalse.services import times
from embalse.store import farm as farm_store
from embalse.store import records as record_store

BACK_DAYS: Final = 400  # days back over which sets are looked at (ours: a season and the end of the one before)
M2_HA: Final = 10.0  # m³ on a hectare a millimetre is


def measured_rates(now: float, zone: str) -> dict[str, MeasuredFlow]:
    """Rate of each block's sets [mm/h, in the place of m³/h] by its key, from sets with time and water measured."""
    day = (times.local(now, zone) - timedelta(days=BACK_DAYS)).date().isoformat()
    evidence = [json.loads(r.body) for r in record_store.records_from("set_evidence", "start", day)]
    wanted = {e["planned"] for e in evidence if e["planned"]}
    if not wanted:
        return {}
    planned = {b["key"]: b for b in (json.loads(r.body) for r in record_store.records_from("planned_sets", "end", day))}
    area = farm_store.block_areas()
    runs: dict[str, dict[str, RunFlow]] = {}
    for body in evidence:
        part = planned.get(body["planned"])
        if part is not None and part.get("pulses", 1) > 1:
            continue  # its hours hold pauses
        for run in _runs(body, now, zone):
            ha = (part or {}).get("area_ha") or area.get(body["block"], 0.0)
            if ha:
                per_area = RunFlow(run.start_at, run.hours, run.volume_m3 / (M2_HA * ha), run.pressure_bar)
                runs.setdefault(body["block"], {})[body["planned"] or body["key"]] = per_area
    found = {block: measured_flow(list(mine.values())) for block, mine in runs.items()}
    return {block: flow for block, flow in found.items() if flow is not None}


def _runs(body: dict[str, Any], now: float, zone: str) -> Iterator[RunFlow]:
    if body["start"] is None or body["end"] is None or body["no_pressure"] is not None:
        return
    start, end = (times.epoch(datetime.fromisoformat(body[n]), zone) for n in ("start", "end"))
    water = body["volume_m3"]
    if water is None and body["meter_before_m3"] is not None and body["meter_after_m3"] is not None:
        water = body["meter_after_m3"] - body["meter_before_m3"]
    if water and start < end <= now:
        yield RunFlow(start, (end - start) / 3600, water, body["pressure_bar"])


def measured_block_flow(block: str, area_ha: float | None, at: int) -> float | None:
    """Measured flow of a block's part [m³/h] as known at an instant [s, UTC]; None before there are enough sets."""
    zone = _zone()
    found = measured_rates(at, zone).get(block)
    ha = area_ha or farm_store.farm_rows([block]).blocks[0].area_ha
    return None if found is None else found.flow_m3_h * M2_HA * ha


def _zone() -> str:
    farm = farm_store.farm()
    return "UTC" if farm is None else farm.time_zone
