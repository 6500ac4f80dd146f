"""What happened in a block's profile: its wettings, where roots drink, and what the weeks say of how it is watered."""

import math
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from embalse.core.advice.block_analysis import StationAnalysis
from embalse.core.block_model.ground import modelled_stations
from embalse.core.crop.dry_down import DailyUse
from embalse.core.field.day_curve import hourly_use_mm
from embalse.core.field.diagnoses import Diagnosis, Weeks, diagnoses
from embalse.core.field.managed_depth import ManagedDepth, managed_depth
from embalse.core.field.uptake import Uptake, uptake
from embalse.core.field.wetting import ProfileHours, Water, Wetting
from embalse.core.field.wetting_events import wettings
from embalse.core.field.wettings_between import GOES_ON_H
from embalse.core.weather.wetting_rain import FROM_H, TO_H, wets_the_soil
from embalse.core.wording import Notice, from_json
from embalse.services import times
from embalse.services.advice.field_series import Field, field_at, thetas
from embalse.services.block_model.past import Past
from embalse.services.load.schemas import Content, SaidOut
from embalse.services.reader import Words, say, say_all
from embalse.services.readings.known_then import as_known_then
from embalse.store import faults as fault_store
from embalse.store import readings as readings_store

DIAGNOSED_DAYS = 28
BEFORE_DAYS: Final = math.ceil(GOES_ON_H / 24)
"""Days looked at before those asked about: as long as a front is followed."""


class ArrivalOut(Content):
    """Water reaching a depth; instant in seconds, UTC."""

    depth_cm: float
    at: int
    before: float
    peak: float
    gain_mm: float


class WaterOut(Content):
    """A set or rain a wetting is put down to; mm in the soil the sensors stand in."""

    kind: str
    start_at: int
    depth_mm: float


class BetweenOut(Content):
    """Two readings with nothing read between them; instants in seconds, UTC."""

    from_at: int
    to_at: int


class WettingOut(Content):
    """A wetting at a station; instants in seconds, UTC, and on the farm's clock; cm, mm of the wetted soil.

    ``between`` are the readings it came between, where nobody read for half a day: its gain is the least it was.
    """

    station: str
    start: str
    end: str
    start_at: int
    end_at: int
    between: BetweenOut | None
    arrivals: list[ArrivalOut]
    gain_mm: float
    reach_cm: float
    below_mm: float | None
    front_cm_h: float | None
    from_what: list[WaterOut]
    expected_mm: float | None
    explained: bool
    suspect: str


class LayerUptakeOut(Content):
    """Uptake of a layer."""

    depth_cm: float
    mm_d: float
    error_mm_d: float
    share: float
    active: bool


class StationProfileOut(Content):
    """Where roots drink at a station, and what the weeks say."""

    key: str
    name: str
    uptake: list[LayerUptakeOut]
    clean_days: int
    why_not: Words
    seen_root_depth_cm: float | None
    managed_depth_cm: float | None
    managed_why: str


class DiagnosisOut(Content):
    """A finding with its evidence, usual remedies and caution."""

    station: str
    kind: str
    words: Words
    evidence: list[str]
    remedies: list[str]
    caution: Words
    said: list[SaidOut]


class ProfileContent(Content):
    """Wettings, uptake and diagnoses of a block at a farm-local moment."""

    key: str
    name: str
    as_of: str
    days: int
    why_not: Words
    root_depth_cm: float | None
    wettings: list[WettingOut]
    stations: list[StationProfileOut]
    diagnoses: list[DiagnosisOut]


