"""Blocks as far as a station may stand for them, and which station stands in for a block that has none."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from embalse.core.install.siting import Zone, zone_cautions
from embalse.core.root_zone.block import Block, Station
from embalse.core.wording import Notice
from embalse.services.load.blocks import core_blocks
from embalse.services.load.in_force import acceptance
from embalse.store import farm as farm_store
from embalse.store.rows import FarmRows


def zones_of(rows: FarmRows, blocks: Sequence[Block]) -> dict[str, Zone]:
    """Blocks as zones, by their key."""
    soils = {id_: name for id_, _, name in farm_store.soils()}
    by_key = {b.key: b for b in rows.blocks}
    return {b.key: _zone(b, soils[by_key[b.key].soil_id], by_key[b.key].slope_pct) for b in blocks if b.key in by_key}


def _zone(block: Block, soil: str, slope_pct: float | None) -> Zone:
    system = block.system
    if system is None:
        return Zone(block.name, soil, block.crop, slope_pct, None, "none")
    return Zone(block.name, soil, block.crop, slope_pct, system.rate_mm_h, system.kind)


@dataclass(frozen=True)
class StandIn:
    """A station of another block that stands for one: the block it stands in, with all its rows."""

    home: Block
    rows: FarmRows


def with_stand_ins(
    rows: FarmRows, blocks: Sequence[Block], at: tuple[int, str]
) -> tuple[list[Block], Mapping[str, StandIn]]:
    """Blocks without a station of their own, each with the one that stands for it, or why that one may not.

    ``at`` is the instant asked for [s, UTC] and the farm's time zone. A station stands for a block where soil, crop,
    slope and emitter are alike, or a person accepted that they are not, with a note.
    """
    found: list[Block] = []
    homes: dict[str, StandIn] = {}
    for block in blocks:
        offered = [] if block.stations else farm_store.stations_standing_for(block.key)
        if not offered:
            found.append(block)
            continue
        taken, stand_in = _taken(rows, block, offered, at)
        found.append(taken)
        if stand_in is not None:
            homes[block.key] = stand_in
    return found, homes


def with_rows_of_stand_ins(rows: FarmRows, at: tuple[int, str]) -> FarmRows:
    """Rows of blocks with those of the stations that stand in for them at an instant [s, UTC] of a farm's time zone."""
    _, homes = with_stand_ins(rows, core_blocks(rows, at[0]), at)
    return rows_with_stand_ins(rows, homes)


def rows_with_stand_ins(rows: FarmRows, homes: Mapping[str, StandIn]) -> FarmRows:
    """Rows with the sensors of the stations that stand in, so that their readings are found."""
    found = rows
    for one in homes.values():
        found = replace(
            found,
            sensors={**one.rows.sensors, **found.sensors},
            companions={**one.rows.companions, **found.companions},
            calibrations={**one.rows.calibrations, **found.calibrations},
            placements={**one.rows.placements, **found.placements},
        )
    return found


def _taken(
    rows: FarmRows, block: Block, offered: Sequence[tuple[str, str]], at: tuple[int, str]
) -> tuple[Block, StandIn | None]:
    """The block with the first station that may stand for it; else with why the first one may not."""
    refused: Notice | None = None
    for home_key, station_key in offered:
        home_rows = farm_store.farm_rows([home_key])
        home = core_blocks(home_rows, at[0])[0]
        station = next((s for s in home.stations if s.key == station_key), None)
        if station is None:
            continue
        zones = zones_of(rows, [block]) | zones_of(home_rows, [home])
        differs = zone_cautions(zones[home.key], [zones[block.key]])
        note = acceptance(block.key, f"{home_key}/{station_key}", rows, at) if differs else ""
        if differs and not note:
            why = differs[0]["differs"]
            refused = refused or Notice("no_advice.zone_differs", station=station.name, block=home.name, differs=why)
            continue
        borrowed: Station = replace(station, borrowed_from=home.name, accepted=note)
        return replace(block, stations=(borrowed,)), StandIn(home, home_rows)
    return (block if refused is None else replace(block, no_station=refused)), None
