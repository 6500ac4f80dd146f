"""Calibrations of any curve, in versions; a gauge's height; reference evapotranspiration by day."""

_COLUMNS = """id INTEGER PRIMARY KEY, {owner}_id INTEGER NOT NULL REFERENCES {owner} ON DELETE CASCADE,
  valid_from INTEGER NOT NULL, slope REAL NOT NULL, intercept REAL NOT NULL, rmse_theta REAL,
  note TEXT NOT NULL DEFAULT '', curve TEXT NOT NULL DEFAULT 'null', entered_at INTEGER, withdrawn_at INTEGER"""
_MOVED = "id, {owner}_id, valid_from, slope, intercept, rmse_theta, note"


def _remake(table: str, owner: str) -> str:
    columns, moved = _COLUMNS.format(owner=owner), _MOVED.format(owner=owner)
    return f"""
CREATE TABLE {table}_new ({columns});
INSERT INTO {table}_new ({moved}) SELECT {moved} FROM {table};
DROP TABLE {table};
ALTER TABLE {table}_new RENAME TO {table};
CREATE INDEX {table}_owner ON {table} ({owner}_id, valid_from);
"""


STATEMENTS = f"""
{_remake("calibration", "sensor")}
{_remake("device_calibration", "device")}
ALTER TABLE sensor ADD COLUMN gauge_above_cm REAL;
CREATE TABLE eto (
  id INTEGER PRIMARY KEY, day INTEGER NOT NULL UNIQUE, eto_mm REAL NOT NULL, note TEXT NOT NULL DEFAULT ''
);
"""
