"""The arithmetic of the job: pure functions on numbers; no web, no database, no clock."""
