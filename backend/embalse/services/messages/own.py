"""A person's own messages: what they want to be told, and what they were told."""

import re
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.messages.messenger import make_trial
from embalse.services.reader import Words, say
from embalse.services.schema.base import wrong
from embalse.store import messages as store
from embalse.store.database import transaction
from embalse.store.errors import Conflict
from embalse.store.messages import ChoiceRow

MOST: Final = 60
ADDRESS: Final = re.compile(r"^[^@\s,;<>\"]{1,64}@[^@\s,;<>\"]{1,190}$")
Hour = Annotated[int, Field(ge=0, le=23)]


class MessageChoice(BaseModel):
    """What somebody wants to be told; without a morning hour no letter is sent, without an address nothing is."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)
    email: Annotated[str, Field(max_length=254)] = ""
    morning_hour: Hour | None = None
    alerts: bool = False
    quiet_from: Hour = 21
    quiet_until: Hour = 6

    @field_validator("email")
    @classmethod
    def _address(cls, email: str) -> str:
        if email and not ADDRESS.match(email):
            raise wrong("is no mail address", "email")
        return email


class MessageOut(Content):
    """A message as it stands on the page; ``state`` says whether it went out, waits, or stays here only."""

    id: int
    kind: Literal["morning", "alert", "trial"]
    title: Words
    plain: str
    made: str
    sent: str | None
    state: Literal["sent", "waits", "on this page only"]
    trouble: str


class MessagesContent(Content):
    """A person's choices and messages, and whether mail goes out at all."""

    choice: MessageChoice
    mail: bool
    messages: list[MessageOut]


def messages_content(person_id: int, mail: bool) -> MessagesContent:
    """What a person wants to be told and was told, newest first; raises Conflict where no farm is set up."""
    zone = clock.the_farm().time_zone
    row = next((c for c in store.choices() if c.person_id == person_id), None)
    choice = MessageChoice()
    if row is not None:
        choice = MessageChoice(
            email=row.email, morning_hour=row.morning_hour, alerts=bool(row.alerts), quiet_from=row.quiet_from,
            quiet_until=row.quiet_until,
        )  # fmt: skip
    return MessagesContent(
        choice=choice,
        mail=mail,
        messages=[
            MessageOut(
                id=m.id,
                kind="alert" if m.kind == "alert" else "trial" if m.kind == "trial" else "morning",
                title=m.title,
                plain=m.plain,
                made=times.iso(m.made_at, zone) or "",
                sent=times.iso(m.sent_at, zone),
                state="sent" if m.sent_at else "waits" if mail and m.next_try_at is not None else "on this page only",
                trouble=m.trouble,
            )
            for m in store.of_person(person_id, MOST)
        ],
    )


def choose(person_id: int, told: MessageChoice) -> None:
    """Keep what a person wants to be told; raises Conflict for somebody who is nobody's account."""
    if not person_id:
        raise Conflict("messages", "a token has no messages")
    with transaction():
        store.choose(
            ChoiceRow(person_id, told.email, told.morning_hour, int(told.alerts), told.quiet_from, told.quiet_until)
        )


def trial(person_id: int, base: str) -> None:
    """A message for trying, to the person's own address."""
    make_trial(person_id, base, say(Notice("letter.trial")))
