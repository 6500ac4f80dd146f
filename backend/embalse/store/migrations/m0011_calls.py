"""Temperatures beside reference ET; refill dates kept as they were called."""

STATEMENTS = """
ALTER TABLE eto ADD COLUMN tmax_c REAL;
ALTER TABLE eto ADD COLUMN tmin_c REAL;
CREATE TABLE refill_call (
  id INTEGER PRIMARY KEY, block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE, day INTEGER NOT NULL,
  low_days REAL, mid_days REAL, high_days REAL, straight_days REAL, depletion_mm REAL, trigger_mm REAL, use_factor REAL,
  made_at INTEGER NOT NULL
);
CREATE UNIQUE INDEX refill_call_day ON refill_call (block_id, day);
"""
