"""Tokens that read only, what people want to be told by mail, and the messages themselves."""

STATEMENTS = """
CREATE TABLE reading_token (
  id INTEGER PRIMARY KEY, token_hash TEXT NOT NULL UNIQUE, name TEXT NOT NULL, created_at INTEGER NOT NULL,
  revoked_at INTEGER, last_seen_at INTEGER
);
CREATE TABLE message_choice (
  person_id INTEGER PRIMARY KEY REFERENCES person ON DELETE CASCADE, email TEXT NOT NULL DEFAULT '',
  morning_hour INTEGER, alerts INTEGER NOT NULL DEFAULT 0,
  quiet_from INTEGER NOT NULL DEFAULT 21, quiet_until INTEGER NOT NULL DEFAULT 6
);
CREATE TABLE message (
  id INTEGER PRIMARY KEY, person_id INTEGER NOT NULL REFERENCES person ON DELETE CASCADE, about TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('morning', 'alert', 'trial')), title TEXT NOT NULL, plain TEXT NOT NULL,
  html TEXT NOT NULL, made_at INTEGER NOT NULL, not_before INTEGER NOT NULL, sent_at INTEGER,
  tries INTEGER NOT NULL DEFAULT 0, next_try_at INTEGER, trouble TEXT NOT NULL DEFAULT '',
  UNIQUE (person_id, about)
);
CREATE INDEX message_unsent ON message (sent_at, next_try_at);
"""
