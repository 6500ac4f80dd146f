"""The water side of the farm, sets planned and sets run, as parts of the document."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.acting.set_state import DELAY_MIN, STATES, SetState
from embalse.core.acting.what_ran import EvidenceKind
from embalse.core.delivery.water_cost import Tariff, energy_kwh_m3, overlapping
from embalse.services.schema.base import (
    Day,
    Key,
    Name,
    Note,
    Number,
    Part,
    Positive,
    RecordKey,
    When,
    Who,
    wrong,
)
from embalse.services.schema.land import Clock
from embalse.services.schema.soil_water import ChosenPart

MonthDay = Annotated[str, StringConstraints(pattern=r"^(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$")]
Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
WEEK: tuple[Weekday, ...] = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
AREA_SLACK = 0.05  # of a block's area by which its shifts together may differ (ours: areas are paced or drawn)


def minutes_of(clock: str) -> int:
    """Minute of the day of a clock time like 06:30."""
    return 60 * int(clock[:2]) + int(clock[3:5])


class PricePart(Part):
    """A price in a window of the day, on some weekdays, in a part of the year."""

    start: Clock
    end: Clock
    price: Annotated[Number, Field(ge=0)]
    per: Literal["m3", "kwh"] = "m3"
    days: list[Weekday] = Field([], description="weekdays on which the window begins; every day if none is given")
    first: MonthDay | None = Field(None, description="first day of the season it holds in, month-day")
    last: MonthDay | None = Field(None, description="its last day")
    name: Annotated[str, StringConstraints(max_length=40)] = ""

    @model_validator(mode="after")
    def _season(self) -> Self:
        if (self.first is None) != (self.last is None):
            raise wrong("give first and last, or neither", "last")
        return self

    def tariff(self) -> Tariff:
        """The price as the core knows it."""

        def month_day(text: str | None) -> tuple[int, int] | None:
            return None if text is None else (int(text[:2]), int(text[3:]))

        days = frozenset(WEEK.index(d) for d in self.days)
        season = (month_day(self.first), month_day(self.last))
        return Tariff(minutes_of(self.start), minutes_of(self.end), self.price, self.per, days, *season, self.name)


class TurnPart(Part):
    """A turn of a canal or a shared well: from when to when the water is the farm's, and how much."""

    start: When
    end: When
    flow_m3_h: Positive | None = Field(None, description="the supply's own greatest flow if absent")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if (self.start.tzinfo is None) == (self.end.tzinfo is None) and self.end <= self.start:
            raise wrong("must come after the start", "end")
        return self


class EnergyPart(Part):
    """Energy of a cubic metre: measured, or from lift, pressure and efficiency."""

    kwh_m3: Positive | None = Field(None, description="measured: energy meter over water meter")
    lift_m: Annotated[Number, Field(ge=0, le=2000)] | None = None
    pressure_bar: Annotated[Number, Field(ge=0, le=40)] = 0.0
    efficiency_fraction: Annotated[Number, Field(gt=0, le=1)] | None = None

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if self.kwh_m3 is None and (self.lift_m is None or self.efficiency_fraction is None):
            raise wrong("give kwh_m3, or lift_m and efficiency_fraction", "kwh_m3")
        return self

    def energy_kwh_m3(self) -> float:
        """Energy of a cubic metre [kWh/m³]."""
        if self.kwh_m3 is not None:
            return self.kwh_m3
        return energy_kwh_m3(self.lift_m or 0.0, self.pressure_bar, self.efficiency_fraction or 1.0)


class SeasonVolumePart(Part):
    """Water allowed from a day to another."""

    volume_m3: Positive
    first: Day
    last: Day

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.last <= self.first:
            raise wrong("must come after the first day", "last")
        return self


