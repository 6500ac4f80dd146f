"""Tables as peewee models; the schema itself is made by the migrations."""

import json
from typing import Any

from peewee import (
    AutoField,
    BlobField,
    BooleanField,
    CompositeKey,
    FloatField,
    ForeignKeyField,
    IntegerField,
    Model,
    TextField,
)

from embalse.store.database import database


class Table(Model):
    """A table of the farm's file."""

    class Meta:
        database = database
        legacy_table_names = False


class JsonText(TextField):
    """A value kept as JSON text, always written the same way."""

    def db_value(self, value: Any) -> str:
        """Text of a value."""
        return json.dumps(value, ensure_ascii=False, sort_keys=True)

    def python_value(self, value: str) -> Any:
        """Value of a text."""
        return json.loads(value)


class Farm(Table):
    """The one farm of a file; ``clock_at`` holds the clock still for a demonstration [s, UTC]."""

    id = IntegerField(primary_key=True)
    name = TextField()
    time_zone = TextField()
    units = TextField()
    clock_at = IntegerField(null=True)
    known_since = IntegerField(null=True)


class Soil(Table):
    """A soil used by one block or several."""

    id = AutoField()
    key = TextField(unique=True)
    name = TextField()


class Horizon(Table):
    """A horizon of a soil."""

    id = AutoField()
    soil = ForeignKeyField(Soil, backref="horizons", on_delete="CASCADE")
    top_cm = FloatField()
    bottom_cm = FloatField()
    sand_fraction = FloatField()
    clay_fraction = FloatField()
    organic_matter_pct = FloatField()
    stones_fraction = FloatField()
    bulk_density_g_cm3 = FloatField(null=True)
    full_theta = FloatField(null=True)
    full_reason = TextField(null=True)
    refill_theta = FloatField(null=True)
    refill_reason = TextField(null=True)
    wilting_theta = FloatField(null=True)
    wilting_reason = TextField(null=True)
    restricts_roots = BooleanField(default=False)


class Supply(Table):
    """A pump or turnout."""

    id = AutoField()
    key = TextField(unique=True)
    name = TextField()
    flow_m3_h = FloatField(null=True)
    hours_per_day = FloatField(null=True)
    tariffs = JsonText(default=list)


class System(Table):
    """An irrigation system."""

    id = AutoField()
    key = TextField(unique=True)
    name = TextField()
    kind = TextField()
    efficiency_fraction = FloatField()
    rate_mm_h = FloatField(null=True)
    flow_l_h = FloatField(null=True)
    spacing_m = FloatField(null=True)
    line_spacing_m = FloatField(null=True)
    per_point = FloatField(default=1)
    pivot = JsonText(default=None)
    furrows = JsonText(default=None)


class Block(Table):
    """An irrigation management unit."""

    id = AutoField()
    key = TextField(unique=True)
    name = TextField()
    area_ha = FloatField()
    crop = TextField()
    variety = TextField(default="")
    planting_date = TextField(null=True)
    soil = ForeignKeyField(Soil, backref="blocks")
    system = ForeignKeyField(System, backref="blocks", null=True)
    root_depth_cm = FloatField(null=True)
    root_depth_start_cm = FloatField(null=True)
    full_root_date = TextField(null=True)
    allowable_depletion_fraction = FloatField(null=True)
    wetted_fraction = FloatField()
    min_set_mm = FloatField(null=True)
    max_set_mm = FloatField(null=True)
    supply = ForeignKeyField(Supply, backref="blocks", null=True)
    slope_pct = FloatField(null=True)
    row_spacing_m = FloatField(null=True)
    plant_spacing_m = FloatField(null=True)
    outline = JsonText(default=None)
    crop_values = JsonText(default=dict)


class Station(Table):
    """A place in a block with sensors at several depths."""

    id = AutoField()
    block = ForeignKeyField(Block, backref="stations", on_delete="CASCADE")
    key = TextField()
    name = TextField()
    bottom_cm = FloatField(null=True)
    longitude = FloatField(null=True)
    latitude = FloatField(null=True)
    installed_at = IntegerField(null=True)
    moved_at = IntegerField(null=True)
    removed_at = IntegerField(null=True)
    settle_days = FloatField(null=True)
    stands_for = JsonText(default=list)
    read_every_days = FloatField(null=True)