@as_known_then
def profile_content(key: str, moment: str | None = None, days: int = DIAGNOSED_DAYS) -> ProfileContent:
    """Wettings, uptake and diagnoses of a block at a farm-local moment, from so many days before it.

    Raises as :func:`field_at` does.
    """
    field = field_at(key, moment, days)
    stations = [s for s in field.analysis.stations if s.layers]
    given = waters(_earlier(field))
    past = _past(field)
    found = [_station(field, s, given, past) for s in stations]
    state = field.analysis.state
    disagree = None
    if state is not None and state.disagree:
        disagree = Notice("evidence.stations", lowest_mm=state.lowest_mm, highest_mm=state.highest_mm)
    said = [
        _diagnosis(s, d)
        for number, (s, part) in enumerate(zip(stations, found, strict=True))
        if part is not None
        for d in diagnoses(part.weeks, disagree if number == 0 else None, _doubts(field, s))
    ]
    sealed = {d.station for d in said if d.kind == "sealed"}
    why = "" if any(p is not None for p in found) else field.analysis.advice.reason
    return ProfileContent(
        key=key,
        name=field.row.name,
        as_of=times.iso(field.now, field.zone) or "",
        days=days,
        why_not=say(why),
        root_depth_cm=field.analysis.root_depth_cm,
        wettings=[w for p in found if p is not None for w in p.wettings],
        stations=[
            _uptake(s, p, s.station.name in sealed) for s, p in zip(stations, found, strict=True) if p is not None
        ],
        diagnoses=said,
    )


def _doubts(field: Field, station: StationAnalysis) -> list[Notice]:
    """What speaks against a station's sensors in the roots, so that its weeks are not called well run on them."""
    found = []
    for layer, sensor, reading in zip(station.layers, station.station.sensors, station.readings, strict=True):
        if layer.rooted_cm <= 0:
            continue
        if reading.theta is None:
            found.append(Notice("untold.missing", depth_cm=sensor.depth_cm, why=reading.why_missing))
        elif reading.end == "dry":
            found.append(Notice("untold.dry_end", depth_cm=sensor.depth_cm))
        found += [Notice("untold.missing", depth_cm=sensor.depth_cm, why=doubt) for doubt in reading.doubts]
    ids = {s.key: s.id for s in field.rows.stations.get(field.row.id, [])}
    suspicions = fault_store.suspicions(ids[station.station.key]) if station.station.key in ids else []
    found += [Notice("untold.crossed", why=from_json(s.words)) for s in suspicions if s.verdict != "overruled"]
    return found


@dataclass(frozen=True)
class StationWater:
    """Wettings, uptake by layer, and the weeks findings are looked for in, of one station."""

    wettings: list[WettingOut]
    uptake: Uptake
    weeks: Weeks
    managed: ManagedDepth


def _hours(field: Field, station: StationAnalysis) -> ProfileHours | None:
    """A station's hours with the crop's use in them; None without readings."""
    axis, columns = thetas(field, station)
    roots = field.block.roots_cm(times.local_day(field.now, field.zone))
    if not len(axis) or roots is None:
        return None
    limits = (station.layers[0].top_cm, *(layer.bottom_cm for layer in station.layers))
    depths = tuple(layer.depth_cm for layer in station.layers)
    return ProfileHours(
        axis, np.array(columns), depths, limits, roots, _use_mm(field, times.local_seconds(axis, field.zone))
    )


def _past(field: Field) -> tuple[Past, frozenset[str]]:
    """The block's past by its own fitted model, and the stations it is made of."""
    keys = frozenset(s.key for s in modelled_stations(field.block.stations))
    return Past(field.farm, field.rows, field.block, field.row, (field.now, field.days)), keys


def _by_model(station: StationAnalysis, found: list[Wetting], past: tuple[Past, frozenset[str]]) -> list[Wetting]:
    """Wettings with the water below the roots by the block's model, where it tells and a probe stands below them."""
    if station.station.key not in past[1] or all(w.below_mm is None for w in found):
        return found
    told = past[0].below_mm(found)
    return [w if w.below_mm is None else replace(w, below_mm=told.get(w.start_at, w.below_mm)) for w in found]


