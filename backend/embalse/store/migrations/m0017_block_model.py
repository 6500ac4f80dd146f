"""The model of each block as it was fitted on a morning, and where it goes from there."""

STATEMENTS = """
CREATE TABLE block_fit (
  block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE, day INTEGER NOT NULL, facts TEXT NOT NULL,
  body BLOB NOT NULL, made_at INTEGER NOT NULL, PRIMARY KEY (block_id, day, facts)
) WITHOUT ROWID;
CREATE TABLE block_ahead (
  block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE, start_at INTEGER NOT NULL, set_up TEXT NOT NULL,
  storage_mm REAL NOT NULL, body BLOB NOT NULL, PRIMARY KEY (block_id, start_at)
) WITHOUT ROWID;
"""
