"""Devices that send readings by themselves: tokens kept as hashes, last seen, battery and signal."""

STATEMENTS = """
CREATE TABLE gateway (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, token_hash TEXT NOT NULL UNIQUE,
  stations TEXT NOT NULL DEFAULT '[]', created_at INTEGER NOT NULL, revoked_at INTEGER, last_seen_at INTEGER,
  battery_v REAL, signal_dbm REAL
);
"""
