"""First schema: farm, soils, systems, blocks, stations, sensors, calibrations, readings, sets, rain, imports."""

STATEMENTS = """
CREATE TABLE farm (
  id INTEGER PRIMARY KEY CHECK (id = 1), name TEXT NOT NULL, time_zone TEXT NOT NULL,
  units TEXT NOT NULL CHECK (units IN ('metric', 'us')), clock_at INTEGER
);
CREATE TABLE soil (id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL);
CREATE TABLE horizon (
  id INTEGER PRIMARY KEY, soil_id INTEGER NOT NULL REFERENCES soil ON DELETE CASCADE,
  top_cm REAL NOT NULL, bottom_cm REAL NOT NULL CHECK (bottom_cm > top_cm),
  sand_fraction REAL NOT NULL, clay_fraction REAL NOT NULL, organic_matter_pct REAL NOT NULL,
  stones_fraction REAL NOT NULL, bulk_density_g_cm3 REAL,
  full_theta REAL, full_reason TEXT, refill_theta REAL, refill_reason TEXT, wilting_theta REAL, wilting_reason TEXT
);
CREATE INDEX horizon_soil ON horizon (soil_id, top_cm);
CREATE TABLE system (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('drip', 'micro', 'sprinkler')),
  efficiency_fraction REAL NOT NULL CHECK (efficiency_fraction > 0 AND efficiency_fraction <= 1),
  rate_mm_h REAL, flow_l_h REAL, spacing_m REAL, line_spacing_m REAL, per_point REAL NOT NULL DEFAULT 1
);
CREATE TABLE block (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, area_ha REAL NOT NULL, crop TEXT NOT NULL,
  variety TEXT NOT NULL DEFAULT '', planting_date TEXT,
  soil_id INTEGER NOT NULL REFERENCES soil, system_id INTEGER REFERENCES system,
  root_depth_cm REAL, root_depth_start_cm REAL, full_root_date TEXT, allowable_depletion_fraction REAL,
  wetted_fraction REAL NOT NULL, min_set_mm REAL, max_set_mm REAL
);
CREATE INDEX block_soil ON block (soil_id);
CREATE INDEX block_system ON block (system_id);
CREATE TABLE station (
  id INTEGER PRIMARY KEY, block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE,
  key TEXT NOT NULL, name TEXT NOT NULL, bottom_cm REAL, UNIQUE (block_id, key)
);
CREATE TABLE sensor (
  id INTEGER PRIMARY KEY, station_id INTEGER NOT NULL REFERENCES station ON DELETE CASCADE,
  key TEXT NOT NULL, type TEXT NOT NULL, depth_cm REAL NOT NULL, channel TEXT NOT NULL DEFAULT '',
  raw_unit TEXT NOT NULL, UNIQUE (station_id, key), UNIQUE (station_id, depth_cm)
);
CREATE INDEX sensor_channel ON sensor (channel);
CREATE TABLE calibration (
  id INTEGER PRIMARY KEY, sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE,
  valid_from INTEGER NOT NULL, slope REAL NOT NULL, intercept REAL NOT NULL, rmse_theta REAL,
  note TEXT NOT NULL DEFAULT '', UNIQUE (sensor_id, valid_from)
);
CREATE TABLE import_job (
  id INTEGER PRIMARY KEY, file_name TEXT NOT NULL, sha256 TEXT NOT NULL, status TEXT NOT NULL,
  started_at INTEGER NOT NULL, finished_at INTEGER, rows_read INTEGER NOT NULL DEFAULT 0,
  readings_new INTEGER NOT NULL DEFAULT 0, readings_known INTEGER NOT NULL DEFAULT 0,
  cells_empty INTEGER NOT NULL DEFAULT 0, refused INTEGER NOT NULL DEFAULT 0,
  out_of_order INTEGER NOT NULL DEFAULT 0, first_at INTEGER, last_at INTEGER, message TEXT NOT NULL DEFAULT ''
);
CREATE TABLE import_refusal (
  id INTEGER PRIMARY KEY, job_id INTEGER NOT NULL REFERENCES import_job ON DELETE CASCADE,
  line INTEGER NOT NULL, column_name TEXT NOT NULL, reason TEXT NOT NULL, text TEXT NOT NULL
);
CREATE INDEX import_refusal_job ON import_refusal (job_id, line);
CREATE TABLE import_profile (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, signature TEXT NOT NULL, plan TEXT NOT NULL
);
CREATE INDEX import_profile_signature ON import_profile (signature);
CREATE TABLE reading (
  sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE, ts INTEGER NOT NULL, raw REAL NOT NULL,
  job_id INTEGER NOT NULL REFERENCES import_job, PRIMARY KEY (sensor_id, ts)
) WITHOUT ROWID;
CREATE TABLE dawn (
  sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE, day INTEGER NOT NULL, raw REAL NOT NULL,
  count INTEGER NOT NULL, PRIMARY KEY (sensor_id, day)
) WITHOUT ROWID;
CREATE TABLE set_log (
  id INTEGER PRIMARY KEY, block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE,
  start_at INTEGER NOT NULL, end_at INTEGER NOT NULL, gross_mm REAL NOT NULL, note TEXT NOT NULL DEFAULT '',
  UNIQUE (block_id, start_at)
);
CREATE TABLE rain (
  id INTEGER PRIMARY KEY, day INTEGER NOT NULL UNIQUE, depth_mm REAL NOT NULL, note TEXT NOT NULL DEFAULT ''
);
"""
