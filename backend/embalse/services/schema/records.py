"""Records of the field and the bench, as parts of the farm document; each is kept whole as it was written."""

import base64
import hashlib
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.core.delivery.uniformity import efficiency_from_uniformity, uniformity
from embalse.core.errors import CoreError
from embalse.core.install.batch_test import BatchLimits, batch_test
from embalse.core.install.instruments import PlanBasis, instrument_choices
from embalse.core.install.procedures import procedure
from embalse.core.install.siting import rules_for, siting_rules
from embalse.services.schema.base import (
    Day,
    Fraction,
    Key,
    Latitude,
    Longitude,
    Name,
    Note,
    Number,
    Part,
    RecordKey,
    When,
    Who,
    refuse,
    wrong,
)
from embalse.services.schema.ground import StationRef

Fact = bool | Number
LARGEST_PHOTO = 2_000_000


class SpotPart(Part):
    """A candidate spot for a station, with what was seen there."""

    key: RecordKey
    block: Key
    name: Name
    longitude: Longitude | None = None
    latitude: Latitude | None = None
    facts: dict[str, Fact] = Field({}, description="by the fact names of the siting rules, in their units")
    row: Annotated[str, StringConstraints(max_length=40)] = ""
    inlet_m: Annotated[Number, Field(ge=0)] | None = Field(None, description="distance from the inlet of the line")
    chosen: bool = False
    station: Annotated[str, StringConstraints(max_length=40)] = Field("", description="station put there")
    note: Note = ""

    @model_validator(mode="after")
    def _known_facts(self) -> Self:
        kinds = {rule.fact: rule.kind for rule in siting_rules()}
        for name, value in self.facts.items():
            if name not in kinds:
                raise wrong(f"'{name}' is no fact of a siting rule", "facts")
            if (kinds[name] == "is") != isinstance(value, bool):
                raise wrong("wants yes or no" if kinds[name] == "is" else "wants a number", f"facts.{name}")
        if (self.longitude is None) != (self.latitude is None):
            raise wrong("give longitude and latitude, or neither", "latitude")
        return self


class SitingLimitPart(Part):
    """A limit of a siting rule, set on this farm; the key is the rule's name."""

    key: Key
    low: Number | None = None
    high: Number | None = None
    reason: Annotated[Note, Field(min_length=1)]

    @model_validator(mode="after")
    def _a_rule(self) -> Self:
        try:
            rules_for("", {self.key: (self.low, self.high)})
        except CoreError as refusal:
            raise refuse(CoreError("key" if refusal.field == "rule" else refusal.field, refusal.reason)) from refusal
        return self


class InstrumentPlanPart(Part):
    """What was chosen to measure a block with; the key is the block's."""

    key: Key
    choice: Annotated[str, StringConstraints(max_length=40)]
    seasons: Annotated[Number, Field(gt=0, le=30)] = 3.0
    labour_per_h: Annotated[Number, Field(ge=0)] = 20.0
    visits: Annotated[Number, Field(ge=0, le=400)] = 20.0
    costs: dict[str, dict[str, Number]] = {}
    note: Note = ""

    @model_validator(mode="after")
    def _a_choice(self) -> Self:
        try:
            offered = instrument_choices(PlanBasis(60, 150, self.seasons, self.labour_per_h, self.visits), self.costs)
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        names = [c.choice for c in offered]
        if self.choice not in names:
            raise wrong(f"'{self.choice}' is no choice; use one of: {', '.join(names)}", "choice")
        return self


class UniformityTestPart(Part):
    """Catch cans or emitter flows of a system."""

    key: RecordKey
    system: Key
    kind: Literal["cans", "emitters"]
    values: list[Annotated[Number, Field(ge=0)]] = Field(description="mm in cans, L/h of emitters", max_length=500)
    kept_fraction: Annotated[Number, Field(gt=0, le=1)] = Field(1.0, description="share that reaches the ground")
    on: Day
    who: Who = ""
    note: Note = ""

    @model_validator(mode="after")
    def _even(self) -> Self:
        try:
            efficiency_from_uniformity(uniformity(self.values).du_low_quarter or 1.0, self.kept_fraction)
        except CoreError as refusal:
            field = refusal.field.replace("catches", "values")
            raise refuse(CoreError(field, refusal.reason)) from refusal
        return self


class TestedSensorPart(Part):
    """Repeats of one sensor in air and in water, raw units; ``after_days`` is its reading at the drift check."""

    __test__ = False

    sensor: Name
    air: list[Number] = Field(max_length=50)
    water: list[Number] = Field(max_length=50)
    after_days: Number | None = None


