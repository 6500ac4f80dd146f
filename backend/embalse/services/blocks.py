"""Stored rows as the core's blocks, with where each entry came from."""

import json
from collections.abc import Sequence
from dataclasses import replace
from datetime import date

from embalse.core.block import Block, Sensor, Station, Supply
from embalse.core.calibration import LinearCalibration
from embalse.core.decision import SetLimits
from embalse.core.delivery import Emitters, IrrigationSystem, application_rate_mm_h
from embalse.core.marks import Horizon, MarkEntry
from embalse.core.moving_systems import Furrows, Pivot, furrow_rate_mm_h, pivot_rate_mm_h
from embalse.core.roots import RootGrowth
from embalse.core.soil import FineEarth
from embalse.core.sources import Source, Sourced
from embalse.core.tabulated import CROP_TABLE, crop_defaults
from embalse.services import times
from embalse.store.rows import BlockRow, CalibrationRow, FarmRows, HorizonRow, SensorRow, StationRow, SystemRow


def core_blocks(rows: FarmRows, now: int, with_removed: bool = False) -> list[Block]:
    """The stored blocks as the core knows them, in stored order, as they stood at an instant [s, UTC].

    Stations removed by then are left out unless ``with_removed`` is set.
    """
    return [_block(row, rows, now, with_removed) for row in rows.blocks]


def _block(row: BlockRow, rows: FarmRows, now: int, with_removed: bool) -> Block:
    roots, roots_source = _roots(row)
    system_row = rows.systems.get(row.system_id) if row.system_id is not None else None
    return Block(
        key=row.key,
        name=row.name,
        area_ha=row.area_ha,
        horizons=tuple(_horizon(h) for h in rows.horizons.get(row.soil_id, [])),
        roots=roots,
        roots_source=roots_source,
        allowable=_allowable(row),
        limits=SetLimits(row.wetted_fraction, row.min_set_mm, row.max_set_mm),
        system=_system(system_row) if system_row else None,
        stations=tuple(_stations(row, rows, now, with_removed)),
        sources=_sources(row, system_row),
        supply=_supply(row, rows),
    )


def _supply(row: BlockRow, rows: FarmRows) -> Supply | None:
    found = rows.supplies.get(row.supply_id) if row.supply_id is not None else None
    return None if found is None else Supply(found.name, found.flow_m3_h, found.hours_per_day)


def _stations(row: BlockRow, rows: FarmRows, now: int, with_removed: bool) -> Sequence[Station]:
    return [
        Station(
            key=station.key,
            name=station.name,
            bottom_cm=station.bottom_cm,
            sensors=tuple(_sensor(sensor, station, rows, now) for sensor in rows.sensors.get(station.id, [])),
            settle_days=station.settle_days,
        )
        for station in rows.stations.get(row.id, [])
        if with_removed or station.removed_at is None or station.removed_at > now
    ]


def _sensor(sensor: SensorRow, station: StationRow, rows: FarmRows, now: int) -> Sensor:
    placed = [p for p in rows.placements.get(sensor.id, []) if p.since <= now]
    moments = [station.installed_at, station.moved_at, *(p.since for p in placed)]
    calibrations = [_calibration(c) for c in rows.calibrations.get(sensor.id, [])]
    if placed:
        calibrations += _device_calibrations(sensor, rows, now)
    return Sensor(
        key=sensor.ref,
        depth_cm=sensor.depth_cm,
        raw_unit=sensor.raw_unit,
        calibrations=tuple(sorted(calibrations, key=lambda c: c.valid_from)),
        since=max((m for m in moments if m is not None and m <= now), default=station.installed_at),
        read_every_days=station.read_every_days,
    )


def _calibration(row: CalibrationRow) -> LinearCalibration:
    return LinearCalibration(row.valid_from, row.slope, row.intercept, row.rmse_theta, row.note)


def _device_calibrations(sensor: SensorRow, rows: FarmRows, now: int) -> list[LinearCalibration]:
    """Calibrations that came with the devices in this place, each in force while its device is there.

    The second and later devices start without the calibrations entered for the place: those were the first one's.
    """
    found: list[LinearCalibration] = []
    for number, placement in enumerate(p for p in rows.placements[sensor.id] if p.since <= now):
        own = rows.device_calibrations.get(placement.device_id, [])
        earlier = [c for c in own if c.valid_from <= placement.since]
        if earlier:
            first = _calibration(max(earlier, key=lambda c: c.valid_from))
            found.append(replace(first, valid_from=placement.since))
        elif number > 0:
            found.append(LinearCalibration(placement.since, 1.0, 0.0, ends=True))
        end = placement.until if placement.until is not None else now
        found += [_calibration(c) for c in own if placement.since < c.valid_from <= end]
    return found


