"""Weighed samples, curves and what they change."""
