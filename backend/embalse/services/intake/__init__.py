"""Readings and weather coming in."""
