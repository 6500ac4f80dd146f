"""The farm, its blocks and what belongs to them."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

from embalse.store import changes, devices, models, records
from embalse.store.database import database
from embalse.store.errors import NotFound
from embalse.store.rows import (
    BlockRow,
    CalibrationRow,
    FarmRow,
    FarmRows,
    HorizonRow,
    LandRow,
    SensorRow,
    StationRow,
    SupplyRow,
    SystemRow,
)
from embalse.store.select import select as _select

Row = TypeVar("Row")
CHOSEN = (
    "mark_choices", "retention_curves", "block_rules", "dry_windows", "orders", "set_choices", "audit_rules",
    "sensor_findings", "zone_acceptances", "stages_seen", "rain_notes", "plantings", "harvests",
    "block_zones", "soil_zones",
)  # fmt: skip
"""Records that change what a block's soil is taken to hold."""

_SENSOR_COLUMNS = """s.id, s.station_id, s.key, s.type, s.depth_cm, s.channel, s.raw_unit,
  b.key || '/' || t.key || '/' || s.key, s.quantity, s.companion_of, s.gauge_above_cm"""


def farm() -> FarmRow | None:
    """The farm, or None when the file is still empty."""
    row = models.Farm.get_or_none()
    return None if row is None else FarmRow(row.name, row.time_zone, row.units, row.clock_at)


def hold_clock(instant: int) -> None:
    """Hold the farm's clock at an instant [s, UTC], for a demonstration."""
    models.Farm.update(clock_at=instant).execute()


def _grouped(rows: Iterable[Row], by: str) -> dict[int, list[Row]]:
    groups: dict[int, list[Row]] = defaultdict(list)
    for row in rows:
        groups[getattr(row, by)].append(row)
    return dict(groups)


def farm_rows(keys: Sequence[str] | None = None) -> FarmRows:
    """Blocks (all, or those named, in the order of their names) with all that belongs to them.

    Raises
    ------
    NotFound
        If a key names no block.
    """
    blocks = _select(
        """SELECT id, key, name, area_ha, crop, variety, planting_date, soil_id, system_id, root_depth_cm,
           root_depth_start_cm, full_root_date, allowable_depletion_fraction, wetted_fraction, min_set_mm, max_set_mm,
           supply_id, slope_pct, crop_values FROM block ORDER BY id""",
        BlockRow,
    )
    if keys is not None:
        missing = [key for key in keys if key not in {b.key for b in blocks}]
        if missing:
            raise NotFound("block", f"there is no block '{missing[0]}'")
        blocks = [b for b in blocks if b.key in keys]
    one = blocks[0].id if keys is not None and len(blocks) == 1 else None
    only, parameters = (" WHERE b.id = ?", [one]) if one is not None else ("", [])
    horizons = _select(
        """SELECT soil_id, top_cm, bottom_cm, sand_fraction, clay_fraction, organic_matter_pct, stones_fraction,
           bulk_density_g_cm3, full_theta, full_reason, refill_theta, refill_reason, wilting_theta, wilting_reason,
           restricts_roots FROM horizon ORDER BY soil_id, top_cm""",
        HorizonRow,
    )
    stations = _select(
        f"""SELECT t.id, t.block_id, t.key, t.name, t.bottom_cm, t.longitude, t.latitude, t.installed_at, t.moved_at,
            t.removed_at, t.settle_days, t.stands_for, t.read_every_days FROM station t
            JOIN block b ON b.id = t.block_id{only} ORDER BY t.id""",
        StationRow,
        parameters,
    )
    calibrations = _select(
        f"""SELECT c.sensor_id, c.valid_from, c.slope, c.intercept, c.rmse_theta, c.note, c.curve,
            c.entered_at, c.withdrawn_at FROM calibration c
            JOIN sensor s ON s.id = c.sensor_id JOIN station t ON t.id = s.station_id JOIN block b ON b.id = t.block_id
            {only} ORDER BY c.sensor_id, c.valid_from, c.id""",
        CalibrationRow,
        parameters,
    )
    return FarmRows(
        blocks=blocks,
        horizons=_grouped(horizons, "soil_id"),
        systems={s.id: s for s in systems()},
        stations=_grouped(stations, "block_id"),
        sensors=_grouped(sensors(one), "station_id"),
        calibrations=_grouped(calibrations, "sensor_id"),
        companions=_grouped(sensors(one, companions=True), "companion_of"),
        supplies={s.id: s for s in supplies()},
        placements=_grouped(devices.placements(), "sensor_id"),
        device_calibrations=_grouped(devices.calibrations(), "sensor_id"),
        soil_keys={id_: key for id_, key, _ in soils()},
        chosen=[row for kind in CHOSEN for row in records.records(kind)],
    )


