"""Faults and rollups of readings, and answers as known then."""
