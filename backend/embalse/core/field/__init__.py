"""What the field itself shows: wettings, uptake, drain-downs, and what the weeks say."""
