"""What people are told at once: a set that failed, a valve open too long, a silent probe where water is due, air."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from embalse.core.telling.when_told import forecast_past, open_too_long
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.acting.tonight import tonight_content
from embalse.services.advice.advise import round_content
from embalse.services.advice.air import air_limits
from embalse.services.load import clock
from embalse.services.load.weather import forecast_days

DAYS_AHEAD = 3


@dataclass(frozen=True)
class Alert:
    """A thing to be told once: what it is by, the words, and the page it leads to."""

    about: str
    words: Notice
    path: str


def alerts_now() -> list[Alert]:
    """What is to be told at once at this moment; raises Conflict where no farm is set up."""
    return [*_sets(), *_silent(), *_air()]


def _sets() -> list[Alert]:
    farm = clock.the_farm()
    now, night = clock.farm_now(farm), tonight_content()
    found = []
    for one in night.done:
        if one.state == "failed":
            words = Notice("alert.failed", name=one.name, at_time=one.start[11:16], why=one.note or None)
            found.append(Alert(f"failed:{one.key}:{one.start}", words, "/tonight"))
    running = [s for s in (*night.sets, *night.done) if s.state == "running"]
    return found + [
        Alert(f"open:{s.key}:{s.end}", Notice("alert.open", name=s.name, at_time=s.end[11:16]), "/tonight")
        for s in running
        if open_too_long(int(datetime.fromisoformat(s.end).timestamp()), now)
    ]


def _silent() -> list[Alert]:
    told = round_content(with_working=False)
    due = {b.key for b in told.blocks if b.group == "act"}
    day = told.as_of[:10]
    return [
        Alert(f"silent:{v.station}:{day}", Notice("alert.silent", name=v.name, why=v.why), f"/stations/{v.station}")
        for v in told.to_see
        if v.silent and v.station.split("/")[0] in due
    ]


def _air() -> list[Alert]:
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    limits = air_limits(farm, now)
    if limits is None:
        return []
    today = times.local_day(now, farm.time_zone)
    found = []
    kinds: tuple[tuple[Literal["frost", "heat"], float | None], ...] = (
        ("frost", limits.frost_c), ("heat", limits.heat_c),
    )  # fmt: skip
    for ahead in forecast_days(now):
        if not today <= ahead.day <= today + DAYS_AHEAD:
            continue
        for kind, limit in kinds:
            told = forecast_past(ahead.tmin_c if kind == "frost" else ahead.tmax_c, limit, kind)
            if told is not None:
                words = Notice(f"alert.{kind}", on_day=ahead.day, air_c=told[1], limit_c=limit, share_fraction=told[0])
                found.append(Alert(f"{kind}:{ahead.day}", words, "/"))
    return found
