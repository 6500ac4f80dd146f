"""Dated calibrations of sensors and devices, in versions: what once was in force can be told again."""

import json
from collections.abc import Mapping
from typing import Any, Final

from embalse.store import changes, models
from embalse.store.errors import NotFound
from embalse.store.rows import CalibrationRow

TABLES: Final[dict[str, type[models.Table]]] = {
    "calibration": models.Calibration,
    "device_calibration": models.DeviceCalibration,
}


def put_version(table: str, owner: Mapping[str, int], values: Mapping[str, Any], now: int | None) -> str:
    """Keep a dated calibration of a sensor or a device; says created, changed or unchanged.

    One that says something else than what stands for its day replaces it: the old one is withdrawn ``now`` [s, UTC]
    and kept, so that what it once said can be told again. With ``now`` None nothing was ever said: it is changed.
    """
    model: Any = TABLES[table]
    same = [getattr(model, name) == value for name, value in {**owner, "valid_from": values["valid_from"]}.items()]
    standing = model.select().where(*same, model.withdrawn_at.is_null()).order_by(model.id.desc()).first()
    if standing is None:
        made = model.create(**owner, **{"entered_at": now, **values})
        changes.note_row(table, made, {}, {**owner, **values})
        return "created"
    changed = {name: value for name, value in values.items() if getattr(standing, name) != value}
    if not changed:
        return "unchanged"
    if now is None or standing.entered_at == now:
        before = {name: getattr(standing, name) for name in changed}
        for name, value in changed.items():
            setattr(standing, name, value)
        standing.save()
        changes.note_row(table, standing, before, changed)
        return "changed"
    kept = {name: getattr(standing, name) for name in ("slope", "intercept", "rmse_theta", "note", "curve")}
    model.update(withdrawn_at=now).where(model.id == standing.id).execute()
    made = model.create(**owner, **{**kept, **values, "entered_at": now})
    changes.note_row(table, made, {n: v for n, v in kept.items() if n in changed}, changed)
    return "changed"


def versions(table: str, owner_id: int) -> list[Any]:
    """Every version of a sensor's or a device's calibrations: id and row, oldest first; withdrawn ones too."""
    model: Any = TABLES[table]
    owner = model.sensor if table == "calibration" else model.device
    return [
        (
            row.id,
            CalibrationRow(
                owner_id, row.valid_from, row.slope, row.intercept, row.rmse_theta, row.note, json.dumps(row.curve),
                row.entered_at, row.withdrawn_at,
            ),
        )
        for row in model.select().where(owner == owner_id).order_by(model.valid_from, model.id)
    ]  # fmt: skip


def withdraw(row_id: int, at: int | None) -> int:
    """Withdraw a calibration of a sensor at an instant [s, UTC], or bring it back (None); returns the sensor's id.

    Raises
    ------
    NotFound
        If there is no such calibration.
    """
    row = models.Calibration.get_or_none(id=row_id)
    if row is None:
        raise NotFound("calibration", "there is no such calibration")
    before = {"withdrawn_at": row.withdrawn_at}
    row.withdrawn_at = at
    row.save()
    changes.note_row("calibration", row, before, {"withdrawn_at": at})
    return int(row.sensor.id)