def _horizon(row: HorizonRow) -> Horizon:
    earth = FineEarth(row.sand_fraction, row.clay_fraction, row.organic_matter_pct, row.bulk_density_g_cm3)

    def entry(theta: float | None, reason: str | None) -> MarkEntry | None:
        return None if theta is None else MarkEntry(theta, reason or "")

    return Horizon(
        row.top_cm,
        row.bottom_cm,
        earth,
        row.stones_fraction,
        full=entry(row.full_theta, row.full_reason),
        refill=entry(row.refill_theta, row.refill_reason),
        wilting=entry(row.wilting_theta, row.wilting_reason),
        restricts_roots=bool(row.restricts_roots),
    )


def _roots(row: BlockRow) -> tuple[RootGrowth | None, Source]:
    if row.root_depth_cm is not None:
        if row.root_depth_start_cm is None or row.planting_date is None or row.full_root_date is None:
            return RootGrowth(row.root_depth_cm), Source("entry", "block set-up", f"root depth of {row.crop}, entered")
        planted, grown = (times.day_number(date.fromisoformat(d)) for d in (row.planting_date, row.full_root_date))
        span = f"{row.root_depth_start_cm:g} to {row.root_depth_cm:g} cm"
        detail = f"grows from {span}, {row.planting_date} to {row.full_root_date}"
        growth = RootGrowth(row.root_depth_cm, row.root_depth_start_cm, planted, grown)
        return growth, Source("entry", "block set-up", detail)
    defaults = crop_defaults(row.crop)
    if defaults is None:
        return None, Source("assumption", "not given")
    detail = (
        f"{defaults.crop}: {defaults.root_depth_min_cm:g} to {defaults.root_depth_max_cm:g} cm, the smaller is used"
    )
    return RootGrowth(defaults.root_depth_min_cm), Source("table", CROP_TABLE, detail)


def _allowable(row: BlockRow) -> Sourced | None:
    if row.allowable_depletion_fraction is not None:
        return Sourced(
            row.allowable_depletion_fraction, Source("entry", "block set-up", "allowable depletion, entered")
        )
    defaults = crop_defaults(row.crop)
    if defaults is None:
        return None
    detail = f"{defaults.crop}: p at a crop use of 5 mm a day; not adjusted, no weather is used yet"
    return Sourced(defaults.depletion_fraction, Source("table", CROP_TABLE, detail))


def _system(row: SystemRow) -> IrrigationSystem:
    pivot, furrows = json.loads(row.pivot), json.loads(row.furrows)
    if row.kind == "pivot":
        turning = Pivot(**pivot)
        formula = f"depth of a turn at 100 % ÷ {turning.turn_h:g} h"
        return IrrigationSystem("pivot", pivot_rate_mm_h(turning), row.efficiency_fraction, formula, pivot=turning)
    if row.kind in ("furrow", "border"):
        running = Furrows(**furrows)
        formula = f"{running.inflow_l_s:g} L/s ÷ ({running.spacing_m:g} m × {running.length_m:g} m)"
        kept = row.efficiency_fraction * (1 - running.tailwater_fraction)
        return IrrigationSystem(row.kind, furrow_rate_mm_h(running), kept, formula, furrows=running)  # type: ignore[arg-type]
    rate, formula = outlet_rate_mm_h(row)
    return IrrigationSystem(row.kind, rate, row.efficiency_fraction, formula)  # type: ignore[arg-type]


def outlet_rate_mm_h(row: SystemRow) -> tuple[float, str]:
    """Application rate of outlets on a grid [mm/h], with how it was got."""
    if row.rate_mm_h is not None:
        return row.rate_mm_h, "entered"
    assert row.flow_l_h and row.spacing_m and row.line_spacing_m
    rate = application_rate_mm_h(Emitters(row.flow_l_h, row.spacing_m, row.line_spacing_m, row.per_point))
    outlets = f"{row.per_point:g} × " if row.per_point != 1 else ""
    return rate, f"{outlets}{row.flow_l_h:g} L/h ÷ ({row.spacing_m:g} m × {row.line_spacing_m:g} m)"


_RATE_FROM = {
    "pivot": "from the depth of a turn, or flow and area, entered",
    "furrow": "from inflow, spacing and length, entered",
    "border": "from inflow, width and length, entered",
}


def _sources(row: BlockRow, system: SystemRow | None) -> dict[str, Source]:
    def entered(detail: str) -> Source:
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
        less = f" {system.efficiency_fraction:g}, less {tail:.0%} tailwater" if tail else ""
        sources["efficiency_fraction"] = Source("entry", name, f"application efficiency, entered{less}")
        how = _RATE_FROM.get(system.kind, "from outlet flow and spacings, entered")
        how = "entered" if system.rate_mm_h is not None else how
        sources["rate_mm_h"] = Source("entry", name, f"depth an hour over the whole block, {how}")
    return sources
