"""How messages of devices that speak another shape become readings, as a part of the document."""

import re
from typing import Annotated, Final, Self

from pydantic import Field, StringConstraints, model_validator

from embalse.services.schema.base import Key, Note, Part, RecordKey, wrong

PATH: Final = re.compile(r"^[^.\[\]{}\s]+(\[\d{1,4}\])*(\.[^.\[\]{}\s]+(\[\d{1,4}\])*)*$")
PLACE: Final = re.compile(r"\{([^{}]*)\}")
Template = Annotated[str, StringConstraints(min_length=1, max_length=200, strip_whitespace=True)]


class MappedReadingPart(Part):
    """A reading within a message: its channel by a template, and where its value and time stand.

    In the template ``{2}`` is a level of the topic, counted from 0, and ``{data.id}`` a value of the message; paths
    are names apart by dots, ``[0]`` an element of a list.
    """

    channel: Template
    value: Template
    at: Template = Field(description="ISO text with an offset, or epoch seconds or milliseconds")

    @model_validator(mode="after")
    def _paths(self) -> Self:
        for name in ("value", "at"):
            if not PATH.match(getattr(self, name)):
                raise wrong("is no path like data.soil[0].m", name)
        bad = next((p for p in PLACE.findall(self.channel) if not p.isdigit() and not PATH.match(p)), None)
        if bad is not None:
            raise wrong(f"'{{{bad}}}' is neither a level of the topic nor a path", "channel")
        return self


class PayloadMapPart(Part):
    """Messages of a topic and what they hold, for a gateway; the topic may have + and #."""

    key: RecordKey
    gateway: Key
    topic: Annotated[str, StringConstraints(min_length=1, max_length=200, strip_whitespace=True)]
    readings: list[MappedReadingPart] = Field(min_length=1, max_length=200)
    note: Note = ""

    @model_validator(mode="after")
    def _filter(self) -> Self:
        levels = self.topic.split("/")
        plus = all("+" not in level or level == "+" for level in levels)
        if not plus or "#" in self.topic[:-1] or (self.topic.endswith("#") and levels[-1] != "#"):
            raise wrong("is no topic: + stands for a whole level, # only at its end", "topic")
        return self
