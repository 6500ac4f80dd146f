"""When crossed wires were first suspected: an answer about a moment before does not know of it."""

STATEMENTS = """
ALTER TABLE suspicion ADD COLUMN found_at INTEGER NOT NULL DEFAULT 0;
UPDATE suspicion SET found_at = last_at;
"""
