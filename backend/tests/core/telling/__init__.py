"""When people are told what."""
