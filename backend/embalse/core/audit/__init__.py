"""A set held against what the probes saw of it."""
