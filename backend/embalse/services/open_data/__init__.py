"""The farm's tables, drawings and calendars in open formats."""
