"""From raw values to water, for every kind of sensor."""
