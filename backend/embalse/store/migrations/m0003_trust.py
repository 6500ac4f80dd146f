"""Faults found in readings, with what people say of them; pairs of depths suspected to be crossed."""

STATEMENTS = """
CREATE TABLE fault (
  id INTEGER PRIMARY KEY, sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE, fault TEXT NOT NULL,
  start_at INTEGER NOT NULL, end_at INTEGER NOT NULL, known_at INTEGER NOT NULL, readings INTEGER NOT NULL,
  reason TEXT NOT NULL, verdict TEXT NOT NULL DEFAULT '' CHECK (verdict IN ('', 'accepted', 'overruled')),
  note TEXT NOT NULL DEFAULT '', who TEXT NOT NULL DEFAULT '', decided_at INTEGER,
  UNIQUE (sensor_id, fault, start_at)
);
CREATE INDEX fault_span ON fault (sensor_id, end_at);
CREATE TABLE suspicion (
  id INTEGER PRIMARY KEY, station_id INTEGER NOT NULL REFERENCES station ON DELETE CASCADE,
  upper TEXT NOT NULL, lower TEXT NOT NULL, against INTEGER NOT NULL, wettings INTEGER NOT NULL, words TEXT NOT NULL,
  last_at INTEGER NOT NULL, verdict TEXT NOT NULL DEFAULT '' CHECK (verdict IN ('', 'accepted', 'overruled')),
  note TEXT NOT NULL DEFAULT '', who TEXT NOT NULL DEFAULT '', decided_at INTEGER, UNIQUE (station_id, upper, lower)
);
"""
