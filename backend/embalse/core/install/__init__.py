"""Putting sensors in: what to measure, where, how, and whether it was done well."""