def block_crops() -> list[tuple[str, str]]:
    """Keys and crops of all blocks, in stored order."""
    return [(row[0], row[1]) for row in database.execute_sql("SELECT key, crop FROM block ORDER BY id")]


def stations_standing_for(block_key: str) -> list[tuple[str, str]]:
    """Block and station keys of the stations that stand for a block, in stored order, of those in the ground."""
    sql = """SELECT b.key, t.key FROM station t JOIN block b ON b.id = t.block_id
             WHERE t.removed_at IS NULL AND EXISTS (SELECT 1 FROM json_each(t.stands_for) j WHERE j.value = ?)
             ORDER BY t.id"""
    return [(row[0], row[1]) for row in database.execute_sql(sql, (block_key,))]


def soils() -> list[tuple[int, str, str]]:
    """Id, key and name of every soil."""
    return [(row[0], row[1], row[2]) for row in database.execute_sql("SELECT id, key, name FROM soil ORDER BY id")]


def block_areas() -> dict[str, float]:
    """Area of every block [ha] by its key."""
    return dict(database.execute_sql("SELECT key, area_ha FROM block").fetchall())


def supplies() -> list[SupplyRow]:
    """All supplies."""
    return _select("SELECT id, key, name, flow_m3_h, hours_per_day, tariffs FROM supply ORDER BY id", SupplyRow)


def land(block_key: str | None = None) -> dict[str, LandRow]:
    """Spacings, outline and crop values by block key, of all blocks or one."""
    only, parameters = ("WHERE key = ?", [block_key]) if block_key else ("", [])
    sql = f"SELECT key, row_spacing_m, plant_spacing_m, outline, crop_values FROM block {only} ORDER BY id"
    return {row.block_key: row for row in _select(sql, LandRow, parameters)}


def systems() -> list[SystemRow]:
    """All irrigation systems."""
    return _select(
        """SELECT id, key, name, kind, efficiency_fraction, rate_mm_h, flow_l_h, spacing_m, line_spacing_m, per_point,
           pivot, furrows FROM system ORDER BY id""",
        SystemRow,
    )


def sensors(block_id: int | None = None, companions: bool | None = False) -> list[SensorRow]:
    """Sensors of the farm, or of one block, by station and depth; their companions only, or both (None), if asked."""
    kept = {True: "s.companion_of IS NOT NULL", False: "s.companion_of IS NULL", None: "1"}[companions]
    only, parameters = (f"WHERE {kept} AND b.id = ?", [block_id]) if block_id is not None else (f"WHERE {kept}", [])
    return _select(
        f"""SELECT {_SENSOR_COLUMNS} FROM sensor s JOIN station t ON t.id = s.station_id
            JOIN block b ON b.id = t.block_id {only} ORDER BY s.station_id, s.depth_cm, s.id""",
        SensorRow,
        parameters,
    )


_TABLES: dict[str, type[models.Table]] = {
    "farm": models.Farm,
    "soil": models.Soil,
    "system": models.System,
    "block": models.Block,
    "station": models.Station,
    "sensor": models.Sensor,
    "calibration": models.Calibration,
    "set": models.SetLog,
    "rain": models.Rain,
    "eto": models.Eto,
    "supply": models.Supply,
    "device": models.Device,
    "device_calibration": models.DeviceCalibration,
    "placement": models.Placement,
    "record": models.Record,
}


