"""Rules of a block, its dry windows, and what a person orders over the advice."""

import json
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, StringConstraints

from embalse.core.delivery.irrigation_rules import TriggerKind
from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.load import clock
from embalse.services.load.in_force import in_force
from embalse.services.load.schemas import Content
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.base import Day, Note, Number
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor

KINDS = ("block_rules", "dry_windows", "orders")


class Entry(BaseModel):
    """A body of this page: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", defer_build=True)


class RulesIn(Entry):
    """Rules as they are to hold; what is left out is not asked for."""

    stage: Annotated[str, StringConstraints(max_length=60, strip_whitespace=True)] = ""
    variety: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = ""
    valid_from: Day | None = None
    trigger: TriggerKind = "root zone"
    tension_kpa: Number | None = None
    tension_to_cm: Number | None = None
    cautious: bool = False
    lead_days: Number = 0.0
    rain_room_mm: Number | None = None
    fill_share: Number = 1.0
    fixed_dose_mm: Number | None = None
    ec_water_ds_m: Number | None = None
    ec_soil_ds_m: Number | None = None
    max_rate_mm_h: Number | None = None
    managed_depth_cm: Number | None = None
    last_day: Day | None = None
    end_share: Number | None = None
    reading_sensor: str | None = None
    reading_value: Number | None = None
    reading_drier: Literal["higher", "lower"] | None = None
    surface_days: Number | None = None
    trigger_share: Number = 1.0
    shrinkage_most: Number | None = None
    trunk_growth_mm_d: Number | None = None
    follow_fruit: bool = False
    note: Note = ""


class WindowIn(Entry):
    """Days on which the block must be dry."""

    what: Literal["spraying", "cutting", "traffic", "harvest"]
    dry_by: Day
    until: Day
    top_cm: Number = 30.0
    ends_season: bool = False
    note: Note = ""


class OrderIn(Entry):
    """A hold, a set, or the end of the season's water, over the advice."""

    action: Literal["hold", "water", "end"]
    seen: Literal["", "lodging", "disease", "ripe", "hail", "frost"] = ""
    until: Day
    net_mm: Number | None = None
    note: Annotated[str, StringConstraints(min_length=1, max_length=400, strip_whitespace=True)]


class WithdrawIn(Entry):
    """What is taken back."""

    kind: Literal["block_rules", "dry_windows", "orders"]
    key: Annotated[str, StringConstraints(max_length=80)]


class RulesOut(Content):
    """Rules in force, as they were entered."""

    key: str
    stage: str
    variety: str = ""
    trigger: TriggerKind
    tension_kpa: float | None
    tension_to_cm: float | None
    cautious: bool
    lead_days: float
    rain_room_mm: float | None
    fill_share: float
    fixed_dose_mm: float | None
    ec_water_ds_m: float | None
    ec_soil_ds_m: float | None
    max_rate_mm_h: float | None
    managed_depth_cm: float | None = None
    last_day: str | None
    end_share: float | None
    reading_sensor: str | None = None
    reading_value: float | None = None
    reading_drier: Literal["higher", "lower"] | None = None
    surface_days: float | None = None
    trigger_share: float = 1.0
    shrinkage_most: float | None = None
    trunk_growth_mm_d: float | None = None
    follow_fruit: bool = False
    note: str
    who: str


class WindowOut(Content):
    """A dry window."""

    key: str
    what: str
    dry_by: str
    until: str
    top_cm: float
    ends_season: bool
    note: str
    who: str


class OrderOut(Content):
    """An order that holds."""

    key: str
    action: Literal["hold", "water", "end"]
    seen: str = ""
    until: str
    net_mm: float | None
    note: str
    who: str


class RulesContent(Content):
    """Rules, windows and orders of a block that hold at a farm-local moment."""

    key: str
    name: str
    as_of: str
    rules: list[RulesOut]
    windows: list[WindowOut]
    orders: list[OrderOut]


@as_known_then
def rules_content(key: str, moment: str | None = None) -> RulesContent:
    """What holds for a block at a farm-local moment.

    Raises
    ------
    NotFound
        If there is no such block.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    row = farm_store.farm_rows([key]).blocks[0]
    today = times.day_of(times.local_day(now, farm.time_zone)).isoformat()

    def hold(kind: str) -> list[dict[str, Any]]:
        bodies = [json.loads(r.body) for r in record_store.records(kind, key)]
        return in_force(bodies, (now, farm.time_zone))

    latest = {(b["stage"], b.get("variety", "")): b for b in hold("block_rules")}
    return RulesContent(
        key=key,
        name=row.name,
        as_of=times.iso(now, farm.time_zone) or "",
        rules=[RulesOut(**{n: b[n] for n in RulesOut.model_fields if n in b}) for b in latest.values()],
        windows=[
            WindowOut(**{n: b[n] for n in WindowOut.model_fields if n in b})
            for b in hold("dry_windows")
            if b["until"] >= today
        ],
        orders=[
            OrderOut(**{n: b[n] for n in OrderOut.model_fields if n in b})
            for b in hold("orders")
            if b["until"] >= today
        ],
    )


def set_rules(key: str, body: RulesIn) -> RulesContent:
    """Give a block rules from a day on, today if none; those before stay. Raises DocumentErrors or NotFound."""
    values = body.model_dump(mode="json")
    if values["valid_from"] is None:
        del values["valid_from"]
    return _enter(key, "block_rules", values)


def add_window(key: str, body: WindowIn) -> RulesContent:
    """Enter a dry window. Raises DocumentErrors or NotFound."""
    return _enter(key, "dry_windows", body.model_dump(mode="json"))


def give_order(key: str, body: OrderIn) -> RulesContent:
    """Order a hold or a set over the advice. Raises DocumentErrors or NotFound."""
    return _enter(key, "orders", body.model_dump(mode="json"))


def _enter(key: str, kind: str, values: dict[str, Any]) -> RulesContent:
    farm = clock.the_farm()
    farm_store.farm_rows([key])
    now = clock.farm_now(farm)
    taken = {r.key for r in record_store.records(kind)}
    stem = f"{key}-{times.local(now, farm.time_zone):%Y%m%d-%H%M}"
    name = next(n for n in (stem, *(f"{stem}-{i}" for i in range(2, 1000))) if n not in taken)
    today = times.day_of(times.local_day(now, farm.time_zone)).isoformat()
    entered = times.local(now, farm.time_zone).isoformat()
    part = {"key": name, "block": key, "valid_from": today, "entered": entered, "who": actor().who, **values}
    apply_document(parse_document(json.dumps({"embalse": 1, kind: [part]})))
    return rules_content(key)


def withdraw(key: str, body: WithdrawIn) -> RulesContent:
    """Take back something that was entered. Raises NotFound or DocumentErrors."""
    farm = clock.the_farm()
    kept = json.loads(record_store.record(body.kind, body.key).body)
    kept["withdrawn"] = times.local(clock.farm_now(farm), farm.time_zone).isoformat()
    apply_document(parse_document(json.dumps({"embalse": 1, body.kind: [kept]})))
    return rules_content(key)
