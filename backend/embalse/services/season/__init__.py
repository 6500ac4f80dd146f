"""Seasons of the farm: plantings and water accounts."""
