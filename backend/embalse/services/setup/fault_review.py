"""What is not to be believed: faults by sensor, and what people decide of them."""

from collections.abc import Mapping, Sequence

import numpy as np
from pydantic import BaseModel

from embalse.core.quality.faults import KEPT_OUT
from embalse.core.sensors.calibration import calibration_at
from embalse.core.sensors.matrix_sensor import KOHM_OF, USUAL_TEMPERATURE_C, celsius
from embalse.core.wording import Notice, from_json
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.reader import Words, say
from embalse.services.readings import rollups
from embalse.services.readings.faults import as_it_stood, held_against, reason_of, temperatures
from embalse.services.readings.known_then import as_known_then
from embalse.services.setup.stations import station_rows
from embalse.store import farm as farm_store
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store
from embalse.store.database import transaction
from embalse.store.errors import NotFound
from embalse.store.rows import FaultRow, SensorRow

LONGEST_DAYS = 400


class FaultOut(BaseModel):
    """A fault: what, from when to when, the numbers of its rule, and what a person decided."""

    id: int
    sensor: str
    fault: str
    start: str
    end: str
    start_at: int
    end_at: int
    readings: int
    reason: Words
    kept_out: bool
    verdict: str
    note: str
    who: str


class SuspicionOut(BaseModel):
    """Two depths suspected to be wired the wrong way round."""

    id: int
    station: str
    upper: str
    lower: str
    words: Words
    verdict: str
    note: str
    who: str


class FaultsContent(BaseModel):
    """Faults and suspicions, by sensor and station."""

    faults: list[FaultOut]
    suspicions: list[SuspicionOut]


class CompanionTrace(BaseModel):
    """What else is measured at the sensor's depth."""

    quantity: str
    unit: str
    times: list[int]
    values: list[float]


class SensorPageContent(BaseModel):
    """A sensor's trace with its faults; values in ``unit``, flagged ones apart.

    ``about`` says how the values were got from what the sensor gave, where that is more than a calibration.
    """

    ref: str
    name: str
    depth_cm: float
    unit: str
    about: Words
    companions: list[CompanionTrace]
    times: list[int]
    values: list[float | None]
    flagged: list[list[float]]
    faults: list[FaultOut]
    suspicions: list[SuspicionOut]


