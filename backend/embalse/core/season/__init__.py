"""Seasons: plantings one after another, and the account of their water."""
