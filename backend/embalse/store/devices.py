"""The register of devices: what they are, where they are, their own calibrations."""

from embalse.store import changes, models
from embalse.store.errors import Conflict, NotFound
from embalse.store.rows import CalibrationRow, DeviceRow, PlacementRow
from embalse.store.select import select


def devices(with_deleted: bool = False) -> list[DeviceRow]:
    """All devices, those deleted only when asked for."""
    only = "" if with_deleted else "WHERE deleted_at IS NULL"
    columns = "id, key, type, serial, batch, cost, bought_on, shelf, note, deleted_at"
    return select(f"SELECT {columns} FROM device {only} ORDER BY batch, key", DeviceRow)


def placements() -> list[PlacementRow]:
    """Every placement, oldest first."""
    return select(
        """SELECT p.sensor_id, b.key || '/' || t.key || '/' || s.key, p.device_id, d.key, p.since, p.until, p.why
           FROM placement p JOIN device d ON d.id = p.device_id JOIN sensor s ON s.id = p.sensor_id
           JOIN station t ON t.id = s.station_id JOIN block b ON b.id = t.block_id ORDER BY p.since, p.id""",
        PlacementRow,
    )


def calibrations() -> list[CalibrationRow]:
    """Calibrations that go with devices; ``sensor_id`` holds the device's id."""
    return select(
        """SELECT device_id, valid_from, slope, intercept, rmse_theta, note, curve, entered_at, withdrawn_at
           FROM device_calibration ORDER BY valid_from, id""",
        CalibrationRow,
    )


def end_placement(sensor_id: int, since: int) -> None:
    """Close whatever was in a sensor's place before ``since`` [s, UTC]."""
    open_before = models.Placement.until.is_null() & (models.Placement.since < since)
    for row in models.Placement.select().where((models.Placement.sensor == sensor_id) & open_before):
        row.until = since
        row.save()
        changes.note("placements", changes.subject_of(row), "ended", {}, {"device": row.device.key, "until": since})


def set_deleted(key: str, at: int | None) -> None:
    """Mark a device as deleted, or bring it back.

    Raises
    ------
    NotFound
        If there is no such device.
    Conflict
        If it is in the ground.
    """
    row = models.Device.get_or_none(key=key)
    if row is None:
        raise NotFound("device", f"there is no device '{key}'")
    placed = models.Placement.select().where((models.Placement.device == row) & models.Placement.until.is_null())
    if at is not None and placed.exists():
        raise Conflict("device", f"'{key}' is in the ground: take it out first")
    models.Device.update(deleted_at=at).where(models.Device.id == row.id).execute()
    changes.note("devices", key, "brought back" if at is None else "deleted", of=("device", row.id))
