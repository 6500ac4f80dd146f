"""Tables, drawings and calendars in open formats."""
