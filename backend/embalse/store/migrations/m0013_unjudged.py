"""Readings that came in and were not looked at yet: kept until they are, over a restart too."""

STATEMENTS = """
CREATE TABLE unjudged (
  sensor_id INTEGER PRIMARY KEY REFERENCES sensor ON DELETE CASCADE,
  start_at INTEGER NOT NULL, end_at INTEGER NOT NULL, suspect INTEGER NOT NULL DEFAULT 0
);
"""
