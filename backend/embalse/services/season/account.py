"""A block's water account over a planting, at any moment."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Literal

import numpy as np
from pydantic import Field

from embalse.core.crop.stages import STAGES
from embalse.core.crop.yield_response import KY_SOURCE, yield_loss_fraction, yield_response_factor
from embalse.core.errors import CoreError
from embalse.core.field.mark_estimates import P_AT_MM_D, adjusted_fraction
from embalse.core.field.wetting import Wetting
from embalse.core.season.lessons import Lesson
from embalse.core.season.plantings import Harvest, Planting, begins_with, last_day_of
from embalse.core.season.water_account import (
    M3_PER_MM_HA,
    Line,
    SeasonRecord,
    WaterAccount,
    daily_use_mm,
    stress_factor,
    water_account,
)
from embalse.core.season.wet_hours import UPPER_CM, WetHours, wet_hours
from embalse.core.season.what_to_change import not_told, what_to_change
from embalse.core.tables import crop_defaults
from embalse.core.weather.effective_rain import effective_rain_mm
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.analysing import rain_of_block
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.advice.field_series import dawn_depletion, field_at
from embalse.services.advice.profile_page import read_by_stations
from embalse.services.load.plantings import plantings_of
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say, say_all
from embalse.services.readings import observations
from embalse.services.readings.known_then import as_known_then
from embalse.services.readings.observations import hourly_water
from embalse.services.season.allowed import AllowedOut, allowed_of
from embalse.services.season.learned import drift_lessons, lessons_of
from embalse.services.season.money import money_of_sets
from embalse.store import readings as readings_store

LONGEST_DAYS = 400
"""A season is looked back on for so long at most."""
LATE_H = 23
"""Hour of the last day a planting stood at which its account is drawn up: with the roots and marks of that day."""


class AccountLineOut(Content):
    """A line of the account [mm over the block] with its error."""

    mm: float
    error_mm: float


class HarvestedOut(Content):
    """A harvest or cutting as it was entered."""

    key: str
    kind: Literal["harvest", "cutting"]
    day: str
    yield_t_ha: float | None
    ends: bool


class PlantingOut(Content):
    """A planting of the block; ``key`` is empty for the block's own crop."""

    key: str
    crop: str
    variety: str
    purpose: str
    first_day: str
    last_day: str | None
    begins: Literal["leaf-out", "planting"]
    yield_aim_t_ha: float | None
    yield_t_ha: float | None
    cuttings: list[str]
    harvests: list[HarvestedOut]


class SeasonDayOut(Content):
    """A day of the season [mm over the block]; null where not known."""

    day: str
    irrigation_mm: float
    rain_mm: float
    use_mm: float | None
    below_mm: float
    storage_mm: float | None


class StageSpanOut(Content):
    """A stage of the season."""

    stage: str
    first_day: str
    last_day: str


class StageAccountOut(Content):
    """A stage's water [mm over the block]."""

    stage: str
    irrigation_mm: float
    rain_mm: float
    use_mm: float
    below_mm: float | None
    stress_days: int


class AccountOut(Content):
    """The water account of a planting."""

    days: int
    irrigation: AccountLineOut
    lost_on_way: AccountLineOut
    counted_rain: AccountLineOut
    rain_mm: float
    use: AccountLineOut
    below: AccountLineOut | None
    store_change: AccountLineOut
    residual: AccountLineOut
    closes: bool
    fao_use_mm: float | None
    seen_days: int
    filled_days: int
    stress_days: int
    stress_mm: float
    over_full_days: int
    wet_hours: int | None = Field(description="hours of the upper soil with less than a tenth of air")
    wet_hours_read: int | None
    wet_hours_depth_cm: float | None
    yield_share: float | None
    yield_source: str
    volume_m3: float
    money: float | None
    kg_m3: float | None


class SeasonAccountContent(Content):
    """A block's season at a farm-local moment."""

    key: str
    name: str
    as_of: str
    area_ha: float
    first_day: str
    last_day: str
    crop: str
    variety: str
    headline: str
    why_not: Words
    plantings: list[PlantingOut]
    account: AccountOut | None
    change: list[str]
    not_told: list[str]
    days: list[SeasonDayOut]
    stages: list[StageSpanOut]
    by_stage: list[StageAccountOut]
    allowed: AllowedOut | None
    full_mm: float | None
    refill_mm: float | None


@dataclass(frozen=True)
class Stand:
    """A block with its plantings, the one looked at, and its first and last day numbers so far."""

    field: FieldSeries
    planted: list[Planting]
    chosen: Planting | None
    span: tuple[int, int]


