"""The stored farm as a farm document: applying it to an empty database makes the same farm."""

import base64
import json
from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from embalse.services import times
from embalse.services.document.farm_document import RECORD_LISTS
from embalse.services.load import clock
from embalse.store import devices as device_store
from embalse.store import farm as store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import BlockRow, CalibrationRow, FarmRows, HorizonRow, StationRow, SystemRow

Document = dict[str, Any]
FIRST_DAY, LAST_DAY = -3_650_000, 3_650_000
FIRST_S, LAST_S = -(2**40), 2**40


def farm_document(with_photos: bool = True) -> Document:
    """Everything of the farm but its readings.

    Raises
    ------
    Conflict
        If no farm is set up.
    """
    farm = clock.the_farm()
    zone = farm.time_zone
    rows = store.farm_rows()
    document: Document = {
        "embalse": 1,
        "farm": {"name": farm.name, "time_zone": zone, "units": farm.units},
        **land_parts(rows, [b.key for b in rows.blocks], everything=True),
        "devices": devices_part(zone),
        "placements": placements_part(zone),
    }
    for kind in RECORD_LISTS:
        document[kind] = [json.loads(row.body) for row in record_store.records(kind)]
    document["photos"] = [_photo(key) for key in record_store.photo_keys()] if with_photos else []
    document["sets"] = [
        {
            "block": row.block_key,
            "start": _moment(row.start_at, zone),
            "hours": (row.end_at - row.start_at) / 3600,
            "gross_mm": row.gross_mm,
            "note": row.note,
        }
        for row in readings_store.sets(None, FIRST_S, LAST_S)
    ]
    document["rain"] = [
        {"day": times.day_of(day).isoformat(), "depth_mm": depth, "note": note}
        for day, depth, note in readings_store.rain_with_notes(FIRST_DAY, LAST_DAY)
    ]
    warmth = {day: (high, low) for day, high, low in readings_store.temperatures(FIRST_DAY, LAST_DAY)}
    air = {day: told for day, *told in readings_store.climate(FIRST_DAY, LAST_DAY)}
    document["eto"] = [
        {"day": times.day_of(day).isoformat(), "eto_mm": depth, "note": note,
         **dict(zip(("tmax_c", "tmin_c"), warmth.get(day, (None, None)), strict=True)),
         **dict(zip(("wind_2m_m_s", "rh_min_pct"), air.get(day, (None, None)), strict=True))}
        for day, depth, note in readings_store.eto(FIRST_DAY, LAST_DAY)
    ]  # fmt: skip
    return document


def land_parts(rows: FarmRows, keys: Iterable[str], everything: bool = False) -> Document:
    """Soils, supplies, systems and blocks with their stations: of some blocks, or all there is."""
    zone = clock.the_farm().time_zone
    wanted = set(keys)
    blocks = [b for b in rows.blocks if b.key in wanted]
    land = store.land()
    soils = store.soils()
    used_soils = {b.soil_id for b in blocks}
    used_systems = {b.system_id for b in blocks}
    used_supplies = {b.supply_id for b in blocks}
    return {
        "soils": [
            {"key": key, "name": name, "horizons": [_horizon(h) for h in rows.horizons.get(id_, [])]}
            for id_, key, name in soils
            if everything or id_ in used_soils
        ],
        "supplies": [
            {**_without(asdict(s), "id", "tariffs"), "tariffs": json.loads(s.tariffs)}
            for s in rows.supplies.values()
            if everything or s.id in used_supplies
        ],
        "systems": [_system(s) for s in rows.systems.values() if everything or s.id in used_systems],
        "blocks": [_block(b, rows, (land[b.key], {i: k for i, k, _ in soils}), zone) for b in blocks],
    }


def _without(values: Document, *names: str) -> Document:
    return {name: value for name, value in values.items() if name not in names}


def _moment(instant: int | None, zone: str) -> str | None:
    return None if instant is None else times.local(instant, zone).isoformat(timespec="seconds")


def _horizon(row: HorizonRow) -> Document:
    return {**_without(asdict(row), "soil_id"), "restricts_roots": bool(row.restricts_roots)}


def _system(row: SystemRow) -> Document:
    values = _without(asdict(row), "id", "pivot", "furrows")
    return {**values, "pivot": json.loads(row.pivot), "furrows": json.loads(row.furrows)}


def _block(row: BlockRow, rows: FarmRows, beside: tuple[Any, dict[int, str]], zone: str) -> Document:
    land, soils = beside
    values = _without(asdict(row), "id", "soil_id", "system_id", "supply_id")
    system = rows.systems.get(row.system_id) if row.system_id is not None else None
    supply = rows.supplies.get(row.supply_id) if row.supply_id is not None else None
    return {
        **values,
        "soil": soils[row.soil_id],
        "system": system.key if system else None,
        "supply": supply.key if supply else None,
        "row_spacing_m": land.row_spacing_m,
        "plant_spacing_m": land.plant_spacing_m,
        "outline": json.loads(land.outline),
        "crop_values": json.loads(land.crop_values),
        "stations": [station_part(s, rows, zone) for s in rows.stations.get(row.id, [])],
    }


def station_part(row: StationRow, rows: FarmRows, zone: str) -> Document:
    """A station with its sensors as a part of the document."""
    values = _without(asdict(row), "id", "block_id", "installed_at", "moved_at", "removed_at", "stands_for")
    return {
        **values,
        "installed": _moment(row.installed_at, zone),
        "moved": _moment(row.moved_at, zone),
        "removed": _moment(row.removed_at, zone),
        "stands_for": json.loads(row.stands_for),
        "sensors": [
            {
                **_without(asdict(s), "id", "station_id", "ref", "quantity", "companion_of"),
                "companions": [
                    {"quantity": c.quantity, "channel": c.channel, "raw_unit": c.raw_unit}
                    for c in rows.companions.get(s.id, [])
                ],
                "calibrations": _calibrations(rows.calibrations.get(s.id, []), zone),
            }
            for s in rows.sensors.get(row.id, [])
        ],
    }


def _calibrations(rows: Iterable[CalibrationRow], zone: str) -> list[Document]:
    return [
        {
            **_without(asdict(c), "sensor_id", "slope", "curve", "entered_at", "withdrawn_at"),
            "valid_from": times.local(c.valid_from, zone).date().isoformat(),
            "slope": c.slope if c.curve == "null" else None,
            "curve": json.loads(c.curve),
            "entered": _moment(c.entered_at, zone),
            "withdrawn": _moment(c.withdrawn_at, zone),
        }
        for c in rows
    ]


def devices_part(zone: str) -> list[Document]:
    """The register as a part of the document."""
    own: dict[int, list[CalibrationRow]] = {}
    for row in device_store.calibrations():
        own.setdefault(row.sensor_id, []).append(row)
    return [
        {**_without(asdict(d), "id", "deleted_at"), "calibrations": _calibrations(own.get(d.id, []), zone)}
        for d in device_store.devices()
    ]


def placements_part(zone: str) -> list[Document]:
    """Where every device is and was, as a part of the document; places of deleted devices are left out."""
    kept = {d.id for d in device_store.devices()}
    return [
        {
            "sensor": p.sensor_ref,
            "device": p.device_key,
            "since": _moment(p.since, zone),
            "until": _moment(p.until, zone),
            "why": p.why,
        }
        for p in device_store.placements()
        if p.device_id in kept
    ]


def _photo(key: str) -> Document:
    media_type, data = record_store.photo(key)
    return {"key": key, "media_type": media_type, "data": base64.b64encode(data).decode()}
