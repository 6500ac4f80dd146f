"""Water used in a time, for whoever has to account for it: meters, blocks, and how it was worked out."""

import json
from collections.abc import Mapping, Sequence
from datetime import date, datetime
from typing import Final

from embalse.core.errors import require
from embalse.core.season.metering import Metered, MeterReading, agrees, metered
from embalse.core.season.plantings import last_day_of
from embalse.core.season.water_account import M3_PER_MM_HA
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.plantings import plantings_of
from embalse.services.load.schemas import Content
from embalse.services.planning.plan_table import as_csv
from embalse.services.planning.supplies import SupplySide, supply_sides
from embalse.services.reader import Words, say_all
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.water import SetEvidencePart
from embalse.store import controllers as controller_store
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store
from embalse.store import records as record_store
from embalse.store.rows import BlockRow, FarmRows, SetRow

METHOD: Final = ("method.depth", "method.measured", "method.meter", "method.error")
LONGEST_DAYS: Final = 3660
HEAD: Final = (
    "block", "name", "supply", "crops", "area [ha]", "first day", "last day", "sets", "sets measured", "volume [m3]",
    "of it measured [m3]", "depth [mm]",
)  # fmt: skip


class MeterOut(Content):
    """A supply's meter over the time: two readings, what it counted, and what the sets between them add up to [m³]."""

    first_at: str
    first_m3: float
    last_at: str
    last_m3: float
    counted_m3: float
    on_record_m3: float
    agrees: bool


class SupplyUsedOut(Content):
    """A supply's water in the time."""

    key: str
    name: str
    volume_m3: float
    meter: MeterOut | None
    words: list[Words]
    allowed_m3: float | None
    allowed_until: str | None


class BlockUsedOut(Content):
    """A block's water in the time."""

    key: str
    name: str
    supply: str
    crops: list[str]
    area_ha: float
    sets: int
    measured_sets: int
    volume_m3: float
    measured_m3: float
    depth_mm: float


class WaterUsedContent(Content):
    """Water used between two days, both counted."""

    farm: str
    as_of: str
    first_day: str
    last_day: str
    volume_m3: float
    area_ha: float
    supplies: list[SupplyUsedOut]
    blocks: list[BlockUsedOut]
    method: list[str]


@as_known_then
def water_used(moment: str | None = None, first: date | None = None, last: date | None = None) -> WaterUsedContent:
    """Water used between two days as known at a farm-local moment; this year so far where they are not given.

    Raises
    ------
    Conflict
        If no farm is set up.
    CoreError
        If the last day comes before the first, or they lie more than ten years apart.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now, zone = clock.as_of(farm, moment), farm.time_zone
    today = times.day_of(times.local_day(now, zone))
    last = min(last or today, today)
    first = first or date(last.year, 1, 1)
    require(first <= last, "last", "the last day comes before the first")
    require((last - first).days <= LONGEST_DAYS, "first", "more than ten years at once")
    span = times.instant_of(times.day_number(first), 0, zone), times.instant_of(times.day_number(last) + 1, 0, zone) - 1
    span = span[0], min(span[1], now)
    rows = farm_store.farm_rows()
    sets = [s for s in readings_store.sets(None, *span) if span[0] <= s.start_at <= span[1]]
    blocks = _blocks(rows, sets, (now, zone), span)
    sides = supply_sides(rows, now, zone)
    return WaterUsedContent(
        farm=farm.name,
        as_of=times.iso(now, zone) or "",
        first_day=first.isoformat(),
        last_day=last.isoformat(),
        volume_m3=sum(b.volume_m3 for b in blocks),
        area_ha=sum(b.area_ha for b in blocks),
        supplies=[_supply(side, rows, sets, (span, zone)) for side in sides.values()],
        blocks=blocks,
        method=say_all([Notice(code) for code in METHOD]),
    )


def _blocks(rows: FarmRows, sets: Sequence[SetRow], at: tuple[int, str], span: tuple[int, int]) -> list[BlockUsedOut]:
    measured = _measured(at[1])
    found = []
    for row in rows.blocks:
        mine = [s for s in sets if s.block_key == row.key]
        counted = [s for s in mine if (row.key, s.start_at) in measured]
        volume = sum(_m3(s, row.area_ha) for s in mine)
        found.append(
            BlockUsedOut(
                key=row.key,
                name=row.name,
                supply=rows.supplies[row.supply_id].name if row.supply_id is not None else "",
                crops=_crops(row, rows, at, span),
                area_ha=row.area_ha,
                sets=len(mine),
                measured_sets=len(counted),
                volume_m3=volume,
                measured_m3=sum(_m3(s, row.area_ha) for s in counted),
                depth_mm=sum(s.gross_mm for s in mine),
            )
        )
    return found


def _m3(one: SetRow, area_ha: float) -> float:
    return one.gross_mm * M3_PER_MM_HA * area_ha


def _crops(row: BlockRow, rows: FarmRows, at: tuple[int, str], span: tuple[int, int]) -> list[str]:
    """What stood on a block in a span [s, UTC], in order."""
    first, last = (times.local_day(one, at[1]) for one in span)
    planted = plantings_of(row, rows, at)
    stood = [p.crop for p in planted if p.first_day <= last and (last_day_of(planted, p) or last) >= first]
    return list(dict.fromkeys(stood)) if planted else [row.crop]


def _measured(zone: str) -> set[tuple[str, int]]:
    """Sets on record, by block and start [s, UTC], whose water a meter counted."""
    told = {
        body["planned"]
        for body in (json.loads(r.body) for r in record_store.records("set_evidence"))
        if body["planned"] and SetEvidencePart.model_validate(body).measured_m3() is not None
    }
    found = set()
    for record in record_store.records("planned_sets"):
        if record.key in told:
            body = json.loads(record.body)
            if body["logged"] is not None:
                found.add((body["block"], times.epoch(datetime.fromisoformat(body["logged"]), zone)))
    return found


def _supply(side: SupplySide, rows: FarmRows, sets: Sequence[SetRow], of: tuple[tuple[int, int], str]) -> SupplyUsedOut:
    span, zone = of
    area = {b.key: b.area_ha for b in rows.blocks if b.supply_id == side.row.id}
    mine = [s for s in sets if s.block_key in area]
    counted = metered(_readings(side.row.key, span, zone), *span)
    season = side.rules.season if side.rules else None
    meter = _meter(counted, mine, area, zone) if counted else None
    return SupplyUsedOut(
        key=side.row.key,
        name=side.row.name,
        volume_m3=sum(_m3(s, area[s.block_key]) for s in mine),
        meter=meter,
        words=say_all(_words(counted, meter, zone)),
        allowed_m3=season.volume_m3 if season else None,
        allowed_until=season.last.isoformat() if season else None,
    )


def _readings(supply: str, span: tuple[int, int], zone: str) -> list[MeterReading]:
    """A supply's meter as its line told it and as people read it."""
    found = [MeterReading(at, m3) for at, _, m3 in controller_store.lines(supply, *span) if m3 is not None]
    for record in record_store.records("meter_readings", supply):
        body = json.loads(record.body)
        at = times.epoch(datetime.fromisoformat(body["at"]), zone)
        found.append(MeterReading(at, body["meter_m3"], body["new_meter"]))
    return found