class WaterRulesPart(ChosenPart):
    """What a supply gives, when and at what price, from a day on; the latest holds, whole, over the supply's own."""

    supply: Key
    kind: Literal["well", "canal turn", "reservoir", "mains", "other"] = "other"
    flow_m3_h: Positive | None = Field(None, description="greatest flow; without one a supply can't be planned tightly")
    least_flow_m3_h: Annotated[Number, Field(ge=0)] = Field(0.0, description="least the pump may run at")
    hours_per_day: Annotated[Number, Field(gt=0, le=24)] | None = None
    hours_per_week: Annotated[Number, Field(gt=0, le=168)] | None = None
    turns: list[TurnPart] = Field([], max_length=400, description="with any, water runs only in them")
    tariffs: list[PricePart] = Field([], max_length=40)
    energy: EnergyPart | None = None
    season: SeasonVolumePart | None = None
    ec_ds_m: Annotated[Number, Field(ge=0, le=60)] | None = None
    delay_min: Annotated[Number, Field(ge=0, le=60)] = Field(DELAY_MIN, description="between valves of a group")
    note: Note = ""

    @model_validator(mode="after")
    def _sound(self) -> Self:
        if self.flow_m3_h is None and self.kind in ("well", "canal turn"):
            raise wrong(f"a {self.kind} has a greatest flow: measure it, or ask who runs it", "flow_m3_h")
        if self.flow_m3_h is not None and self.least_flow_m3_h > self.flow_m3_h:
            raise wrong("must not be above the greatest flow", "least_flow_m3_h")
        pair = overlapping([t.tariff() for t in self.tariffs])
        if pair is not None:
            one, other = (self.tariffs[n] for n in pair)
            said = f"{one.name or one.start} and {other.name or other.start} hold at the same time"
            raise wrong(said, f"tariffs[{pair[1]}]")
        turns = sorted(self.turns, key=lambda t: t.start.isoformat())
        if any(b.start < a.end for a, b in pairwise(turns) if _alike(a.end, b.start)):
            raise wrong("two turns overlap", "turns")
        return self


def _alike(one: object, other: object) -> bool:
    return (getattr(one, "tzinfo", None) is None) == (getattr(other, "tzinfo", None) is None)


class ShiftPart(Part):
    """A part of a block that is watered at once: its area, its valve, and the tag on it."""

    name: Name
    area_ha: Annotated[Number, Field(gt=0, le=100_000)]
    valve: Annotated[str, StringConstraints(max_length=40)] = Field("", description="as its controller names it")
    tag: Annotated[str, StringConstraints(max_length=40)] = Field("", description="what a person looks for")


class BlockShiftsPart(ChosenPart):
    """How a block is watered in parts, and what a set asks of people, from a day on."""

    block: Key
    shifts: list[ShiftPart] = Field(min_length=1, max_length=60)
    by_hand: bool = Field(False, description="somebody must be there at the start and the end of each set")
    move_min: Annotated[Number, Field(ge=0, le=600)] = Field(0.0, description="to move pipes or gates between sets")
    fill_min: Annotated[Number, Field(ge=0, le=600)] = Field(
        0.0, description="until the line is full and waters evenly"
    )
    night_only: bool = Field(False, description="sets run from dusk to dawn only: wind and evaporation")
    position_deg: Annotated[Number, Field(ge=0, lt=360)] | None = Field(None, description="where a pivot stands")
    turn_until: When | None = Field(None, description="end of a turn that is running already")
    note: Note = ""

    @model_validator(mode="after")
    def _once(self) -> Self:
        names = [s.name for s in self.shifts]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice:
            raise wrong(f"'{twice}' is given twice", "shifts")
        valves = [s.valve for s in self.shifts if s.valve]
        again = next((v for v in valves if valves.count(v) > 1), None)
        if again:
            raise wrong(f"two shifts have the valve '{again}'", "shifts")
        return self


class ShiftHoursPart(Part):
    """Hours of a weekday, or of some."""

    days: list[Weekday] = Field([], description="every day if none is given")
    start: Clock
    end: Clock


class WorkHoursPart(ChosenPart):
    """When a person who starts and stops sets by hand is on the farm, from a day on."""

    person: Name
    hours: list[ShiftHoursPart] = Field(min_length=1, max_length=20)
    note: Note = ""


