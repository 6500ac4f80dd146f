"""Each morning's answer as it was given."""

STATEMENTS = """
CREATE TABLE kept_answer (
  block_id INTEGER NOT NULL REFERENCES block ON DELETE CASCADE, day INTEGER NOT NULL, said TEXT NOT NULL,
  made_at INTEGER NOT NULL, PRIMARY KEY (block_id, day)
) WITHOUT ROWID;
"""