@as_known_then
def season_account(key: str, moment: str | None = None, planting: str | None = None) -> SeasonAccountContent:
    """A block's water account over the planting in the ground, or the one named.

    Raises
    ------
    NotFound
        If there is no such block.
    CoreError
        If it has no planting of that key.
    ValueError
        If the moment cannot be read.
    """
    return _content(stand_of(key, moment, planting))


def stand_of(key: str, moment: str | None = None, planting: str | None = None) -> Stand:
    """The planting in the ground, or the one named; raises as :func:`season_account` does."""
    field = field_at(key, moment, LONGEST_DAYS)
    today = times.local_day(field.now, field.zone)
    planted = plantings_of(field.rows.blocks[0], field.rows, (field.now, field.zone))
    chosen = _chosen(planted, planting, today)
    stood = last_day_of(planted, chosen) if chosen else None
    if stood is not None and stood < today:
        today = stood
        field = field_at(key, times.iso(times.instant_of(stood, LATE_H, field.zone), field.zone), LONGEST_DAYS)
    first = chosen.first_day if chosen else _first_reading_day(field)
    first = max(first, today - LONGEST_DAYS + 2, _first_reading_day(field))
    return Stand(field, planted, chosen, (first, max(first, today)))


def _first_reading_day(field: FieldSeries) -> int:
    oldest = readings_store.first_reading()
    today = times.local_day(field.now, field.zone)
    return today if oldest is None else times.local_day(oldest, field.zone) + 1


def _chosen(planted: list[Planting], key: str | None, today: int) -> Planting | None:
    begun = [p for p in planted if p.first_day <= today]
    if key is None:
        return begun[-1] if begun else None
    found = next((p for p in begun if p.key == key), None)
    if found is None:
        raise CoreError("planting", Notice("planting.unknown", key=key))
    return found


@dataclass(frozen=True)
class AddedUp:
    """A season's record and account, None where ``why`` says so, and what it taught."""

    record: SeasonRecord | None
    told: WaterAccount | None
    why: str
    lessons: list[Lesson]


def added_up(stand: Stand) -> AddedUp:
    """The season of a stand added up."""
    record: SeasonRecord | None = None
    try:
        record = season_record(stand.field, stand.span)
        told = water_account(record)
    except CoreError as refusal:
        return AddedUp(record, None, say(refusal.reason), drift_lessons(stand.field))
    return AddedUp(record, told, "", lessons_of(stand.field, record, told, stand.span))


def _content(stand: Stand) -> SeasonAccountContent:
    field, planted, chosen, span = stand.field, stand.planted, stand.chosen, stand.span
    first, last = span
    added = added_up(stand)
    record, told = added.record, added.told
    crop = chosen.crop if chosen else field.block.crop
    return SeasonAccountContent(
        key=field.row.key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        area_ha=field.row.area_ha,
        first_day=times.day_of(first).isoformat(),
        last_day=times.day_of(last).isoformat(),
        crop=crop,
        variety=chosen.variety if chosen else "",
        headline=_headline(field.row.name, told),
        why_not=added.why,
        plantings=[_planting(p) for p in planted],
        account=_account(field, told, chosen, span) if told else None,
        change=say_all(_to_change(added)),
        not_told=say_all(not_told(told, record)) if told and record else [],
        days=_days(record) if record else [],
        stages=_stages(field, span),
        by_stage=_by_stage(field, record) if record and told else [],
        allowed=allowed_of(field),
        full_mm=record.full_mm if record else None,
        refill_mm=record.full_mm - record.raw_mm if record else None,
    )


def _to_change(added: AddedUp) -> list[Notice]:
    if added.told is None or added.record is None:
        return []
    return [*what_to_change(added.told, added.record), *(one.notice for one in added.lessons)]


@dataclass(frozen=True)
class Below:
    """Water below the roots by day [mm over the block], None where not told; wettings, and those by the model."""

    mm: np.ndarray | None
    wettings: int
    modelled: int