class Sensor(Table):
    """A sensor at one depth."""

    id = AutoField()
    station = ForeignKeyField(Station, backref="sensors", on_delete="CASCADE")
    key = TextField()
    type = TextField()
    depth_cm = FloatField()
    channel = TextField(default="")
    raw_unit = TextField()
    quantity = TextField(default="water")
    companion_of = IntegerField(null=True)
    gauge_above_cm = FloatField(null=True)


class Calibration(Table):
    """A dated calibration: a straight line, or another curve as JSON; a change makes a new version."""

    id = AutoField()
    sensor = ForeignKeyField(Sensor, backref="calibrations", on_delete="CASCADE")
    valid_from = IntegerField()
    slope = FloatField()
    intercept = FloatField()
    rmse_theta = FloatField(null=True)
    note = TextField(default="")
    curve = JsonText(default=None)
    entered_at = IntegerField(null=True)
    withdrawn_at = IntegerField(null=True)


class Device(Table):
    """A sensor as a thing with a serial number, wherever it is."""

    id = AutoField()
    key = TextField(unique=True)
    type = TextField()
    serial = TextField(default="")
    batch = TextField(default="")
    cost = FloatField(null=True)
    bought_on = TextField(null=True)
    shelf = TextField(default="")
    note = TextField(default="")
    deleted_at = IntegerField(null=True)


class DeviceCalibration(Table):
    """A calibration that goes with a device."""

    id = AutoField()
    device = ForeignKeyField(Device, backref="calibrations", on_delete="CASCADE")
    valid_from = IntegerField()
    slope = FloatField()
    intercept = FloatField()
    rmse_theta = FloatField(null=True)
    note = TextField(default="")
    curve = JsonText(default=None)
    entered_at = IntegerField(null=True)
    withdrawn_at = IntegerField(null=True)


class Placement(Table):
    """A device in a sensor's place from one instant to another."""

    id = AutoField()
    sensor = ForeignKeyField(Sensor, backref="placements", on_delete="CASCADE")
    device = ForeignKeyField(Device, backref="placements")
    since = IntegerField()
    until = IntegerField(null=True)
    why = TextField(default="")


class Record(Table):
    """A record of the field or the bench, whole as it was written."""

    id = AutoField()
    kind = TextField()
    key = TextField()
    subject = TextField(default="")
    body = JsonText()
    deleted_at = IntegerField(null=True)


class Gateway(Table):
    """A device that sends readings; its token is kept as a hash only."""

    id = AutoField()
    key = TextField(unique=True)
    name = TextField()
    token_hash = TextField(unique=True)
    stations = JsonText(default=list)
    created_at = IntegerField()
    revoked_at = IntegerField(null=True)
    last_seen_at = IntegerField(null=True)
    battery_v = FloatField(null=True)
    signal_dbm = FloatField(null=True)


class Photo(Table):
    """A photo by the hash of its content."""

    key = TextField(primary_key=True)
    media_type = TextField()
    data = BlobField()

    class Meta:
        without_rowid = True


class ImportJob(Table):
    """One import: what was read, what was new, what was refused."""

    id = AutoField()
    file_name = TextField()
    sha256 = TextField()
    status = TextField()
    started_at = IntegerField()
    finished_at = IntegerField(null=True)
    rows_read = IntegerField(default=0)
    readings_new = IntegerField(default=0)
    readings_known = IntegerField(default=0)
    cells_empty = IntegerField(default=0)
    refused = IntegerField(default=0)
    out_of_order = IntegerField(default=0)
    first_at = IntegerField(null=True)
    last_at = IntegerField(null=True)
    message = TextField(default="")


class ImportRefusal(Table):
    """A refused cell or row of an import."""

    id = AutoField()
    job = ForeignKeyField(ImportJob, backref="refusals", on_delete="CASCADE")
    line = IntegerField()
    column_name = TextField()
    reason = TextField()
    text = TextField()


