"""What is picked from the audit of sets, how a block is audited, and what was found on following up, as parts."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from embalse.core.audit.follow_up import SetFault
from embalse.core.audit.next_dose import MOST_SHARE
from embalse.services.schema.base import Key, Note, Number, Part, RecordKey, When, Who, wrong
from embalse.services.schema.soil_water import ChosenPart

Found = Literal["clogged", "broken", "closed", "leak", "sensor", "nothing wrong", "other"]
DOSE_LOW, DOSE_HIGH = 0.5, 1.5


class SetChoicePart(ChosenPart):
    """A correction of the dose, an efficiency or a wetted share picked from the audit of a block's sets."""

    block: Key
    what: Literal["dose", "efficiency", "wetted"]
    value: Annotated[Number, Field(gt=0, le=DOSE_HIGH)] = Field(description="multiple of the advice, or a share")
    useful: Annotated[Number, Field(gt=0, le=1)] = Field(1.0, description="part of a dose that is against leaks")
    note: Annotated[Note, Field(min_length=1, description="the evidence it was picked by")]

    @model_validator(mode="after")
    def _a_share(self) -> Self:
        if self.what != "dose" and self.value > 1:
            raise wrong("is a share of 1 at most", "value")
        if self.what == "dose" and self.value < DOSE_LOW:
            raise wrong(f"must be {DOSE_LOW:g} or more", "value")
        return self


class AuditRulesPart(ChosenPart):
    """How a block's sets are audited from a day on: whether corrections are applied, how far, when sensors are read."""

    block: Key
    mode: Literal["offered", "applied"] = "offered"
    most_share: Annotated[Number, Field(gt=0, le=0.5)] = Field(MOST_SHARE, description="most a dose is corrected")
    lower_delay_h: Annotated[Number, Field(ge=0, le=24)] | None = Field(
        None, description="hours after a set from which lower sensors are read; by the soil if absent"
    )
    note: Note = ""


class SetVisitPart(Part):
    """A fault of a set that somebody went to see, with what was found."""

    key: RecordKey
    block: Key
    fault: SetFault
    start: When = Field(description="start of the set it is about")
    at: When
    who: Who = ""
    found: Found
    note: Note = ""
