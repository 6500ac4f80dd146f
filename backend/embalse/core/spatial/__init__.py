"""Between the stations: maps with their doubt, places that are always dry or wet, zones."""
