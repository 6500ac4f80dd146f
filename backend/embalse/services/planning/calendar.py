"""The plan as a calendar: a download, and a feed under an address that can be taken back."""

import secrets
from datetime import UTC, datetime, timedelta
from typing import Final

from icalendar import Calendar, Event

from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.schemas import Content
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.reader import say
from embalse.services.tokens import token_hash
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import NotFound

BACK_DAYS: Final = 30  # days back that the calendar goes (ours: calendars keep what they once had)
DAY_S: Final = 86400
FEED_S: Final = 900  # seconds after which a calendar is to look again (ours)
STATUS: Final = {"failed": "CANCELLED", "withdrawn": "CANCELLED", "approved": "CONFIRMED"}


class FeedOut(Content):
    """A calendar address; the address itself is shown once, when it is made."""

    id: int
    name: str
    made: str
    revoked: bool
    last_seen: str | None
    path: str = ""


def calendar_text(now: int | None = None) -> bytes:
    """Approved sets as iCalendar (RFC 5545), those of the last month too; what was taken back is cancelled in it.

    Every set keeps its UID; its SEQUENCE grows when it is moved or its state changes what a calendar shows.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm) if now is None else now
    names = {b.key: b.name for b in farm_store.farm_rows().blocks}
    calendar = Calendar()
    calendar.add("prodid", "-//Embalse//Plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"{farm.name}: sets")
    calendar.add("refresh-interval", timedelta(seconds=FEED_S), parameters={"VALUE": "DURATION"})
    for one in planned_sets(farm.time_zone, now - BACK_DAYS * DAY_S):
        calendar.add_component(_event(one, names.get(one.part.block, one.part.block)))
    return bytes(calendar.to_ical())


def _event(one: PlannedSet, name: str) -> Event:
    event = Event()
    part = one.part
    event.add("uid", f"{part.key}@embalse")
    event.add("sequence", part.sequence + len(part.events) - 1)  # it never falls, whatever becomes of a set
    event.add("dtstamp", datetime.fromtimestamp(times.epoch(part.events[-1].at, one.zone), UTC))
    event.add("dtstart", datetime.fromtimestamp(one.start_at, UTC))
    event.add("dtend", datetime.fromtimestamp(one.end_at, UTC))
    event.add("summary", f"{name}, {part.shift}" if part.shift else name)
    event.add("status", STATUS.get(one.state, "CONFIRMED"))
    sizes = {"gross_mm": part.gross_mm, "volume_m3": one.volume_m3, "flow_m3_h": part.flow_m3_h}
    told = [say(Notice("calendar.set", **sizes)), one.state, part.why]
    event.add("description", "\n".join(t for t in told if t))
    if part.valve:
        event.add("location", f"valve {part.valve}")
    return event


def make_feed(name: str) -> FeedOut:
    """A new calendar address; its token is kept as a hash only."""
    farm = clock.the_farm()
    token = secrets.token_urlsafe(24)
    with transaction():
        store.make_feed(name, token_hash(token), clock.farm_now(farm))
        made = feeds()[-1]
    return made.model_copy(update={"path": f"/api/calendar/{token}.ics"})


def feeds() -> list[FeedOut]:
    """Calendar addresses, those taken back too."""
    zone = clock.the_farm().time_zone
    return [
        FeedOut(
            id=row.id, name=row.name, made=times.iso(row.created_at, zone) or "", revoked=row.revoked_at is not None,
            last_seen=times.iso(row.last_seen_at, zone),
        )
        for row in store.feeds()
    ]  # fmt: skip


def revoke_feed(feed_id: int) -> None:
    """Take a calendar address back; raises NotFound."""
    with transaction():
        store.revoke_feed(feed_id, clock.farm_now(clock.the_farm()))


def feed_text(token: str) -> bytes:
    """The calendar of a feed; raises NotFound where its address is not known, or was taken back."""
    row = store.feed_of(token_hash(token))
    if row is None:
        raise NotFound("feed", "this calendar address is not known, or was revoked")
    now = clock.farm_now(clock.the_farm())
    if row.last_seen_at is None or now - row.last_seen_at > FEED_S:
        with transaction():
            store.feed_seen(row.id, now)
    return calendar_text(now)
