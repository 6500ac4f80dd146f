"""Stored rows as the core's blocks, with where each entry came from."""

from collections.abc import Sequence
from datetime import date

from embalse.core.block import Block, Sensor, Station
from embalse.core.calibration import LinearCalibration
from embalse.core.decision import SetLimits
from embalse.core.delivery import Emitters, IrrigationSystem, application_rate_mm_h
from embalse.core.marks import Horizon, MarkEntry
from embalse.core.roots import RootGrowth
from embalse.core.soil import FineEarth
from embalse.core.sources import Source, Sourced
from embalse.core.tabulated import CROP_TABLE, crop_defaults
from embalse.services import times
from embalse.store.rows import BlockRow, FarmRows, HorizonRow, SystemRow


def core_blocks(rows: FarmRows) -> list[Block]:
    """The stored blocks as the core knows them, in stored order."""
    return [_block(row, rows) for row in rows.blocks]


def _block(row: BlockRow, rows: FarmRows) -> Block:
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
        stations=tuple(_stations(row, rows)),
        sources=_sources(row, system_row),
    )


def _stations(row: BlockRow, rows: FarmRows) -> Sequence[Station]:
    return [
        Station(
            key=station.key,
            name=station.name,
            bottom_cm=station.bottom_cm,
            sensors=tuple(
                Sensor(
                    key=sensor.ref,
                    depth_cm=sensor.depth_cm,
                    raw_unit=sensor.raw_unit,
                    calibrations=tuple(
                        LinearCalibration(c.valid_from, c.slope, c.intercept, c.rmse_theta, c.note)
                        for c in rows.calibrations.get(sensor.id, [])
                    ),
                )
                for sensor in rows.sensors.get(station.id, [])
            ),
        )
        for station in rows.stations.get(row.id, [])
    ]


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
    if row.rate_mm_h is not None:
        rate, formula = row.rate_mm_h, "entered"
    else:
        assert row.flow_l_h and row.spacing_m and row.line_spacing_m
        rate = application_rate_mm_h(Emitters(row.flow_l_h, row.spacing_m, row.line_spacing_m, row.per_point))
        outlets = f"{row.per_point:g} × " if row.per_point != 1 else ""
        formula = f"{outlets}{row.flow_l_h:g} L/h ÷ ({row.spacing_m:g} m × {row.line_spacing_m:g} m)"
    return IrrigationSystem(row.kind, rate, row.efficiency_fraction, formula)  # type: ignore[arg-type]


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
        sources["efficiency_fraction"] = Source("entry", name, "application efficiency, entered")
        how = "entered" if system.rate_mm_h is not None else "from outlet flow and spacings, entered"
        sources["rate_mm_h"] = Source("entry", name, f"depth an hour over the whole block, {how}")
    return sources
