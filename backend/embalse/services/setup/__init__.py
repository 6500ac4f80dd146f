"""Blocks, stations and the bench."""