class BatchTestPart(Part):
    """The acceptance test of a batch; the key is the batch's name in the register."""

    key: RecordKey
    sensors: list[TestedSensorPart] = Field(min_length=1, max_length=200)
    sd_share: Annotated[Number, Field(gt=0, le=1)] | None = Field(None, description="of span; 0.02 if absent")
    span_share: Fraction | None = Field(None, description="of the median span; 0.8 if absent")
    pass_share: Fraction | None = Field(None, description="of the sensors; 0.5 if absent")
    on: Day
    who: Who = ""
    note: Note = ""

    def limits(self) -> BatchLimits:
        """Limits the batch is held to: those given, else those of practice."""
        given = {n: getattr(self, n) for n in ("sd_share", "span_share", "pass_share")}
        return BatchLimits(**{name: value for name, value in given.items() if value is not None})

    def readings(self) -> dict[str, tuple[list[float], list[float]]]:
        """Repeats by sensor: in air, in water."""
        return {s.sensor: (s.air, s.water) for s in self.sensors}

    @model_validator(mode="after")
    def _tested(self) -> Self:
        names = [s.sensor for s in self.sensors]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice:
            raise wrong(f"'{twice}' is given twice", "sensors")
        for index, one in enumerate(self.sensors):
            try:
                batch_test(self.key, {"sensor": (one.air, one.water)}, self.limits())
            except CoreError as refusal:
                field = f"sensors[{index}].{refusal.field.split('.')[-1]}"
                raise refuse(CoreError(field, refusal.reason)) from refusal
        return self


class DonePart(Part):
    """What was entered at a step."""

    value: Number | Annotated[str, StringConstraints(max_length=80, strip_whitespace=True)] | None = None
    at: When
    who: Who = ""
    note: Note = ""
    photo: Annotated[str, StringConstraints(max_length=64)] = ""
    longitude: Longitude | None = None
    latitude: Latitude | None = None


class ProcedureRunPart(Part):
    """A run of a guided procedure on a station or a device; steps done stay done, a run can be taken up again."""

    key: RecordKey
    procedure: Annotated[str, StringConstraints(max_length=40)]
    station: StationRef | None = None
    device: Key | None = None
    started: When
    closed: When | None = None
    done: dict[Annotated[str, StringConstraints(max_length=80)], DonePart] = {}
    note: Note = ""

    @model_validator(mode="after")
    def _steps(self) -> Self:
        try:
            chosen = procedure(self.procedure)
        except CoreError as refusal:
            raise refuse(refusal) from refusal
        if (chosen.subject == "station") != (self.station is not None) or (self.station and self.device):
            raise wrong(f"'{chosen.title}' is done on one {chosen.subject}", chosen.subject)
        steps = {step.step: step for step in chosen.steps}
        for id_, done in self.done.items():
            step = steps.get(id_.split(":")[-1])
            if step is None:
                raise wrong(f"'{id_}' is no step of '{chosen.title}'", "done")
            if step.entry == "number" and not isinstance(done.value, float):
                raise wrong("wants a number", f"done.{id_}.value")
            if step.entry == "choice" and done.value not in step.options:
                raise wrong(f"wants one of: {', '.join(step.options)}", f"done.{id_}.value")
            if step.entry == "place" and done.latitude is None:
                raise wrong("wants a position", f"done.{id_}.latitude")
            if step.step == "depth" and isinstance(done.value, float) and not 0 < done.value <= 500:
                raise wrong("must lie between 0 and 500 cm", f"done.{id_}.value")
        return self


class TouchPart(Part):
    """One sensor wetted or warmed: readings by channel before and after, raw units."""

    sensor: Annotated[str, StringConstraints(max_length=40)]
    before: dict[str, Number]
    after: dict[str, Number]


class ChannelCheckPart(Part):
    """A channel check of a station."""

    key: RecordKey
    station: StationRef
    at: When
    who: Who = ""
    touches: list[TouchPart] = Field(min_length=1, max_length=60)
    swapped: bool = Field(False, description="the swap it found was made")
    channels: dict[str, str] = Field({}, description="channel written for each sensor when it was done")
    note: Note = ""


class VisitPart(Part):
    """A line of a station's log."""

    key: RecordKey
    station: StationRef
    at: When
    who: Who = ""
    what: Literal["visit", "service", "battery", "repair", "move", "replacement", "removal", "installation", "swap"]
    note: Note = ""
    photo: Annotated[str, StringConstraints(max_length=64)] = ""


class PhotoPart(Part):
    """A photo; its key is the SHA-256 of its content."""

    key: Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
    media_type: Literal["image/jpeg", "image/png", "image/webp"]
    data: str = Field(description="base64", max_length=LARGEST_PHOTO * 4 // 3 + 8)

    def content(self) -> bytes:
        """The photo's bytes."""
        return base64.b64decode(self.data, validate=True)

    @model_validator(mode="after")
    def _whole(self) -> Self:
        try:
            content = self.content()
        except ValueError as broken:
            raise wrong("is not base64", "data") from broken
        if hashlib.sha256(content).hexdigest() != self.key:
            raise wrong("is not the SHA-256 of the content", "key")
        return self
