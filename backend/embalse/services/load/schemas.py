"""What Embalse says, as documents: the same over the API and on the command line."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.sources import Source
from embalse.core.wording import Notice, plain
from embalse.services.reader import Words, say


class Content(BaseModel):
    """A part of an answer; fields with defaults are always present in the output."""

    model_config = ConfigDict(json_schema_serialization_defaults_required=True, defer_build=True)


class SourceOut(Content):
    """Where a number came from."""

    kind: Literal["reading", "table", "equation", "entry", "computed", "assumption"]
    title: Words
    detail: Words

    @classmethod
    def of(cls, source: Source) -> "SourceOut":
        """A source as the reader sees it."""
        return cls(kind=source.kind, title=say(source.title), detail=say(source.detail))


class SaidOut(Content):
    """What is said, as a code with its values in SI, and the finished text in the reader's units."""

    code: str
    values: dict[str, Any]
    text: str

    @classmethod
    def of(cls, notice: Notice) -> "SaidOut":
        """A notice as it is sent."""
        return cls.model_construct(code=notice.code, values=plain(notice)["values"], text=say(notice))


class LineOut(Content):
    """A line of the Working."""

    key: str
    label: Words
    value: float | None
    unit: str
    formula: str
    source: SourceOut
    op: str
    result: bool
    change: str
    low: float | None
    high: float | None
    minutes: int | None = Field(description="hours to five minutes, where the unit is hours")


class MarksOut(Content):
    """Water of the root zone at each mark, in the wetted soil [mm]."""

    full_mm: float
    refill_mm: float
    wilting_mm: float
    saturation_mm: float
    taw_mm: float
    allowable_mm: float


class RangeOut(Content):
    """A value with its 10 and 90 % limits; ``high`` is null when there is no upper limit."""

    low: float
    mid: float
    high: float | None


class RefillOut(Content):
    """Days from the moment asked for to the refill point, and the farm-local times they fall on."""

    days: RangeOut
    low_at: str
    mid_at: str
    high_at: str | None
    irrigate_by_day: int = Field(description="last whole day that does not pass the refill point")


class PulsesOut(Content):
    """A set cut into pulses with pauses [h]."""

    count: int
    on_h: float
    pause_h: float
    total_h: float
    on_min: int = Field(description="to five minutes")


class AdvisedSetOut(Content):
    """The advised set over the whole block."""

    start_depletion_mm: float
    uncut_net_mm: float
    net_mm: float
    gross_mm: float
    set_time_h: float | None
    set_time_min: int | None = Field(description="to five minutes")
    volume_m3: float
    limited_by: Literal["", "smallest", "largest", "turn"]
    timer_fraction: float | None = Field(description="setting of a pivot, share of full speed")
    kept_fraction: float = Field(description="share of the gross depth that stays for the crop")
    rain_room_mm: float
    pulses: PulsesOut | None
    sets: int = Field(1, description="sets one after another that cover the block, as furrows take them")
    all_sets_min: int | None = Field(None, description="of all these sets together, to five minutes")


class NoticeOut(Content):
    """Something that bears on the advice."""

    kind: Literal[
        "order", "season", "window", "capacity", "soak", "on_way", "rain", "trees", "due", "amount", "pulses",
        "deficit", "trigger",
    ]  # fmt: skip
    words: Words
    code: str
    values: dict[str, Any]

    @classmethod
    def of(cls, notice: Notice) -> "NoticeOut":
        """A notice as it is sent."""
        values = plain(notice)["values"]
        return cls.model_construct(kind=notice.kind, words=say(notice), code=notice.code, values=values)


class ZoneAdvice(Content):
    """A zone of a block: what it is short of in the wetted soil, what its set is, and when it reaches its trigger.

    ``past`` says that it has; ``shift`` names the part of the block that waters it alone, if one does; ``by`` whose
    reading tells its water where that is not its own; ``why_not`` why nothing is known of it.
    """

    name: str
    area_ha: float
    depletion_mm: float | None
    error_mm: float | None
    stations: int
    net_mm: float | None
    gross_mm: float | None
    set_time_min: int | None
    due_at: str | None
    past: bool
    shift: str
    by: str
    why_not: Words