def find_id(table: str, **where: Any) -> int | None:
    """Id of the row that matches, or None."""
    row: Any = _TABLES[table].get_or_none(**where)
    return None if row is None else int(row.id)


def put(table: str, where: Mapping[str, Any], values: Mapping[str, Any]) -> tuple[int, str]:
    """Create the row found by ``where`` or change what differs; returns its id and created, changed or unchanged."""
    model: Any = _TABLES[table]
    row = model.get_or_none(**where)
    if row is None:
        made = model.create(**where, **values)
        changes.note_row(table, made, {}, {**where, **values})
        if table == "farm":
            since = f"UPDATE farm SET known_since = COALESCE(?, {changes.NOW_SQL})"
            database.execute_sql(since, (changes.actor().at,))
        return int(made.id), "created"
    changed = {name: value for name, value in values.items() if getattr(row, name) != value}
    if not changed:
        return int(row.id), "unchanged"
    before = {name: getattr(row, name) for name in changed}
    for name, value in changed.items():
        setattr(row, name, value)
    row.save()
    changes.note_row(table, row, before, changed)
    return int(row.id), "changed"


def set_deleted(table: str, where: Mapping[str, Any], at: int | None) -> None:
    """Mark a set, or a day of rain or reference ET, as deleted at an instant [s, UTC], or bring it back.

    Raises
    ------
    NotFound
        If there is no such row.
    """
    row: Any = _TABLES[table].get_or_none(**where)
    if row is None:
        raise NotFound(table, "there is none on record then")
    row.deleted_at = at
    row.save()
    kind, what = changes.KINDS.get(table, table), "brought back" if at is None else "deleted"
    values = {name: value for name, value in row.__data__.items() if name not in ("id", "deleted_at") and value != ""}
    changes.note(kind, changes.subject_of(row), what, {}, values, of=(table, int(row.get_id())))


def rearrange_sensors(values: Mapping[int, Mapping[str, Any]]) -> None:
    """Give sensors of a station other depths and channels, by id; two of them may trade places."""
    rows = {id_: models.Sensor.get_by_id(id_) for id_ in values}
    for id_ in rows:  # through free values first, since a depth is taken once in a station
        models.Sensor.update(depth_cm=-float(id_), channel="").where(models.Sensor.id == id_).execute()
    for id_, row in rows.items():
        before = {name: getattr(row, name) for name in values[id_]}
        models.Sensor.update(**values[id_]).where(models.Sensor.id == id_).execute()
        if before != dict(values[id_]):
            changes.note_row("sensor", row, before, values[id_])


def replace_horizons(soil_id: int, rows: Sequence[Mapping[str, Any]]) -> bool:
    """Make the soil's horizons these; returns whether anything changed."""
    query = models.Horizon.select().where(models.Horizon.soil == soil_id).order_by(models.Horizon.top_cm)
    now = [{name: getattr(h, name) for name in rows[0]} for h in query]
    if now == [dict(r) for r in rows]:
        return False
    soil = models.Soil.get_by_id(soil_id)
    old_values: dict[str, Any] = {}
    new_values: dict[str, Any] = {}
    for number in range(1, max(len(now), len(rows)) + 1):
        pair = _differing(*(given[number - 1] if number <= len(given) else {} for given in (now, rows)))
        old_values |= {f"horizon {number}": pair[0]} if pair[0] else {}
        new_values |= {f"horizon {number}": pair[1]} if pair[1] else {}
    changes.note("soils", soil.key, "changed" if now else "created", old_values, new_values, of=("horizon", soil_id))
    models.Horizon.delete().where(models.Horizon.soil == soil_id).execute()
    for row in rows:
        models.Horizon.create(soil=soil_id, **row)
    return True


def _differing(old: Mapping[str, Any], new: Mapping[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    names = [name for name in (old or new) if old.get(name) != new.get(name)]
    return {n: old[n] for n in names if n in old}, {n: new[n] for n in names if n in new}


def has_readings(sensor_id: int) -> bool:
    """Whether any reading of the sensor is stored."""
    return models.Reading.select().where(models.Reading.sensor == sensor_id).exists()