def _station(
    field: Field, station: StationAnalysis, given: list[Water], past: tuple[Past, frozenset[str]]
) -> StationWater | None:
    """What a station's days say; None without readings."""
    seen = _seen(field, station, given)
    if seen is None:
        return None
    hours, found = seen
    found = _by_model(station, found, past)
    local = times.local_seconds(hours.at, field.zone)
    shift = np.interp([w.start_at for w in found], hours.at, local - hours.at) if found else np.empty(0)
    local_found = tuple(_moved(w, int(s)) for w, s in zip(found, shift, strict=True))
    drunk = past[0].uptake() if station.station.key in past[1] else None
    drunk = drunk or uptake(replace(hours, at=local, use_mm=None), local_found)
    expected = tuple(sum(w.depth_mm for w in one.from_what) if one.from_what else math.nan for one in found)
    # what came between two readings gained this much at least: it is no evidence of water that ran off
    compared = tuple(math.nan if w.between else e for w, e in zip(found, expected, strict=True))
    weeks = Weeks(hours.theta, station.layers, tuple(found), hours.root_depth_cm, compared)
    outs = [_wetting(station.station.key, w, e, field.zone) for w, e in zip(found, expected, strict=True)]
    now = [reading.theta for reading in station.readings]
    managed = managed_depth(station.layers, now, found, field.analysis.root_depth_cm or hours.root_depth_cm, drunk)
    return StationWater(outs, drunk, weeks, managed)


def wettings_of(field: Field) -> list[list[Wetting]]:
    """The wettings of every station of a block that has readings."""
    return [found for _, _, found in seen_by_stations(field)]


def seen_by_stations(field: Field) -> list[tuple[str, ProfileHours, list[Wetting]]]:
    """Hours and wettings of every station of a block that has readings, by its key."""
    given = waters(_earlier(field))
    past = _past(field)
    seen = [(s, _seen(field, s, given)) for s in field.analysis.stations if s.layers]
    return [(s.station.name, one[0], _by_model(s, one[1], past)) for s, one in seen if one is not None]


@dataclass(frozen=True)
class SeenByStation:
    """A station's hours and wettings as it read them, and the water below the roots by the block's model.

    ``modelled_mm`` is by the wettings' beginnings; the model takes it that what is logged has come.
    """

    name: str
    hours: ProfileHours
    wettings: list[Wetting]
    modelled_mm: dict[int, float]


def read_by_stations(field: Field) -> list[SeenByStation]:
    """What every station of a block saw, with what the model says beside it."""
    given = waters(_earlier(field))
    past = _past(field)
    found = []
    for station in (s for s in field.analysis.stations if s.layers):
        seen = _seen(field, station, given)
        if seen is not None:
            told = {w.start_at: w.below_mm for w in _by_model(station, seen[1], past) if w.below_mm is not None}
            found.append(SeenByStation(station.station.name, *seen, told))
    return found


def _earlier(field: Field) -> Field:
    """The same, looked back on from a little earlier."""
    return replace(field, days=field.days + BEFORE_DAYS)


def _seen(field: Field, station: StationAnalysis, given: list[Water]) -> tuple[ProfileHours, list[Wetting]] | None:
    """A station's hours of the days looked at, and the wettings that began in them; None without readings.

    They are looked for from a little earlier, so that water that was still going down on the first day is not taken for
    a wetting nobody can explain.
    """
    hours = _hours(_earlier(field), station)
    if hours is None:
        return None
    first = int(np.searchsorted(hours.at, field.start))
    if first == len(hours.at):
        return None
    return hours.part(slice(first, None)), [w for w in wettings(hours, given) if w.start_at >= field.start]


def _moved(wetting: Wetting, by_s: int) -> Wetting:
    return replace(wetting, start_at=wetting.start_at + by_s, end_at=wetting.end_at + by_s)


