"""The water side of the farm as its set-up page shows it: supplies with rules, parts of blocks, people, groups."""

from pydantic import Field

from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.planning.arming import CAUTIONS, armed
from embalse.services.planning.groups import groups
from embalse.services.planning.planned import holding, taken_of
from embalse.services.planning.supplies import (
    SupplySide,
    block_shifts,
    lane_of,
    plan_days,
    season_left_m3,
    supply_sides,
    work_hours,
)
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.water import BlockShiftsPart, SetGroupPart, WaterRulesPart, WorkHoursPart
from embalse.store import controllers as controller_store
from embalse.store import farm as farm_store
from embalse.store.rows import FarmRows

STEP_MIN = 30


class WaterSupplyOut(Content):
    """A supply, the rules in force for it, and what they come to."""

    key: str
    name: str
    flow_m3_h: float | None
    hours_per_day: float | None
    rules: WaterRulesPart | None
    kwh_m3: float | None = Field(description="energy of a cubic metre")
    price_low: float = Field(description="least price of a cubic metre in the next week, water and energy")
    price_high: float
    left_m3: float | None = Field(description="of the water allowed this season")
    blocks: list[str]
    armed: bool
    controller: str = Field(description="key of its controller; empty where valves are opened by hand")
    controller_name: str
    controller_url: str
    valves: list[str]
    trouble: str


class BlockWaterOut(Content):
    """A block, its supply and the parts it is watered in."""

    key: str
    name: str
    area_ha: float
    supply: str
    shifts: BlockShiftsPart | None


class WaterContent(Content):
    """The water side of the farm at a moment."""

    as_of: str
    supplies: list[WaterSupplyOut]
    blocks: list[BlockWaterOut]
    people: list[WorkHoursPart]
    groups: list[SetGroupPart]
    cautions: list[Words] = Field(description="read before a supply is armed")


@as_known_then
def water_content(moment: str | None = None) -> WaterContent:
    """The water side of the farm at a farm-local moment (now if None)."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    sides = supply_sides(rows, now, farm.time_zone)
    keys = {s.id: s.key for s in rows.supplies.values()}
    return WaterContent(
        as_of=times.iso(now, farm.time_zone) or "",
        supplies=[_supply(side, rows, now, farm.time_zone) for side in sides.values()],
        blocks=[
            BlockWaterOut(
                key=b.key, name=b.name, area_ha=b.area_ha, supply=keys.get(b.supply_id or -1, ""),
                shifts=block_shifts(b.key, now, farm.time_zone),
            )
            for b in rows.blocks
        ],
        people=work_hours(now, farm.time_zone),
        groups=groups(),
        cautions=[say(Notice(code)) for code in CAUTIONS],
    )  # fmt: skip


def _supply(side: SupplySide, rows: FarmRows, now: int, zone: str) -> WaterSupplyOut:
    span = plan_days(now, 7, zone, STEP_MIN)
    lane = lane_of(side, span, taken_of(holding(now, zone)), rows)
    controller = controller_store.of_supply(side.row.key)
    return WaterSupplyOut(
        key=side.row.key,
        name=side.row.name,
        flow_m3_h=side.flow_m3_h,
        hours_per_day=side.runs_h,
        rules=side.rules,
        kwh_m3=side.kwh_m3,
        price_low=float(lane.price.min()),
        price_high=float(lane.price.max()),
        left_m3=season_left_m3(side, rows, span),
        blocks=[b.key for b in rows.blocks if b.supply_id == side.row.id],
        armed=armed(side.row.key, now, zone),
        controller=controller.key if controller else "",
        controller_name=controller.name if controller else "",
        controller_url=controller.url if controller else "",
        valves=list(controller.valves) if controller else [],
        trouble=controller.trouble if controller else "",
    )
