"""Hourly values of each sensor, a day a row, kept up as readings come in."""

STATEMENTS = """
CREATE TABLE hours (
  sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE, day INTEGER NOT NULL, raw BLOB NOT NULL,
  PRIMARY KEY (sensor_id, day)
) WITHOUT ROWID;
"""
