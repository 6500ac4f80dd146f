"""People who sign in, and who changed what."""

STATEMENTS = """
CREATE TABLE person (
    id INTEGER PRIMARY KEY,
    sign_in TEXT NOT NULL UNIQUE COLLATE NOCASE,
    name TEXT NOT NULL,
    role TEXT NOT NULL,
    units TEXT,
    password_hash TEXT,
    session_key TEXT NOT NULL,
    invite_hash TEXT UNIQUE,
    invite_until INTEGER,
    by_itself INTEGER NOT NULL DEFAULT 0,
    created_at INTEGER NOT NULL,
    seen_at INTEGER,
    left_at INTEGER
) STRICT;

CREATE TABLE change (
    id INTEGER PRIMARY KEY,
    at INTEGER NOT NULL,
    person_id INTEGER REFERENCES person(id),
    who TEXT NOT NULL,
    role TEXT NOT NULL,
    kind TEXT NOT NULL,
    subject TEXT NOT NULL,
    what TEXT NOT NULL,
    before TEXT NOT NULL,
    after TEXT NOT NULL
) STRICT;
CREATE INDEX change_at ON change(at);
CREATE INDEX change_subject ON change(subject);
"""
