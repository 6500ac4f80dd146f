"""How often a station is read by hand."""

STATEMENTS = """
ALTER TABLE station ADD COLUMN read_every_days REAL;
"""
