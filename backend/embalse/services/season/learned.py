"""What a block's season taught, from its account, the audit of its sets and the faults of its sensors."""

from embalse.core.quality.yearly_drift import drift_words
from embalse.core.season.lessons import (
    Learned,
    Lesson,
    SensorSeason,
    drift_lesson,
    efficiency_lesson,
    sensor_lessons,
    trigger_lesson,
)
from embalse.core.season.water_account import SeasonRecord, WaterAccount
from embalse.services import times
from embalse.services.advice.field_series import Field
from embalse.services.audit.block_audit import AUDITED_DAYS
from embalse.services.audit.dose import learning_of, received_out
from embalse.services.audit.gather import block_sets
from embalse.services.readings.observations import moment_of
from embalse.services.setup.years import drifted
from embalse.store import faults as fault_store


def lessons_of(field: Field, record: SeasonRecord, told: WaterAccount, span: tuple[int, int]) -> list[Lesson]:
    """Lessons of a season between two day numbers, those that can be put in force first."""
    state = field.analysis.state
    found = []
    if state is not None:
        share = field.block.limits.wetted_fraction
        found.append(trigger_lesson(told, share * state.marks.allowable_mm, record.raw_mm, record.taw_mm))
    found.append(efficiency_lesson(_learned(field)))
    return [*(one for one in found if one is not None), *sensor_lessons(_sensors(field, span)), *drift_lessons(field)]


def drift_lessons(field: Field) -> list[Lesson]:
    """Sensors that have stood for years and drifted; they tell it whether the season is accounted for or not."""
    moment = moment_of(field.farm, field.now)
    block_id = field.rows.blocks[0].id
    return [
        drift_lesson(one.station.name, sensor.depth_cm, drift_words(told))
        for one in field.analysis.stations
        for sensor, told in drifted(one.station, block_id, moment)
    ]


def _learned(field: Field) -> Learned | None:
    sets = block_sets(field, AUDITED_DAYS)
    brought = received_out(sets, learning_of(sets))
    if brought is None or brought.efficiency is None or not brought.differs:
        return None
    band = brought.efficiency
    return Learned(band.value, band.low, band.high, band.set_up, brought.sets)


def _sensors(field: Field, span: tuple[int, int]) -> list[SensorSeason]:
    first, last = span
    start, end = (times.instant_of(day, 0, field.zone) for day in span)
    rows = {s.ref: s for group in field.rows.sensors.values() for s in group}
    found = []
    for one in field.analysis.stations:
        for sensor in one.station.sensors:
            row = rows.get(sensor.key)
            if row is None:
                continue
            spans = fault_store.kept_out_spans(row.id, start, end)
            out_s = sum(min(until, end) - max(since, start) for since, until in spans)
            found.append(SensorSeason(one.station.name, sensor.depth_cm, round(out_s / 86400), last - first))
    return found
