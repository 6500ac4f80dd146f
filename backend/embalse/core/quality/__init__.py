"""What of the readings is not to be believed."""
