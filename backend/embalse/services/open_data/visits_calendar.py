"""What is to be gone and seen as a calendar: a day's event a station."""

from datetime import UTC, datetime, timedelta

from icalendar import Calendar, Event

from embalse.services import times
from embalse.services.advice.advise import round_content
from embalse.services.load import clock


def visits_calendar() -> bytes:
    """Stations to go and see today as iCalendar (RFC 5545), those of one station together; raises Conflict."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    today = times.local(now, farm.time_zone).date()
    calendar = Calendar()
    calendar.add("prodid", "-//Embalse//Visits//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"{farm.name}: visits")
    reasons: dict[str, tuple[str, list[str]]] = {}
    for visit in round_content(with_working=False).to_see:
        reasons.setdefault(visit.station, (visit.name, []))[1].append(visit.why)
    for station, (name, why) in reasons.items():
        event = Event()
        event.add("uid", f"visit-{station.replace('/', '-')}-{today:%Y%m%d}@embalse")
        event.add("dtstamp", datetime.fromtimestamp(now, UTC))
        event.add("dtstart", today)
        event.add("dtend", today + timedelta(days=1))
        event.add("summary", f"Go and see {name}")
        event.add("description", "\n".join(why))
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    return bytes(calendar.to_ical())