def _meter(counted: Metered, sets: Sequence[SetRow], area: Mapping[str, float], zone: str) -> MeterOut:
    between = sum(_m3(s, area[s.block_key]) for s in sets if counted.first.at <= s.start_at <= counted.last.at)
    return MeterOut(
        first_at=times.iso(counted.first.at, zone) or "",
        first_m3=counted.first.m3,
        last_at=times.iso(counted.last.at, zone) or "",
        last_m3=counted.last.m3,
        counted_m3=counted.m3,
        on_record_m3=between,
        agrees=agrees(between, counted.m3),
    )


def _words(counted: Metered | None, meter: MeterOut | None, zone: str) -> list[Notice]:
    if counted is None or meter is None:
        return [Notice("meter.unread")]
    fell = [Notice("meter.fell", on_day=times.local_day(at, zone)) for at in counted.fell_at]
    off = meter.on_record_m3 - meter.counted_m3
    if meter.agrees:
        return [*fell, Notice("meter.agrees")]
    return [*fell, Notice("meter.less" if off < 0 else "meter.more", off_m3=abs(off))]


def water_used_csv(moment: str | None = None, first: date | None = None, last: date | None = None) -> str:
    """The blocks of the same report as CSV; raises as :func:`water_used` does."""
    told = water_used(moment, first, last)
    return as_csv(HEAD, (
        (b.key, b.name, b.supply, "; ".join(b.crops), b.area_ha, told.first_day, told.last_day, b.sets,
         b.measured_sets, round(b.volume_m3, 1), round(b.measured_m3, 1), round(b.depth_mm, 1))
        for b in told.blocks
    ))  # fmt: skip


def say_water_used(told: WaterUsedContent) -> list[str]:
    """The report in lines of text."""
    lines = [f"{told.farm}, {told.first_day} to {told.last_day}: {told.volume_m3:.0f} m³ on {told.area_ha:g} ha"]
    for s in told.supplies:
        read = "" if s.meter is None else f", {s.meter.counted_m3:.0f} m³ by the meter"
        lines.append(f"{s.name}: {s.volume_m3:.0f} m³ on record{read}; {'; '.join(s.words)}")
    lines += [f"{b.name}: {b.volume_m3:.0f} m³ in {b.sets} sets, {b.depth_mm:.0f} mm" for b in told.blocks]
    return [*lines, *told.method]
