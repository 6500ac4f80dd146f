"""What a soil holds: texture, retention, horizons, layers, marks."""