class BlockAdvice(Content):
    """A block on the Round."""

    key: str
    name: str
    crop: str
    area_ha: float
    system: str
    group: Literal["act", "coming", "leave", "none"]
    reason: Words
    reasons: list[SaidOut]
    binding: str = Field(description="what binds the advice more than its reason; empty when nothing does")
    why: Words = Field(description="the line beside the advice: what binds it, what not to trust, or its reason")
    why_no_date: str
    narrows: Words = Field(default="", description="what would narrow the date most, where it is wide open")
    notices: list[NoticeOut] = Field(description="what bears on it, most binding first")
    not_sooner: str
    not_less: str
    start_by_at: str | None = Field(description="when water must start, lead time taken off")
    wait_until_at: str | None = Field(None, description="until water that is on its way has soaked in")
    stage: str | None
    by_weather: bool = Field(description="whether the date follows from weather and crop, not from a slope alone")
    trigger_mm: float | None = Field(description="depletion that calls for water")
    can_finish: bool = Field(description="whether the crop can finish the season on what is stored")
    ordered: Literal["", "hold", "water", "end"] = Field(description="what a person has ordered over the advice")
    root_depth_cm: float | None
    wetted_fraction: float
    marks: MarksOut | None
    storage_mm: float | None
    depletion_mm: float | None
    depletion_error_mm: float | None
    readily_left_mm: float | None = Field(None, description="left above refill, in the wetted soil")
    further_mm: float | None = Field(None, description="from there on down to wilting, in the wetted soil")
    use_mm_d: RangeOut | None
    refill: RefillOut | None
    advised: AdvisedSetOut | None
    zones: list[ZoneAdvice] = Field([], description="its zones, where it is parted into some")
    projected_mm: list[float]
    stations_used: int
    stations_total: int
    last_reading_at: str | None
    not_trusted: list[str]
    cautions: list[SaidOut] = Field(description="the same as not_trusted, with codes and values")
    working: list[LineOut]


class VisitLine(Content):
    """A station or sensor to go and see, and why; ``by_hand`` when what it wants is a round by hand."""

    station: str
    sensor: str
    name: str
    why: Words
    by_hand: bool
    silent: bool = Field(default=False, description="whether nothing was heard of a station that sends by itself")
    walk: int | None = Field(default=None, description="its place on the way round, from 1; none without a place")


class RoundContent(Content):
    """All blocks, most urgent first, at a farm-local moment."""

    farm: str
    time_zone: str
    as_of: str
    sentence: str
    said: list[SaidOut] = Field(description="the sentence, with codes and values")
    blocks: list[BlockAdvice]
    to_see: list[VisitLine]
    walk_m: float = Field(default=0.0, description="length of the way round them, as the crow flies [m]")
    air: list[str] = Field([], description="limits of frost and heat that were passed")


class BlockLossOut(Content):
    """Water below a block's roots in a week [mm over the block, and in the wetted soil], of how many wettings."""

    key: str
    below_mm: float
    strip_mm: float
    wettings: int
    known: int
    worth_saying: bool


class LossesContent(Content):
    """Water below the roots in the week before a farm-local moment; blocks that cannot tell are left out."""

    as_of: str
    days: int
    blocks: list[BlockLossOut]


class LayerOut(Content):
    """A tray of the section: depths [cm], water above wilting point in the whole layer [mm]."""

    sensor: str
    depth_cm: float
    top_cm: float
    bottom_cm: float
    used_cm: float
    theta: float | None
    theta_full: float
    theta_refill: float
    theta_wilting: float
    share: float | None = Field(description="of available water: 0 wilting, 1 full")
    refill_share: float
    water_mm: float | None
    capacity_mm: float
    projected_mm: float | None
    ahead_mm: list[float] = Field(description="at each instant of ahead_at")
    filled_in: bool
    why_missing: str
    calibration: SourceOut | None


class TraceOut(Content):
    """Water content of one sensor at the times of the series [m³/m³]; null where missing."""

    sensor: str
    depth_cm: float
    in_roots: bool
    theta_full: float
    theta_refill: float
    theta_wilting: float
    theta: list[float | None]
    flagged: list[list[float]] = Field(description="readings drawn but not used: instant and water content")
    faults: list[str]


class StationOut(Content):
    """A station: its layers and its traces; depletion of its root zone with its standard error [mm]."""

    key: str
    name: str
    why_not: Words
    depletion_mm: float | None
    error_mm: float | None
    layers: list[LayerOut]
    traces: list[TraceOut]
    storage_mm: list[float | None]


class SetOut(Content):
    """A set that was applied; times in seconds, UTC. It is deleted by its ``key``."""

    key: str
    start_at: int
    end_at: int
    gross_mm: float
    note: str


class RainOut(Content):
    """Rain of a day that starts at an instant [s, UTC]."""

    start_at: int
    depth_mm: float


class FanPoint(Content):
    """Projected storage at an instant [s, UTC]: 10, 50 and 90 % [mm]."""

    at: int
    low_mm: float
    mid_mm: float
    high_mm: float


class BlockContent(Content):
    """Everything on the Block page."""

    advice: BlockAdvice
    as_of: str
    as_of_at: int
    times: list[int]
    storage_mm: list[float | None]
    stations: list[StationOut]
    sets: list[SetOut]
    rain: list[RainOut]
    fan: list[FanPoint]
    projected_at: int | None
    ahead_at: list[int] = Field(description="instants of the coming days the layers are projected to [s, UTC]")


class WhatIfContent(Content):
    """The advice as it stands and as it would be."""

    before: BlockAdvice
    after: BlockAdvice
    changes: dict[str, Annotated[float, Field(ge=0)]]
