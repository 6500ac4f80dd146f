"""Stored rows as the core's blocks, with where each entry came from."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

from embalse.core.acting.measured_flow import MeasuredFlow
from embalse.core.crop.climate_kc import DayClimate, climate_days, crop_height_m, in_climate
from embalse.core.crop.stage_names import seen_calendar
from embalse.core.crop.stages import CropCalendar
from embalse.core.delivery.delivery import Emitters, IrrigationSystem, Supply, application_rate_mm_h
from embalse.core.delivery.irrigation_rules import SetLimits
from embalse.core.delivery.moving_systems import Furrows, Pivot, furrow_rate_mm_h, kept_of_furrows, pivot_rate_mm_h
from embalse.core.errors import CoreError
from embalse.core.install.install_window import STAYING
from embalse.core.root_zone.block import Block, Sensor, Station
from embalse.core.sensors.calibration import ALWAYS, TENSION_UNITS, Calibration, TensionChain, linear
from embalse.core.soil.horizon_marks import Horizon, horizon_at
from embalse.core.soil.roots import RootGrowth, usual_growth
from embalse.core.sources import Source, Sourced
from embalse.core.tables import CROP_TABLE, crop_defaults
from embalse.core.wording import Notice, Text
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.in_force import (
    block_marks,
    block_orders,
    block_rules,
    block_stage,
    block_windows,
    crop_calendar,
    set_choices,
    stages_seen,
    unknown_depths,
)
from embalse.services.load.measured import measured_rates
from embalse.services.load.plantings import BARE, as_planted
from embalse.services.load.water_rules import water_rules_at
from embalse.services.schema.auditing import SetChoicePart
from embalse.services.schema.water import WaterRulesPart
from embalse.store import readings as readings_store
from embalse.store.rows import BlockRow, CalibrationRow, FarmRows, SensorRow, StationRow, SystemRow

MOVING = frozenset({"pivot", "furrow", "border"})


def core_blocks(rows: FarmRows, now: int, with_removed: bool = False) -> list[Block]:
    """The stored blocks as the core knows them, in stored order, as they stood at an instant [s, UTC].

    Stations removed by then are left out unless ``with_removed`` is set.
    """
    at = (now, clock.the_farm().time_zone)
    rates, rules = measured_rates(*at), water_rules_at(*at)
    found = [_supplied(_block(row, rows, at, with_removed), row, rows, rules) for row in rows.blocks]
    return [_picked(_measured(block, rates.get(block.key)), set_choices(block.key, rows, at)) for block in found]


def _picked(block: Block, choices: Mapping[str, SetChoicePart]) -> Block:
    """The block with what was picked from the audit of its sets: a dose, its efficiency, the ground it wets."""
    if not choices:
        return block
    sources = dict(block.sources)
    for what, name in (("dose", "dose"), ("efficiency", "efficiency_fraction"), ("wetted", "wetted_fraction")):
        if what in choices:
            one = choices[what]
            told = {"note": one.note, "who": one.who or None, "on_day": times.day_number(one.valid_from)}
            sources[name] = Source("entry", "audit of the sets", Notice("source.picked_audit", **told))
    found = replace(block, sources=sources)
    if "dose" in choices:
        found = replace(found, dose=choices["dose"].value)
    if "wetted" in choices:
        found = replace(found, limits=replace(found.limits, wetted_fraction=choices["wetted"].value))
    if "efficiency" in choices and found.system is not None:
        found = replace(found, system=replace(found.system, efficiency_fraction=choices["efficiency"].value))
    return found


def _supplied(block: Block, row: BlockRow, rows: FarmRows, rules: Mapping[str, WaterRulesPart]) -> Block:
    """The block with its supply as the rules in force have it, else as it was entered."""
    found = rows.supplies.get(row.supply_id) if row.supply_id is not None else None
    if found is None:
        return block
    held = rules.get(found.key)
    flow = held.flow_m3_h if held and held.flow_m3_h is not None else found.flow_m3_h
    hours = held.hours_per_day if held and held.hours_per_day is not None else found.hours_per_day
    return replace(block, supply=Supply(found.name, flow, hours))


def _measured(block: Block, rate: MeasuredFlow | None) -> Block:
    """The block with the rate its sets were measured with in the place of the nominal one.

    Pivots and furrows keep theirs: what they put on hangs on their speed and their moves.
    """
    if rate is None or block.system is None or block.system.kind in MOVING:
        return block
    told = {"sets": rate.sets, "spread_mm_h": rate.spread_m3_h, "nominal_mm_h": block.system.rate_mm_h}
    source = Source("reading", "meter", Notice("source.rate_measured", **told))
    system = replace(block.system, rate_mm_h=rate.flow_m3_h, rate_formula=Notice("source.rate_by_meter"))
    return replace(block, system=system, sources={**block.sources, "rate_mm_h": source})


def _block(stored: BlockRow, rows: FarmRows, at: tuple[int, str], with_removed: bool) -> Block:
    row = as_planted(stored, rows, at)
    calendar = crop_calendar(row, times.local_day(*at))
    if calendar is not None:
        calendar = _in_climate(seen_calendar(calendar, stages_seen(row, rows, at)), row, times.local_day(*at))
    roots, roots_source = _roots(row, calendar)
    stage = block_stage(row, at, calendar)
    soil = block_marks(row, rows, at, stage)
    horizons = soil.horizons
    system_row = rows.systems.get(row.system_id) if row.system_id is not None else None
    return Block(
        key=row.key,
        name=row.name,
        area_ha=row.area_ha,
        horizons=horizons,
        roots=roots,
        roots_source=roots_source,
        allowable=soil.allowable or (None if soil.allowable_mm else _allowable(row)),
        limits=SetLimits(row.wetted_fraction, row.min_set_mm, row.max_set_mm),
        system=_system(system_row) if system_row else None,
        stations=tuple(_stations(row, rows, (at, with_removed), horizons)),
        sources=_sources(row, system_row),
        allowable_mm=soil.allowable_mm,
        stage=stage,
        calendar=calendar,
        crop=row.crop,
        bare=row.crop == BARE,
        slope_pct=row.slope_pct or 0.0,
        rules=block_rules(row, rows, at, stage),
        windows=block_windows(row, rows, at),
        orders=block_orders(row, rows, at),
    )


def _in_climate(calendar: CropCalendar, row: BlockRow, today: int) -> CropCalendar:
    """A calendar whose Kc follow the farm's wind and humidity known before today, where they are the tables'."""
    height = crop_height_m(row.crop)
    if height is None:
        return calendar
    entered = json.loads(row.crop_values)
    spans = climate_days(calendar, today)
    first, last = min(s[0] for s in spans), max(s[1] for s in spans)
    days = [DayClimate(*found) for found in readings_store.climate(first, last)]
    return in_climate(calendar, height, days, today, ("kc_mid" not in entered, "kc_end" not in entered))


def _stations(
    row: BlockRow, rows: FarmRows, when: tuple[tuple[int, str], bool], horizons: Sequence[Horizon]
) -> Sequence[Station]:
    (now, zone), with_removed = when
    unknown = unknown_depths(rows, (now, zone))
    return [
        Station(
            key=station.key,
            name=station.name,
            bottom_cm=station.bottom_cm,
            sensors=tuple(
                _sensor(sensor, station, (rows, horizons), now)
                for sensor in rows.sensors.get(station.id, [])
                if sensor.ref not in unknown
            ),
            settle_days=station.settle_days,
            unknown=tuple(s.key for s in rows.sensors.get(station.id, []) if s.ref in unknown),
        )
        for station in rows.stations.get(row.id, [])
        if with_removed or station.removed_at is None or station.removed_at > now
    ]


def _sensor(sensor: SensorRow, station: StationRow, basis: tuple[FarmRows, Sequence[Horizon]], now: int) -> Sensor:
    rows, horizons = basis
    placed = [p for p in rows.placements.get(sensor.id, []) if p.since <= now]
    moments = [station.installed_at, station.moved_at, *(p.since for p in placed)]
    calibrations = [as_calibration(c) for c in rows.calibrations.get(sensor.id, []) if c.known(now)]
    if placed:
        calibrations += _device_calibrations(sensor, rows, now)
    if sensor.raw_unit in TENSION_UNITS:
        calibrations = _tension_calibration(sensor, horizons)
    return Sensor(
        key=sensor.ref,
        depth_cm=sensor.depth_cm,
        raw_unit=sensor.raw_unit,
        calibrations=tuple(sorted(calibrations, key=lambda c: c.valid_from)),
        since=max((m for m in moments if m is not None and m <= now), default=station.installed_at),
        read_every_days=station.read_every_days,
        gauge_above_cm=sensor.gauge_above_cm or 0.0,
        kind=sensor.type,
    )


def _tension_calibration(sensor: SensorRow, horizons: Sequence[Horizon]) -> list[Calibration]:
    """Tension to water by the curve of the horizon a sensor stands in; none where the soil is not described."""
    try:
        there = horizon_at(horizons, sensor.depth_cm)
    except CoreError:
        return []
    chain = TensionChain(sensor.raw_unit, there.curve, sensor.gauge_above_cm or 0.0)
    note = Notice("calibration.gauge", gauge_cm=chain.gauge_above_cm) if chain.gauge_above_cm else ""
    name = f"curve {there.top_cm:g}-{there.bottom_cm:g}"
    return [Calibration(ALWAYS, "tension", (), None, note, chain=chain, name=name)]


def as_calibration(row: CalibrationRow) -> Calibration:
    """A stored calibration as the core knows it."""
    curve = json.loads(row.curve)
    if curve is None:
        return linear(row.valid_from, row.slope, row.intercept, row.rmse_theta, row.note)
    low, high = curve["raw_low"], curve["raw_high"]
    return Calibration(
        row.valid_from,
        curve["model"],
        tuple(curve["coefficients"]),
        row.rmse_theta,
        row.note,
        covariance=tuple(tuple(line) for line in curve["covariance"]),
        raw_range=None if low is None or high is None else (low, high),
        per_degree=curve["per_degree"],
        reference_c=curve["reference_c"],
        name=curve["sheet"],
        not_for=tuple(curve.get("not_for", ())),
    )


def _device_calibrations(sensor: SensorRow, rows: FarmRows, now: int) -> list[Calibration]:
    """Calibrations that came with the devices in this place, each in force while its device is there.

    The second and later devices start without the calibrations entered for the place: those were the first one's.
    """
    found: list[Calibration] = []
    for number, placement in enumerate(p for p in rows.placements[sensor.id] if p.since <= now):
        own = [c for c in rows.device_calibrations.get(placement.device_id, []) if c.known(now)]
        earlier = [c for c in own if c.valid_from <= placement.since]
        if earlier:
            first = as_calibration(max(earlier, key=lambda c: c.valid_from))
            found.append(replace(first, valid_from=placement.since))
        elif number > 0:
            found.append(Calibration(placement.since, ends=True))
        end = placement.until if placement.until is not None else now
        found += [as_calibration(c) for c in own if placement.since < c.valid_from <= end]
    return found


def _roots(row: BlockRow, calendar: CropCalendar | None) -> tuple[RootGrowth | None, Source]:
    if row.root_depth_cm is not None:
        if row.root_depth_start_cm is None or row.planting_date is None or row.full_root_date is None:
            return RootGrowth(row.root_depth_cm), Source(
                "entry", "block set-up", Notice("source.roots_entered", crop=row.crop)
            )
        planted, grown = (times.day_number(date.fromisoformat(d)) for d in (row.planting_date, row.full_root_date))
        span = {"start_cm": row.root_depth_start_cm, "full_cm": row.root_depth_cm}
        detail = Notice("source.roots_grow", **span, planted_day=planted, grown_day=grown)
        growth = RootGrowth(row.root_depth_cm, row.root_depth_start_cm, planted, grown)
        return growth, Source("entry", "block set-up", detail)
    defaults = crop_defaults(row.crop)
    if defaults is None:
        return None, Source("assumption", "not given")
    depths = {"low_cm": defaults.root_depth_min_cm, "high_cm": defaults.root_depth_max_cm}
    detail = Notice("source.roots_table", crop=defaults.crop, **depths)
    if calendar is None or defaults.crop.split()[0] in STAYING:
        return RootGrowth(defaults.root_depth_min_cm), Source("table", CROP_TABLE, detail)
    covered = round(calendar.first_day + sum(calendar.lengths_days[:2]))
    growth = usual_growth(defaults.root_depth_min_cm, calendar.first_day, covered)
    if growth.start_cm is None:
        return growth, Source("table", CROP_TABLE, detail)
    grows = {"start_cm": growth.start_cm, "full_cm": growth.full_cm, "grown_day": covered}
    return growth, Source("table", CROP_TABLE, Notice("source.roots_usual", crop=defaults.crop, **grows))


def _allowable(row: BlockRow) -> Sourced | None:
    if row.allowable_depletion_fraction is not None:
        return Sourced(
            row.allowable_depletion_fraction, Source("entry", "block set-up", "allowable depletion, entered")
        )
    defaults = crop_defaults(row.crop)
    if defaults is None:
        return None
    detail = Notice("source.p_of", crop=defaults.crop, use_mm_d=5.0)
    return Sourced(defaults.depletion_fraction, Source("table", CROP_TABLE, detail))


def _system(row: SystemRow) -> IrrigationSystem:
    pivot, furrows = json.loads(row.pivot), json.loads(row.furrows)
    if row.kind == "pivot":
        turning = Pivot(**pivot)
        formula = Notice("source.rate_pivot", turn_h=turning.turn_h)
        return IrrigationSystem("pivot", pivot_rate_mm_h(turning), row.efficiency_fraction, formula, pivot=turning)
    if row.kind in ("furrow", "border"):
        running = Furrows(**furrows)
        run = {"spacing_m": running.spacing_m, "length_m": running.length_m}
        formula = Notice("source.rate_furrow", inflow_l_s=running.inflow_l_s, **run)
        kept = kept_of_furrows(row.efficiency_fraction, running)
        return IrrigationSystem(row.kind, furrow_rate_mm_h(running), kept, formula, furrows=running)  # type: ignore[arg-type]
    rate, got_from = outlet_rate_mm_h(row)
    return IrrigationSystem(row.kind, rate, row.efficiency_fraction, got_from)  # type: ignore[arg-type]


def outlet_rate_mm_h(row: SystemRow) -> tuple[float, Text]:
    """Application rate of outlets on a grid [mm/h], with how it was got."""
    if row.rate_mm_h is not None:
        return row.rate_mm_h, "entered"
    assert row.flow_l_h and row.spacing_m and row.line_spacing_m
    rate = application_rate_mm_h(Emitters(row.flow_l_h, row.spacing_m, row.line_spacing_m, row.per_point))
    grid = {"flow_l_h": row.flow_l_h, "spacing_m": row.spacing_m, "line_m": row.line_spacing_m}
    return rate, Notice("source.rate_outlets", per_point=row.per_point if row.per_point != 1 else None, **grid)


_RATE_FROM = {
    "pivot": "from the depth of a turn, or flow and area, entered",
    "furrow": "from inflow, spacing and length, entered",
    "border": "from inflow, width and length, entered",
}


def _sources(row: BlockRow, system: SystemRow | None) -> dict[str, Source]:
    def entered(detail: Text) -> Source:
        return Source("entry", "block set-up", detail)

    sources = {
        "wetted_fraction": entered("share of the ground the system wets; the probe stands in the wetted part"),
        "min_set_mm": entered("smallest practical set, net"),
        "max_set_mm": entered("largest practical set, net"),
    }
    if system is not None:
        name = f"system {system.name}"
        furrows = json.loads(system.furrows) or {}
        tail = furrows.get("tailwater_fraction", 0)
        too_much = tail > 0 and system.efficiency_fraction > 1 - tail
        less = {
            "tail_fraction": tail or None,
            "entered_fraction": system.efficiency_fraction if too_much else None,
        }
        sources["efficiency_fraction"] = Source("entry", name, Notice("source.efficiency", **less))
        how = _RATE_FROM.get(system.kind, "from outlet flow and spacings, entered")
        how = "entered" if system.rate_mm_h is not None else how
        sources["rate_mm_h"] = Source("entry", name, Notice("source.rate", how=how))
    return sources
