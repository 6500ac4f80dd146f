"""What the tables of a package are, and the units its columns' names end in."""

from typing import Final

TABLES: Final[dict[str, str]] = {
    "farm": "the farm: name, time zone, units",
    "soil": "soils",
    "horizon": "horizons of a soil: texture, stones, marks",
    "supply": "pumps and turnouts",
    "system": "irrigation systems",
    "block": "blocks: area, crop, roots, limits, outline",
    "station": "places with sensors",
    "sensor": "sensors by depth, with what is measured beside them",
    "calibration": "dated calibrations of a sensor's place",
    "device": "sensors as things, by serial number",
    "device_calibration": "calibrations that go with a device",
    "placement": "which device was where, from when to when",
    "reading": "raw readings as they were received",
    "dawn": "median reading around each dawn",
    "hours": "hourly readings of a day, packed",
    "fault": "readings that are not believed, and why",
    "fault_gone": "faults that were found and are no longer",
    "suspicion": "depths that may be wired the wrong way round",
    "unjudged": "readings not looked at yet",
    "set_log": "water that was given",
    "rain": "rain of a day",
    "eto": "reference evapotranspiration of a day",
    "record": "records of field and bench: plantings, rules, samples, procedures, plans … as in the farm document",
    "photo": "photographs: each is a file under photos/, by its key",
    "person": "people, without passwords",
    "change": "who changed what and when",
    "message_choice": "what people want to be told by mail",
    "gateway": "devices that send readings, without tokens",
    "controller": "valve controllers, without tokens",
    "valve_command": "commands to valves",
    "valve_event": "what valve controllers reported",
    "line_reading": "pressure switch and meter of a supply",
    "import_job": "files that were read in",
    "import_refusal": "rows that were refused",
    "import_profile": "remembered ways to read a file",
    "kept_answer": "what was said of a block each morning",
    "refill_call": "refill dates as they were called",
    "block_fit": "models of blocks as fitted, packed",
    "block_ahead": "days ahead by the model, packed",
}
UNITS: Final = (
    ("_at", "s since 1970-01-01T00:00:00Z"), ("_mm", "mm"), ("_cm", "cm"), ("_ha", "ha"), ("_m3_h", "m3/h"),
    ("_m3", "m3"), ("_l_h", "L/h"), ("_mm_h", "mm/h"), ("_fraction", "1"), ("_theta", "m3/m3"), ("_pct", "%"),
    ("_days", "d"), ("_per_day", "h/d"), ("_g_cm3", "g/cm3"), ("_m_s", "m/s"), ("_m", "m"), ("_c", "degC"),
    ("_v", "V"), ("_dbm", "dBm"), ("_s", "s"),
)  # fmt: skip
NAMED: Final = {
    "ts": "s since 1970-01-01T00:00:00Z", "at": "s since 1970-01-01T00:00:00Z", "since": "s since 1970-01-01T00:00:00Z",
    "until": "s since 1970-01-01T00:00:00Z", "valid_from": "s since 1970-01-01T00:00:00Z",
    "day": "d since 1970-01-01, farm-local", "longitude": "deg", "latitude": "deg", "raw": "the sensor's raw_unit",
}  # fmt: skip


def unit_of(column: str) -> str:
    """The unit a column's name says; empty where it has none.

    Examples
    --------
    >>> unit_of("gross_mm"), unit_of("flow_m3_h"), unit_of("name")
    ('mm', 'm3/h', '')
    """
    if column in NAMED:
        return NAMED[column]
    fitting = [(end, unit) for end, unit in UNITS if column.endswith(end)]
    return max(fitting, key=lambda pair: len(pair[0]))[1] if fitting else ""
