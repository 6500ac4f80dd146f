"""Which row a change was of, so that it can be undone for an answer as known then; since when that is kept.

Faults that no longer are any by a later set-up are kept too, with when they went.
"""

STATEMENTS = """
ALTER TABLE change ADD COLUMN of_table TEXT NOT NULL DEFAULT '';
ALTER TABLE change ADD COLUMN row_id INTEGER;
CREATE TABLE fault_gone (
  id INTEGER PRIMARY KEY, sensor_id INTEGER NOT NULL REFERENCES sensor ON DELETE CASCADE, fault TEXT NOT NULL,
  start_at INTEGER NOT NULL, end_at INTEGER NOT NULL, known_at INTEGER NOT NULL, gone_at INTEGER NOT NULL,
  readings INTEGER NOT NULL, reason TEXT NOT NULL, size REAL NOT NULL
);
ALTER TABLE farm ADD COLUMN known_since INTEGER;
UPDATE farm SET known_since = COALESCE(clock_at, CAST(strftime('%s', 'now') AS INTEGER));
"""
