"""Wind and the driest air of each day, by which crop coefficients follow the climate."""

STATEMENTS = """
ALTER TABLE eto ADD COLUMN wind_2m_m_s REAL;
ALTER TABLE eto ADD COLUMN rh_min_pct REAL;
"""
