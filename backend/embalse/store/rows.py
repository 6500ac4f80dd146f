"""What the store hands out: plain frozen rows; no peewee object leaves this folder."""

from dataclasses import dataclass


@dataclass(frozen=True)
class FarmRow:
    """The farm; ``clock_at`` is the held clock [s, UTC] or None."""

    name: str
    time_zone: str
    units: str
    clock_at: int | None


@dataclass(frozen=True)
class HorizonRow:
    """A horizon of a soil, depths in cm, marks in m³/m³."""

    soil_id: int
    top_cm: float
    bottom_cm: float
    sand_fraction: float
    clay_fraction: float
    organic_matter_pct: float
    stones_fraction: float
    bulk_density_g_cm3: float | None
    full_theta: float | None
    full_reason: str | None
    refill_theta: float | None
    refill_reason: str | None
    wilting_theta: float | None
    wilting_reason: str | None
    restricts_roots: bool


@dataclass(frozen=True)
class SupplyRow:
    """A pump or turnout; tariffs as JSON text."""

    id: int
    key: str
    name: str
    flow_m3_h: float | None
    hours_per_day: float | None
    tariffs: str


@dataclass(frozen=True)
class SystemRow:
    """An irrigation system; pivot and furrows as JSON text."""

    id: int
    key: str
    name: str
    kind: str
    efficiency_fraction: float
    rate_mm_h: float | None
    flow_l_h: float | None
    spacing_m: float | None
    line_spacing_m: float | None
    per_point: float
    pivot: str
    furrows: str


@dataclass(frozen=True)
class BlockRow:
    """A block."""

    id: int
    key: str
    name: str
    area_ha: float
    crop: str
    variety: str
    planting_date: str | None
    soil_id: int
    system_id: int | None
    root_depth_cm: float | None
    root_depth_start_cm: float | None
    full_root_date: str | None
    allowable_depletion_fraction: float | None
    wetted_fraction: float
    min_set_mm: float | None
    max_set_mm: float | None
    supply_id: int | None
    slope_pct: float | None
    crop_values: str = "{}"


@dataclass(frozen=True)
class LandRow:
    """What a block's set-up holds beside the arithmetic: spacings [m], outline and crop values as JSON text."""

    block_key: str
    row_spacing_m: float | None
    plant_spacing_m: float | None
    outline: str
    crop_values: str


@dataclass(frozen=True)
class StationRow:
    """A station of a block."""

    id: int
    block_id: int
    key: str
    name: str
    bottom_cm: float | None
    longitude: float | None
    latitude: float | None
    installed_at: int | None
    moved_at: int | None
    removed_at: int | None
    settle_days: float | None
    stands_for: str
    read_every_days: float | None


@dataclass(frozen=True)
class SensorRow:
    """A sensor with the keys of its station and block; ``ref`` is block/station/sensor.

    Soil temperature and salinity are companions of the sensor whose depth they are measured at.
    """

    id: int
    station_id: int
    key: str
    type: str
    depth_cm: float
    channel: str
    raw_unit: str
    ref: str
    quantity: str = "water"
    companion_of: int | None = None
    gauge_above_cm: float | None = None


@dataclass(frozen=True)
class CalibrationRow:
    """A calibration of a sensor; ``curve`` is JSON text, null for a straight line; entered and withdrawn [s, UTC]."""

    sensor_id: int
    valid_from: int
    slope: float
    intercept: float
    rmse_theta: float | None
    note: str
    curve: str = "null"
    entered_at: int | None = None
    withdrawn_at: int | None = None

    def known(self, now: float) -> bool:
        """Whether it was known, and not yet withdrawn, at an instant [s, UTC]."""
        entered = self.entered_at is None or self.entered_at <= now
        return entered and (self.withdrawn_at is None or self.withdrawn_at > now)


@dataclass(frozen=True)
class PlacementRow:
    """A device in a sensor's place [s, UTC]; ``sensor_ref`` is block/station/sensor."""

    sensor_id: int
    sensor_ref: str
    device_id: int
    device_key: str
    since: int
    until: int | None
    why: str


@dataclass(frozen=True)
class DeviceRow:
    """A device of the register."""

    id: int
    key: str
    type: str
    serial: str
    batch: str
    cost: float | None
    bought_on: str | None
    shelf: str
    note: str
    deleted_at: int | None


@dataclass(frozen=True)
class RecordRow:
    """A record with its body as JSON text."""

    kind: str
    key: str
    subject: str
    body: str


@dataclass(frozen=True)
class GatewayRow:
    """A device that sends readings [s, UTC; V; dBm]; ``stations`` as JSON text, empty for all."""

    id: int
    key: str
    name: str
    stations: str
    created_at: int
    revoked_at: int | None
    last_seen_at: int | None
    battery_v: float | None
    signal_dbm: float | None


@dataclass(frozen=True)
class FaultRow:
    """A fault of a sensor [s, UTC]; ``verdict`` is empty until a person accepts or overrules it."""

    id: int
    sensor_id: int
    fault: str
    start_at: int
    end_at: int
    known_at: int
    readings: int
    reason: str
    verdict: str
    note: str
    who: str
    decided_at: int | None
    size: float


@dataclass(frozen=True)
class SuspicionRow:
    """Two depths suspected to be crossed; the last wetting that said so [s, UTC]."""

    id: int
    station_id: int
    upper: str
    lower: str
    against: int
    wettings: int
    words: str
    last_at: int
    verdict: str
    note: str
    who: str


@dataclass(frozen=True)
class SetRow:
    """A set: block key, start and end [s, UTC], gross depth [mm]."""

    block_key: str
    start_at: int
    end_at: int
    gross_mm: float
    note: str


@dataclass(frozen=True)
class FarmRows:
    """Everything that describes the blocks asked for."""

    blocks: list[BlockRow]
    horizons: dict[int, list[HorizonRow]]
    systems: dict[int, SystemRow]
    stations: dict[int, list[StationRow]]
    sensors: dict[int, list[SensorRow]]
    calibrations: dict[int, list[CalibrationRow]]
    supplies: dict[int, SupplyRow]
    placements: dict[int, list[PlacementRow]]
    companions: dict[int, list[SensorRow]]
    device_calibrations: dict[int, list[CalibrationRow]]
    soil_keys: dict[int, str]
    chosen: list[RecordRow]


@dataclass(frozen=True)
class PersonRow:
    """Somebody who signs in; ``by_itself`` is the demonstration's, ``left_at`` [s, UTC] says they no longer may."""

    id: int
    sign_in: str
    name: str
    role: str
    units: str | None
    language: str
    password_hash: str | None
    session_key: str
    invite_until: int | None
    by_itself: bool
    created_at: int
    seen_at: int | None
    left_at: int | None


@dataclass(frozen=True)
class ChangeRow:
    """One line of who changed what; ``before`` and ``after`` are JSON objects."""

    id: int
    at: int
    who: str
    role: str
    kind: str
    subject: str
    what: str
    before: str
    after: str
