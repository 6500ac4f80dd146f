"""What a decision is taken by: forecasts, rules, dry windows and orders, as parts of the document."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.delivery.irrigation_rules import BlockRules, DryWindow, TriggerKind, check_rules, check_window
from embalse.core.errors import CoreError
from embalse.core.sources import Source
from embalse.core.weather.weather_outlook import check_forecast
from embalse.services import times
from embalse.services.schema.base import Day, Key, Note, Number, Part, Positive, RecordKey, When, refuse
from embalse.services.schema.soil_water import ChosenPart

Member = Annotated[Number, Field(ge=0, le=500)]
Celsius = Annotated[Number, Field(ge=-60, le=60)]
ENTERED = "rules of the block"


class ForecastDayPart(Part):
    """A day of a forecast: every member's reference ET and rain [mm], and its temperatures where forecast [°C]."""

    day: Day
    eto_mm: list[Annotated[Number, Field(ge=0, le=20)]] = Field(min_length=1, max_length=100)
    rain_mm: list[Member] = Field(min_length=1, max_length=100)
    tmin_c: list[Celsius] = Field([], max_length=100)
    tmax_c: list[Celsius] = Field([], max_length=100)


class ForecastPart(Part):
    """A forecast as it was issued; one member will do, several tell how sure it is."""

    key: RecordKey
    issued: When
    days: list[ForecastDayPart] = Field(min_length=1, max_length=30)
    note: Note = ""

    @model_validator(mode="after")
    def _even(self) -> Self:
        try:
            check_forecast([d.eto_mm for d in self.days], [d.rain_mm for d in self.days])
            for before, after in pairwise(self.days):
                if (after.day - before.day).days != 1:
                    raise CoreError("days", f"{after.day.isoformat()} does not follow {before.day.isoformat()}")
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class BlockRulesPart(ChosenPart):
    """How a block is irrigated, from a day on; the latest of all stages and the latest of its stage hold, whole.

    Rules for a variety hold while it stands, before those for all varieties.
    """

    block: Key
    stage: Annotated[str, StringConstraints(max_length=60, strip_whitespace=True)] = Field(
        "", description="initial, development, mid, late, or a stage by the trade's name; empty for all"
    )
    variety: Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] = Field(
        "", description="of the planting they are for; empty for all"
    )
    trigger: TriggerKind = "root zone"
    tension_kpa: Positive | None = None
    tension_to_cm: Positive | None = None
    cautious: bool = Field(False, description="go by the early date (10 %) in place of the middle one")
    lead_days: Annotated[Number, Field(ge=0)] = Field(0.0, description="what the system needs to come round")
    rain_room_mm: Annotated[Number, Field(ge=0)] | None = Field(
        None, description="net mm kept free for rain; as the forecast has it if absent"
    )
    fill_share: Positive = Field(1.0, description="share of available water to fill up to")
    fixed_dose_mm: Positive | None = Field(None, description="a set dose, net mm, in the place of the depletion")
    ec_water_ds_m: Annotated[Number, Field(ge=0)] | None = None
    ec_soil_ds_m: Positive | None = Field(None, description="what the crop bears; FAO-29 Table 4 if absent")
    max_rate_mm_h: Positive | None = Field(None, description="measured intake of the soil")
    managed_depth_cm: Positive | None = Field(
        None, description="how deep sets are to refill the soil; as deep as the roots go if absent"
    )
    last_day: Day | None = Field(None, description="the crop needs no more water after it")
    end_share: Positive | None = Field(None, description="share of available water it may have used by then")
    reading_sensor: Annotated[str, StringConstraints(max_length=200)] | None = Field(
        None, description="block/station/sensor whose reading calls for water"
    )
    reading_value: Number | None = Field(None, description="in that sensor's raw unit; no calibration is needed")
    reading_drier: Literal["higher", "lower"] | None = Field(
        None, description="which way the reading goes as the soil dries, where its unit does not say"
    )
    surface_days: Positive | None = Field(None, description="days between light sets that keep a surface moist")
    trigger_share: Positive = Field(1.0, description="share of the depletion allowed that calls for water")
    shrinkage_most: Positive | None = Field(None, description="trunk shrinkage allowed, times that of full trees")
    trunk_growth_mm_d: Annotated[Number, Field(ge=0)] | None = Field(None, description="trunk growth planned")
    follow_fruit: bool = Field(False, description="fruit off its path moves the date")
    note: Note = ""

    def rules(self) -> BlockRules:
        """The rules as the core knows them."""
        names = set(BlockRules.__dataclass_fields__) - {"last_day", "source"}
        last = None if self.last_day is None else times.day_number(self.last_day)
        said = f"{self.note} ({self.who})" if self.who and self.note else self.note or self.who
        source = Source("entry", ENTERED, said)
        return BlockRules(**{n: getattr(self, n) for n in names}, last_day=last, source=source)

    @model_validator(mode="after")
    def _rules(self) -> Self:
        try:
            check_rules(self.rules())
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class DryWindowPart(ChosenPart):
    """Days on which a block must be dry: for spraying, cutting, traffic or harvest."""

    block: Key
    what: Literal["spraying", "cutting", "traffic", "harvest"]
    dry_by: Day
    until: Day
    top_cm: Positive = 30.0
    ends_season: bool = False
    note: Note = ""

    def window(self) -> DryWindow:
        """The window as the core knows it."""
        days = (times.day_number(self.dry_by), times.day_number(self.until))
        return DryWindow(self.what, *days, self.top_cm, self.ends_season, self.note)

    @model_validator(mode="after")
    def _window(self) -> Self:
        try:
            check_window(self.window())
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        return self


class OrderPart(ChosenPart):
    """What a person has ordered for a block, over the advice: hold, or water; with the reason."""

    block: Key
    action: Literal["hold", "water", "end"]
    seen: Literal["", "lodging", "disease", "ripe", "hail", "frost"] = Field("", description="why it ends")
    until: Day
    net_mm: Positive | None = None
    note: Annotated[Note, Field(min_length=1, description="why; it stands on the Round")]


def forecast_subject(issued_at: int) -> str:
    """What forecasts are filed and found under: the instant they were issued [s, UTC], so that text sorts as time."""
    return f"{issued_at:012d}"