def waters(field: Field) -> list[Water]:
    """Sets and rain of the days looked at, as depths in the soil the sensors stand in [mm]."""
    block = field.block
    kept = block.system.efficiency_fraction if block.system else 1.0
    share = block.limits.wetted_fraction
    found = [
        Water("set", s.start_at, s.end_at, s.gross_mm * kept / share)
        for s in readings_store.sets(field.row.key, field.start - 86400, field.now)
    ]
    days = readings_store.rain(times.local_day(field.start, field.zone), times.local_day(field.now, field.zone))
    found += [
        Water(
            "rain",
            times.instant_of(day, FROM_H, field.zone),
            times.instant_of(day, TO_H, field.zone),
            depth,
        )
        for day, depth in days
        if wets_the_soil(depth)
    ]
    return sorted(found, key=lambda w: w.start_at)


def _use_mm(field: Field, local: NDArray[np.int64]) -> NDArray[np.float64] | None:
    """Crop use of each hour in the wetted soil [mm]: by weather where it is known, else as the dry-down shows it."""
    water_use = field.analysis.water_use
    days = range(int(local[0]) // 86400, int(local[-1]) // 86400 + 1)
    if water_use is not None and water_use.course is not None and field.block.calendar is not None:
        past, factor = water_use.course.outlook.past, water_use.course.use.factor
        kc = field.block.calendar.kc_on(np.array(days))
        share = field.block.limits.wetted_fraction
        by_day = {d: factor * float(k) * past[d].eto_mm / share for d, k in zip(days, kc, strict=True) if d in past}
        return hourly_use_mm(local, {d: mm for d, mm in by_day.items() if not math.isnan(mm)})
    use = water_use.use if water_use is not None else None
    if isinstance(use, DailyUse):
        return hourly_use_mm(local, dict.fromkeys(days, use.mid_mm_d))
    return None


def _wetting(station: str, one: Wetting, expected: float, zone: str) -> WettingOut:
    return WettingOut(
        station=station,
        start=times.iso(one.start_at, zone) or "",
        end=times.iso(one.end_at, zone) or "",
        start_at=one.start_at,
        end_at=one.end_at,
        between=BetweenOut(from_at=one.between[0], to_at=one.between[1]) if one.between else None,
        arrivals=[
            ArrivalOut(depth_cm=a.depth_cm, at=a.at, before=a.before, peak=a.peak, gain_mm=a.gain_mm)
            for a in one.arrivals
        ],
        gain_mm=one.gain_mm,
        reach_cm=one.reach_cm,
        below_mm=one.below_mm,
        front_cm_h=one.front_cm_h,
        from_what=[WaterOut(kind=w.kind, start_at=w.start_at, depth_mm=w.depth_mm) for w in one.from_what],
        expected_mm=None if math.isnan(expected) else expected,
        explained=one.explained,
        suspect=say(one.suspect),
    )


def _uptake(station: StationAnalysis, water: StationWater, runs_off: bool) -> StationProfileOut:
    """Where roots drink at a station; where water runs off, that is mended first and no shallower depth proposed."""
    found = water.uptake
    return StationProfileOut(
        key=station.station.key,
        name=station.station.name,
        uptake=[
            LayerUptakeOut(depth_cm=y.depth_cm, mm_d=y.mm_d, error_mm_d=y.error_mm_d, share=y.share, active=y.active)
            for y in found.layers
        ],
        clean_days=found.days,
        why_not=say(found.why_not),
        seen_root_depth_cm=found.root_depth_cm,
        managed_depth_cm=None if runs_off else water.managed.depth_cm,
        managed_why="" if runs_off else say(water.managed.words),
    )


def _diagnosis(station: StationAnalysis, one: Diagnosis) -> DiagnosisOut:
    return DiagnosisOut(
        station=station.station.name,
        kind=one.kind,
        words=say(one.words),
        evidence=say_all(one.evidence),
        remedies=say_all(one.remedies),
        caution=say(one.caution),
        said=[SaidOut.of(one.words), *(SaidOut.of(e) for e in one.evidence)],
    )
