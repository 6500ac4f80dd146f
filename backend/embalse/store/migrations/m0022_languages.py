"""The language a person reads in."""

STATEMENTS = """
ALTER TABLE person ADD COLUMN language TEXT NOT NULL DEFAULT 'en';
"""