def season_record(field: FieldSeries, span: tuple[int, int]) -> SeasonRecord:
    """A block's season between two day numbers as the account takes it; raises CoreError where no state is known."""
    first, last = span
    analysis = field.analysis
    if analysis.state is None or last - first < 2:
        if field.now < (readings_store.first_reading() or 0):
            raise CoreError("days", Notice("season.unread"))
        raise CoreError("days", analysis.advice.why_no_date or Notice("season.too_short"))
    share, count = field.block.limits.wetted_fraction, last - first
    days = np.arange(first, last)
    farm_rain = dict(readings_store.rain(first - 1, last))
    rain = rain_of_block(field.block, field.rows, farm_rain, (field.now, field.zone))
    fell = np.array([rain.get(int(d), 0.0) for d in days])
    eto = dict((d, mm) for d, mm, _ in readings_store.eto(first, last))
    eto_mm = np.array([eto.get(int(d), math.nan) for d in days])
    kc = field.block.calendar.kc_on(days) if field.block.calendar else np.full(count, math.nan)
    counted = effective_rain_mm(fell, np.nan_to_num(eto_mm, nan=5.0))
    depletion = dawn_depletion(field)
    marks = analysis.state.marks
    storage = np.array([share * (marks.full_mm - depletion.get(d, math.nan)) for d in range(first, last + 1)])
    wet = _water_came(field, span)
    irrigation = np.zeros(count)
    for one in readings_store.sets(field.row.key, times.instant_of(first, 0, field.zone), field.now):
        day = times.local_day(one.start_at, field.zone)
        if first <= day < last:
            irrigation[day - first] += one.gross_mm
    below = _below(field, span)
    etc = kc * np.nan_to_num(eto_mm, nan=0.0)
    use = P_AT_MM_D if not np.isfinite(etc).any() else float(np.nanmean(etc)) / share
    defaults = crop_defaults(field.block.crop)
    readily = adjusted_fraction(defaults.depletion_fraction, use) * marks.taw_mm if defaults else marks.allowable_mm
    came = np.array([int(d) in wet for d in days])
    return SeasonRecord(
        first, irrigation, fell, share * counted, kc * eto_mm, storage, came, below.mm,
        below.wettings, field.block.system.efficiency_fraction if field.block.system else 1.0, share * marks.full_mm,
        share * marks.taw_mm, share * readily, below.modelled,
    )  # fmt: skip


def _water_came(field: FieldSeries, span: tuple[int, int]) -> frozenset[int]:
    """Day numbers between whose dawn and the next water came; a pivot that turns elsewhere wets nothing here."""
    first, last = span
    sets = readings_store.sets(field.row.key, times.instant_of(first - 1, 0, field.zone), field.now)
    return observations.wet_days(field.rows, sets, (first - 1, last), field.zone, dry_spells=True)[field.row.key]


def _below(field: FieldSeries, span: tuple[int, int]) -> Below:
    """Water below the roots by day, the mean of the stations that tell it; by the block's model where it is kept."""
    first, last = span
    share = field.block.limits.wetted_fraction
    stations = [[_told(w, one.modelled_mm) for w in one.wettings] for one in read_by_stations(field)]
    telling = [found for found in stations if any(mm is not None for _, mm, _ in found)]
    if not telling:
        return Below(None, 0, 0)
    below, seen, modelled = np.zeros(last - first), 0, 0
    for at, mm, by_model in (one for found in telling for one in found):
        day = times.local_day(at, field.zone)
        if first <= day < last:
            seen += 1
            modelled += by_model
            below[day - first] += share * (mm or 0.0) / len(telling)
    return Below(below, seen, modelled)


def _told(one: Wetting, modelled_mm: Mapping[int, float]) -> tuple[int, float | None, bool]:
    """When a wetting began, what it lost below the roots, and whether the model tells that and not the probes."""
    mm = modelled_mm.get(one.start_at, one.below_mm)
    return one.start_at, mm, mm != one.below_mm


def _line(one: Line) -> AccountLineOut:
    return AccountLineOut(mm=one.mm, error_mm=one.error_mm)


def _account(field: FieldSeries, told: WaterAccount, chosen: Planting | None, span: tuple[int, int]) -> AccountOut:
    defaults = crop_defaults(chosen.crop if chosen else field.block.crop)
    ky = yield_response_factor(defaults.crop) if defaults else None
    volume = told.irrigation.mm * M3_PER_MM_HA * field.row.area_ha
    brought = chosen.yield_t_ha if chosen else None
    first, last = (times.instant_of(d, 0, field.zone) for d in span)
    wet = _wet_hours(field, (first, last))
    return AccountOut(
        days=told.days,
        irrigation=_line(told.irrigation),
        lost_on_way=_line(told.lost_on_way),
        counted_rain=_line(told.counted_rain),
        rain_mm=told.rain_mm,
        use=_line(told.use),
        below=_line(told.below) if told.below else None,
        store_change=_line(told.store_change),
        residual=_line(told.residual),
        closes=told.closes,
        fao_use_mm=told.fao_use_mm,
        seen_days=told.seen_days,
        filled_days=told.filled_days,
        stress_days=told.stress_days,
        stress_mm=told.stress_mm,
        over_full_days=told.over_full_days,
        wet_hours=wet.wet_h if wet else None,
        wet_hours_read=wet.read_h if wet else None,
        wet_hours_depth_cm=wet.depth_cm if wet else None,
        yield_share=None if ky is None else 1 - yield_loss_fraction(ky, told.use_share),
        yield_source="" if ky is None else KY_SOURCE,
        volume_m3=volume,
        money=money_of_sets(field, (first, last)),
        kg_m3=None if brought is None or volume <= 0 else 1000 * brought * field.row.area_ha / volume,
    )


