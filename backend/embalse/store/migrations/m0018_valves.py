"""Valve controllers, the commands sent to them, and the address of a calendar feed."""

STATEMENTS = """
CREATE TABLE controller (
  id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, name TEXT NOT NULL, supply TEXT NOT NULL UNIQUE, url TEXT NOT NULL,
  token TEXT NOT NULL, valves TEXT NOT NULL, last_seq INTEGER NOT NULL DEFAULT 0,
  log_base INTEGER NOT NULL DEFAULT 0, seen_at INTEGER,
  clock_off_s REAL, tries INTEGER NOT NULL DEFAULT 0, next_try_at INTEGER, trouble TEXT NOT NULL DEFAULT '',
  state TEXT NOT NULL DEFAULT '{}'
);
CREATE TABLE valve_command (
  id TEXT PRIMARY KEY, controller_id INTEGER NOT NULL REFERENCES controller ON DELETE CASCADE, planned TEXT NOT NULL,
  valve TEXT NOT NULL, action TEXT NOT NULL, longest_s INTEGER NOT NULL, made_at INTEGER NOT NULL, sent_at INTEGER,
  confirmed_at INTEGER, refused TEXT NOT NULL DEFAULT ''
) WITHOUT ROWID;
CREATE TABLE valve_event (
  controller_id INTEGER NOT NULL REFERENCES controller ON DELETE CASCADE, seq INTEGER NOT NULL, at INTEGER NOT NULL,
  valve TEXT NOT NULL, what TEXT NOT NULL, command TEXT NOT NULL, value REAL, PRIMARY KEY (controller_id, seq)
) WITHOUT ROWID;
CREATE TABLE line_reading (
  supply TEXT NOT NULL, at INTEGER NOT NULL, pressure INTEGER, meter_m3 REAL, PRIMARY KEY (supply, at)
) WITHOUT ROWID;
CREATE TABLE calendar_feed (
  id INTEGER PRIMARY KEY, token_hash TEXT NOT NULL UNIQUE, name TEXT NOT NULL, created_at INTEGER NOT NULL,
  revoked_at INTEGER, last_seen_at INTEGER
);
"""
