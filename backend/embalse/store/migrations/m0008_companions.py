"""What else is measured at a sensor's depth: soil temperature and salinity, as companions of the sensor."""

STATEMENTS = """
CREATE TABLE sensor_new (
  id INTEGER PRIMARY KEY, station_id INTEGER NOT NULL REFERENCES station ON DELETE CASCADE,
  key TEXT NOT NULL, type TEXT NOT NULL, depth_cm REAL NOT NULL, channel TEXT NOT NULL DEFAULT '',
  raw_unit TEXT NOT NULL, quantity TEXT NOT NULL DEFAULT 'water',
  companion_of INTEGER REFERENCES sensor ON DELETE CASCADE, UNIQUE (station_id, key)
);
INSERT INTO sensor_new (id, station_id, key, type, depth_cm, channel, raw_unit)
  SELECT id, station_id, key, type, depth_cm, channel, raw_unit FROM sensor;
DROP TABLE sensor;
ALTER TABLE sensor_new RENAME TO sensor;
CREATE UNIQUE INDEX sensor_depth ON sensor (station_id, depth_cm) WHERE companion_of IS NULL;
CREATE INDEX sensor_channel ON sensor (channel);
CREATE INDEX sensor_companion ON sensor (companion_of);
"""