@as_known_then
def faults_content(
    keys: Sequence[str] | None = None, days: int = LONGEST_DAYS, moment: str | None = None
) -> FaultsContent:
    """Every fault of the blocks named (all if None) in the days before a moment, as known then.

    Raises
    ------
    NotFound
        If a key names no block.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows(keys)
    found = [
        fault_out(as_it_stood(fault), sensor, farm.time_zone)
        for block in rows.blocks
        for station in rows.stations.get(block.id, [])
        for sensor in rows.sensors.get(station.id, [])
        for fault in fault_store.of_sensor(sensor.id, now - 86400 * days, now)
    ]
    refs = {s.id: f"{b.key}/{s.key}" for b in rows.blocks for s in rows.stations.get(b.id, [])}
    return FaultsContent(faults=found, suspicions=_suspicions(refs))


def _suspicions(refs: Mapping[int, str]) -> list[SuspicionOut]:
    return [
        SuspicionOut(
            id=s.id, station=refs[s.station_id], upper=s.upper, lower=s.lower, words=say(from_json(s.words)),
            verdict=s.verdict,
            note=s.note, who=s.who,
        )
        for s in fault_store.suspicions()
        if s.station_id in refs
    ]  # fmt: skip


def fault_out(row: FaultRow, sensor: SensorRow, zone: str) -> FaultOut:
    """A stored fault as it is sent out."""
    return FaultOut(
        id=row.id,
        sensor=sensor.ref,
        fault=row.fault,
        start=times.iso(row.start_at, zone) or "",
        end=times.iso(row.end_at, zone) or "",
        start_at=row.start_at,
        end_at=row.end_at,
        readings=row.readings,
        reason=say(reason_of(row)),
        kept_out=row.fault in KEPT_OUT and row.verdict != "overruled",
        verdict=row.verdict,
        note=row.note,
        who=row.who,
    )


def sensor_page(ref: str, days: int = 60) -> SensorPageContent:
    """A sensor's trace and faults over the last days; raises NotFound."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    block_key, _, rest = ref.partition("/")
    station_ref = f"{block_key}/{rest.partition('/')[0]}"
    rows, block, station = station_rows(station_ref)
    sensor = next((s for s in rows.sensors.get(station.id, []) if s.ref == ref), None)
    if sensor is None:
        raise NotFound("sensor", f"there is no sensor '{ref}'")
    cores = {s.key: s for b in core_blocks(rows, now, with_removed=True) for t in b.stations for s in t.sensors}
    series = readings_store.between(sensor.id, now - 86400 * days, now)
    warmth = temperatures(sensor, rows, (now - 86400 * days, now))
    held = held_against(cores[ref], series, warmth)
    values, tension = held.values, held.tension
    calibrated = calibration_at(cores[ref].calibrations, sensor.raw_unit, now) is not None and not tension
    shown = 100 * values if calibrated else values
    kept_out = np.zeros(len(series[0]), dtype=bool)
    for start, end in fault_store.kept_out_spans(sensor.id, now - 86400 * days, now):
        kept_out |= (series[0] >= start) & (series[0] <= end)
    return SensorPageContent(
        ref=ref,
        name=f"{block.name}, {station.name}",
        depth_cm=sensor.depth_cm,
        unit="%" if calibrated else "kPa" if tension else sensor.raw_unit,
        about=_about(sensor.raw_unit, warmth is not None),
        companions=[_companion(c, (now - 86400 * days, now)) for c in rows.companions.get(sensor.id, [])],
        times=series[0].tolist(),
        values=[None if out or np.isnan(v) else round(float(v), 3) for v, out in zip(shown, kept_out, strict=True)],
        flagged=[[int(t), round(float(v), 3)] for t, v in zip(series[0][kept_out], shown[kept_out], strict=True)
                 if np.isfinite(v)],
        faults=[
            fault_out(f, sensor, farm.time_zone)
            for f in reversed(fault_store.of_sensor(sensor.id, now - 86400 * days, now))
        ],
        suspicions=[s for s in _suspicions({station.id: station_ref}) if sensor.key in (s.upper, s.lower)],
    )  # fmt: skip


def _about(raw_unit: str, warmed: bool) -> str:
    if raw_unit not in KOHM_OF:
        return ""
    usual = Notice("sensor.usual_temperature", usual_c=USUAL_TEMPERATURE_C)
    basis = Notice("sensor.soil_temperature") if warmed else usual
    return say(Notice("sensor.resistance", unit=raw_unit, basis=basis))


def _companion(row: SensorRow, span: tuple[int, int]) -> CompanionTrace:
    ts, values = readings_store.between(row.id, *span)
    if row.quantity in ("temperature", "air"):
        unit, values = "degC", celsius(values, row.raw_unit)
    elif row.quantity == "trunk":
        unit, values = "mm", values / 1000 if row.raw_unit == "um" else values
    elif row.quantity in ("leaf-wetness", "water-on"):
        unit = row.raw_unit
    else:
        unit, values = "dS/m", values / 1000 if row.raw_unit == "uS/cm" else values
    return CompanionTrace(quantity=row.quantity, unit=unit, times=ts.tolist(), values=values.round(2).tolist())


def decide(table: str, row_id: int, verdict: str, note: str, who: str) -> None:
    """Accept or overrule a fault or a suspicion, with a note; the arithmetic follows at once. Raises NotFound."""
    farm = clock.the_farm()
    values = {"verdict": verdict, "note": note, "who": who, "decided_at": clock.farm_now(farm)}
    with transaction():
        fault_store.decide(table, row_id, values)
        if table == "fault":
            row = fault_store.fault(row_id)
            rollups.update_rollups(row.sensor_id, row.start_at, row.end_at, farm.time_zone)
