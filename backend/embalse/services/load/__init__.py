"""Stored rows as the core's values, at a moment."""
