"""Supplies, moving systems, outlines, crop values; devices with their places and calibrations; records of the field."""

STATEMENTS = """
ALTER TABLE horizon ADD COLUMN restricts_roots INTEGER NOT NULL DEFAULT 0;
CREATE TABLE supply (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, flow_m3_h REAL, hours_per_day REAL,
  tariffs TEXT NOT NULL DEFAULT '[]'
);
CREATE TABLE system_new (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, kind TEXT NOT NULL,
  efficiency_fraction REAL NOT NULL CHECK (efficiency_fraction > 0 AND efficiency_fraction <= 1),
  rate_mm_h REAL, flow_l_h REAL, spacing_m REAL, line_spacing_m REAL, per_point REAL NOT NULL DEFAULT 1,
  pivot TEXT NOT NULL DEFAULT 'null', furrows TEXT NOT NULL DEFAULT 'null'
);
INSERT INTO system_new
  SELECT id, key, name, kind, efficiency_fraction, rate_mm_h, flow_l_h, spacing_m, line_spacing_m, per_point,
    'null', 'null' FROM system;
DROP TABLE system;
ALTER TABLE system_new RENAME TO system;
ALTER TABLE block ADD COLUMN supply_id INTEGER REFERENCES supply;
ALTER TABLE block ADD COLUMN slope_pct REAL;
ALTER TABLE block ADD COLUMN row_spacing_m REAL;
ALTER TABLE block ADD COLUMN plant_spacing_m REAL;
ALTER TABLE block ADD COLUMN outline TEXT NOT NULL DEFAULT 'null';
ALTER TABLE block ADD COLUMN crop_values TEXT NOT NULL DEFAULT '{}';
CREATE INDEX block_supply ON block (supply_id);
ALTER TABLE station ADD COLUMN longitude REAL;
ALTER TABLE station ADD COLUMN latitude REAL;
ALTER TABLE station ADD COLUMN installed_at INTEGER;
ALTER TABLE station ADD COLUMN moved_at INTEGER;
ALTER TABLE station ADD COLUMN removed_at INTEGER;
ALTER TABLE station ADD COLUMN settle_days REAL;
ALTER TABLE station ADD COLUMN stands_for TEXT NOT NULL DEFAULT '[]';
CREATE TABLE device (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, type TEXT NOT NULL, serial TEXT NOT NULL DEFAULT '',
  batch TEXT NOT NULL DEFAULT '', cost REAL, bought_on TEXT, shelf TEXT NOT NULL DEFAULT '',
  note TEXT NOT NULL DEFAULT '', deleted_at INTEGER
);
CREATE TABLE device_calibration (
  id INTEGER PRIMARY KEY, device_id INTEGER NOT NULL REFERENCES device ON DELETE CASCADE,
  valid_from INTEGER NOT NULL, slope REAL NOT NULL, intercept REAL NOT NULL, rmse_theta REAL,
  note TEXT NOT NULL DEFAULT '', UNIQUE (device_id, valid_from)
);
CREATE TABLE placement (
  id INTEGER PRIMARY KEY, sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE,
  device_id INTEGER NOT NULL REFERENCES device, since INTEGER NOT NULL, until INTEGER, why TEXT NOT NULL DEFAULT '',
  UNIQUE (sensor_id, since)
);
CREATE INDEX placement_device ON placement (device_id);
CREATE TABLE record (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, key TEXT NOT NULL, subject TEXT NOT NULL DEFAULT '',
  body TEXT NOT NULL, deleted_at INTEGER, UNIQUE (kind, key)
);
CREATE INDEX record_subject ON record (subject, kind);
CREATE TABLE photo (key TEXT PRIMARY KEY, media_type TEXT NOT NULL, data BLOB NOT NULL) WITHOUT ROWID;
"""