def _wet_hours(field: FieldSeries, span: tuple[int, int]) -> WetHours | None:
    """Of the station whose upper sensor saw most of them [s, UTC]; None where no sensor stands in the upper soil."""
    found = []
    for one in field.analysis.stations:
        upper = [s for s in one.station.sensors if s.depth_cm <= UPPER_CM]
        layers = {layer.depth_cm: layer for layer in one.layers}
        _, theta = hourly_water(field.rows, upper, span)
        found += [
            wet_hours(theta[s.key], layers[s.depth_cm].theta_full, layers[s.depth_cm].theta_saturation, s.depth_cm)
            for s in upper
            if s.depth_cm in layers
        ]
    told = [one for one in found if one.read_h > 0]
    return max(told, key=lambda one: one.wet_h, default=None)


def _planting(one: Planting) -> PlantingOut:
    return PlantingOut(
        key=one.key,
        crop=one.crop,
        variety=one.variety,
        purpose=one.purpose,
        first_day=times.day_of(one.first_day).isoformat(),
        last_day=None if one.last_day is None else times.day_of(one.last_day).isoformat(),
        begins=begins_with(one.crop),
        yield_aim_t_ha=one.yield_aim_t_ha,
        yield_t_ha=one.yield_t_ha,
        cuttings=[times.day_of(h.day).isoformat() for h in one.harvests if h.kind == "cutting"],
        harvests=[_harvest(h) for h in one.harvests],
    )


def _harvest(one: Harvest) -> HarvestedOut:
    day = times.day_of(one.day).isoformat()
    return HarvestedOut(key=one.key, kind=one.kind, day=day, yield_t_ha=one.yield_t_ha, ends=one.ends)


def _headline(name: str, told: WaterAccount | None) -> str:
    if told is None:
        return say(Notice("season.no_account", name=name))
    if told.below is None:
        return say(Notice("season.given", name=name, given_mm=told.irrigation.mm))
    values = {"below_mm": told.below.mm, "given_mm": told.irrigation.mm}
    return say(Notice("season.headline", name=name, **values))


def _days(record: SeasonRecord) -> list[SeasonDayOut]:
    try:
        use = daily_use_mm(record)[0]
    except CoreError:
        use = np.full(len(record.rain_mm), math.nan)
    return [
        SeasonDayOut(
            day=times.day_of(record.first_day + n).isoformat(),
            irrigation_mm=round(float(record.irrigation_mm[n]), 2),
            rain_mm=round(float(record.rain_mm[n]), 2),
            use_mm=None if math.isnan(use[n]) else round(float(use[n]), 2),
            below_mm=0.0 if record.below_mm is None else round(float(record.below_mm[n]), 2),
            storage_mm=None if math.isnan(record.storage_mm[n]) else round(float(record.storage_mm[n]), 2),
        )
        for n in range(len(record.rain_mm))
    ]


def _by_stage(field: FieldSeries, record: SeasonRecord) -> list[StageAccountOut]:
    """The account by stage of the crop, of the stages that have begun."""
    use = daily_use_mm(record)[0]
    stressed = stress_factor(record) < 1
    found = []
    for span in _stages(field, (record.first_day, record.first_day + len(use))):
        first, last = (
            times.day_number(date.fromisoformat(d)) - record.first_day for d in (span.first_day, span.last_day)
        )
        part = slice(max(0, first), min(len(use), last + 1))
        found.append(
            StageAccountOut(
                stage=span.stage,
                irrigation_mm=float(record.irrigation_mm[part].sum()),
                rain_mm=float(record.counted_rain_mm[part].sum()),
                use_mm=float(use[part].sum()),
                below_mm=None if record.below_mm is None else float(record.below_mm[part].sum()),
                stress_days=int(stressed[part].sum()),
            )
        )
    return found


def _stages(field: FieldSeries, span: tuple[int, int]) -> list[StageSpanOut]:
    calendar = field.block.calendar
    if calendar is None:
        return []
    found, start = [], float(calendar.first_day)
    for stage, length in zip(STAGES, calendar.lengths_days, strict=True):
        begin, end = max(round(start), span[0]), min(round(start + length) - 1, span[1])
        if begin <= end:
            days = (times.day_of(d).isoformat() for d in (begin, end))
            found.append(StageSpanOut(stage=stage, first_day=next(days), last_day=next(days)))
        start += length
    return found
