"""The season at a glance: sets and rain by day, for the ribbon under the header."""

from pydantic import BaseModel

from embalse.services import times
from embalse.services.load import clock
from embalse.store import readings as store


class SeasonDay(BaseModel):
    """A day with sets or rain: mean gross depth of its sets [mm], how many blocks, rain [mm]."""

    day: str
    blocks: int
    gross_mm: float
    rain_mm: float


class SeasonContent(BaseModel):
    """Days with water coming in; ``first`` is the first day with readings, ``today`` the farm's clock."""

    first: str | None
    today: str
    days: list[SeasonDay]


def season_content() -> SeasonContent:
    """Sets and rain of the farm from its first reading, at most a year back."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    zone = farm.time_zone
    today = times.local_day(now, zone)
    oldest = store.first_reading()
    first = max(times.local_day(oldest, zone), today - 365) if oldest is not None else today
    sums: dict[int, list[float]] = {}
    for row in store.sets(None, times.instant_of(first, 0, zone), now):
        sums.setdefault(times.local_day(row.start_at, zone), []).append(row.gross_mm)
    rain = dict(store.rain(first, today))
    days = [
        SeasonDay(
            day=times.day_of(day).isoformat(),
            blocks=len(sums.get(day, [])),
            gross_mm=sum(sums[day]) / len(sums[day]) if day in sums else 0.0,
            rain_mm=rain.get(day, 0.0),
        )
        for day in sorted(sums.keys() | rain.keys())
    ]
    start = times.day_of(first).isoformat() if oldest is not None else None
    return SeasonContent(first=start, today=times.day_of(today).isoformat(), days=days)