class ImportProfile(Table):
    """A remembered way to read a kind of file."""

    id = AutoField()
    name = TextField(unique=True)
    signature = TextField()
    plan = TextField()


class Reading(Table):
    """A raw value as received, never changed."""

    sensor = ForeignKeyField(Sensor)
    ts = IntegerField()
    value = FloatField(column_name="raw")
    job = ForeignKeyField(ImportJob)

    class Meta:
        primary_key = CompositeKey("sensor", "ts")
        without_rowid = True


class Dawn(Table):
    """Median raw value of a sensor around one dawn, kept up as readings come in."""

    sensor = ForeignKeyField(Sensor)
    day = IntegerField()
    value = FloatField(column_name="raw")
    count = IntegerField()

    class Meta:
        primary_key = CompositeKey("sensor", "day")
        without_rowid = True


class FaultFound(Table):
    """A fault in a sensor's readings."""

    id = AutoField()
    sensor = ForeignKeyField(Sensor, backref="faults", on_delete="CASCADE")
    fault = TextField()
    start_at = IntegerField()
    end_at = IntegerField()
    known_at = IntegerField()
    readings = IntegerField()
    reason = TextField()
    verdict = TextField(default="")
    note = TextField(default="")
    who = TextField(default="")
    decided_at = IntegerField(null=True)
    size = FloatField(default=0.0)

    class Meta:
        table_name = "fault"


class Suspicion(Table):
    """Two depths of a station suspected to be wired the wrong way round."""

    id = AutoField()
    station = ForeignKeyField(Station, backref="suspicions", on_delete="CASCADE")
    upper = TextField()
    lower = TextField()
    against = IntegerField()
    wettings = IntegerField()
    words = TextField()
    last_at = IntegerField()
    verdict = TextField(default="")
    note = TextField(default="")
    who = TextField(default="")
    decided_at = IntegerField(null=True)
    found_at = IntegerField()


class SetLog(Table):
    """An irrigation that was applied."""

    id = AutoField()
    block = ForeignKeyField(Block, backref="sets", on_delete="CASCADE")
    start_at = IntegerField()
    end_at = IntegerField()
    gross_mm = FloatField()
    note = TextField(default="")
    deleted_at = IntegerField(null=True)


class Rain(Table):
    """Rain of one farm-local day."""

    id = AutoField()
    day = IntegerField(unique=True)
    depth_mm = FloatField()
    note = TextField(default="")
    deleted_at = IntegerField(null=True)


class Eto(Table):
    """Reference evapotranspiration of one farm-local day."""

    id = AutoField()
    day = IntegerField(unique=True)
    eto_mm = FloatField()
    note = TextField(default="")
    tmax_c = FloatField(null=True)
    tmin_c = FloatField(null=True)
    wind_2m_m_s = FloatField(null=True)
    rh_min_pct = FloatField(null=True)
    deleted_at = IntegerField(null=True)


class KeptForecast(Table):
    """A refill date as it was called on a morning, kept to be held against what came [days from that morning]."""

    id = AutoField()
    block = ForeignKeyField(Block, backref="calls", on_delete="CASCADE")
    day = IntegerField()
    low_days = FloatField(null=True)
    mid_days = FloatField(null=True)
    high_days = FloatField(null=True)
    straight_days = FloatField(null=True)
    depletion_mm = FloatField(null=True)
    trigger_mm = FloatField(null=True)
    use_factor = FloatField(null=True)
    made_at = IntegerField()

    class Meta:
        table_name = "refill_call"


class Person(Table):
    """Somebody who signs in."""

    id = AutoField()
    sign_in = TextField(unique=True)
    name = TextField()
    role = TextField()
    units = TextField(null=True)
    language = TextField(default="en")
    password_hash = TextField(null=True)
    session_key = TextField()
    invite_hash = TextField(null=True, unique=True)
    invite_until = IntegerField(null=True)
    by_itself = BooleanField(default=False)
    created_at = IntegerField()
    seen_at = IntegerField(null=True)
    left_at = IntegerField(null=True)
