"""Sessions that were ended by signing out: a copy of their cookie opens nothing any more."""

STATEMENTS = """
CREATE TABLE ended_session (sid_hash TEXT PRIMARY KEY, until INTEGER NOT NULL) WITHOUT ROWID;
"""
