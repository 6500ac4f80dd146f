"""How large a slow fault is, so that the answer can widen by it."""

STATEMENTS = """
ALTER TABLE fault ADD COLUMN size REAL NOT NULL DEFAULT 0;
"""