class SetGroupPart(Part):
    """Blocks that are watered one after another, kept by name to be used again."""

    key: RecordKey
    name: Name
    blocks: list[Key] = Field(min_length=1, max_length=100)
    start: Clock
    minutes: Annotated[Number, Field(gt=0, le=14_400)] | None = None
    gross_mm: Annotated[Number, Field(gt=0, le=500)] | None = None
    delay_min: Annotated[Number, Field(ge=0, le=60)] = DELAY_MIN
    note: Note = ""

    @model_validator(mode="after")
    def _how_much(self) -> Self:
        if (self.minutes is None) == (self.gross_mm is None):
            raise wrong("give minutes or gross_mm, one of them", "minutes")
        return self


class SetEventPart(Part):
    """What happened to a planned set: its state from then on, who or what said so."""

    at: When
    state: SetState = Field(description="one of: " + ", ".join(STATES))
    by: Who = ""
    note: Note = ""


class PlannedSetPart(Part):
    """A set that was approved, and what became of it."""

    key: RecordKey
    block: Key
    supply: Key
    shift: Annotated[str, StringConstraints(max_length=80)] = ""
    valve: Annotated[str, StringConstraints(max_length=40)] = ""
    start: When
    end: When
    flow_m3_h: Positive
    area_ha: Positive | None = Field(None, description="of the part that is watered; the block's if absent")
    net_mm: Annotated[Number, Field(ge=0, le=500)] = Field(description="over the block, of this part")
    gross_mm: Annotated[Number, Field(gt=0, le=500)]
    why: Annotated[str, StringConstraints(max_length=600)] = ""
    group: Annotated[str, StringConstraints(max_length=80)] = ""
    pulses: Annotated[int, Field(ge=1, le=100, description="in how many pulses with pauses it is given")] = 1
    flowing_min: Annotated[Positive | None, Field(description="minutes water flows, in pulses; all if absent")] = None
    locked: bool = False
    sequence: Annotated[int, Field(ge=0, description="how often its times were changed")] = 0
    logged: Annotated[When | None, Field(description="when the set that really ran began, on record")] = None
    events: list[SetEventPart] = Field(min_length=1, max_length=200)

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if _alike(self.start, self.end) and self.end <= self.start:
            raise wrong("must come after the start", "end")
        return self


class SetEvidencePart(Part):
    """What one source tells of a set: start and stop, hours, water, depth, or that nothing ran."""

    key: RecordKey
    block: Key
    planned: Annotated[str, StringConstraints(max_length=60)] = Field("", description="key of the planned set, if any")
    kind: EvidenceKind
    start: When | None = None
    end: When | None = None
    hours: Annotated[Number, Field(gt=0, le=240)] | None = None
    volume_m3: Annotated[Number, Field(ge=0)] | None = None
    meter_before_m3: Annotated[Number, Field(ge=0)] | None = None
    meter_after_m3: Annotated[Number, Field(ge=0)] | None = None
    gross_mm: Annotated[Number, Field(gt=0, le=500)] | None = None
    pressure_bar: Annotated[Number, Field(ge=0, le=40)] | None = None
    no_pressure: When | None = None
    failed: bool = False
    who: Who = ""
    note: Note = ""

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        both = (self.meter_before_m3, self.meter_after_m3)
        if None not in both and both[1] < both[0]:  # type: ignore[operator]
            raise wrong("must not be below the reading before: did the meter turn over?", "meter_after_m3")
        if self.start is not None and self.end is not None and _alike(self.start, self.end) and self.end < self.start:
            raise wrong("must not come before the start", "end")
        told = (self.start, self.end, self.hours, self.volume_m3, self.meter_before_m3, self.gross_mm)
        if not self.failed and all(v is None for v in told):
            raise wrong("say when it ran, how long, or how much water it was", "start")
        return self

    def measured_m3(self) -> float | None:
        """Water it counted [m³], from its volume or its two meter readings."""
        if self.volume_m3 is not None:
            return self.volume_m3
        if self.meter_before_m3 is None or self.meter_after_m3 is None:
            return None
        return self.meter_after_m3 - self.meter_before_m3


class ArmingPart(ChosenPart):
    """Whether Embalse may open valves of a supply by itself, from a moment on; the latest holds."""

    supply: Key
    armed: bool
    cautions_read: bool = False
    note: Note = ""

    @model_validator(mode="after")
    def _read(self) -> Self:
        if self.armed and not self.cautions_read:
            raise wrong("read the cautions first", "cautions_read")
        return self
