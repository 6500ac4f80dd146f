"""People, copies and who changed what."""
