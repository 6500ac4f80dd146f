"""Reference ET, the days ahead, and which rain counts."""
