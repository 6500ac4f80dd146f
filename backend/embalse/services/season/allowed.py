"""Water allowed for the season at a block's supply, and where it will end."""

from embalse.core.errors import CoreError
from embalse.core.season.pace import SPREAD_WEEKS, season_pace
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.advice.field_series import Field
from embalse.services.load.schemas import Content
from embalse.services.planning.supplies import SupplySide, supply_sides, water_of_supply
from embalse.services.reader import Words, say

WEEK_S = 7 * 86400


class AllowedOut(Content):
    """Water allowed for the season at the block's supply: used, and where it ends at this pace [-]."""

    supply: str
    until: str
    used_share: float
    end_share: float
    low_share: float
    high_share: float
    words: Words


def allowed_of(field: Field) -> AllowedOut | None:
    """How much of what a block's supply may give this season is used; None where no volume is allowed for it."""
    row = field.rows.supplies.get(field.row.supply_id) if field.row.supply_id is not None else None
    side: SupplySide | None = None if row is None else supply_sides(field.rows, field.now, field.zone).get(row.key)
    season = side.rules.season if side is not None and side.rules else None
    if season is None or side is None:
        return None
    first, last = (times.instant_of(times.day_number(d), 0, field.zone) for d in (season.first, season.last))
    if not first <= field.now <= last:
        return None
    weeks = min(SPREAD_WEEKS, (field.now - first) // WEEK_S)
    weekly = [
        water_of_supply(side, (field.now - (n + 1) * WEEK_S, field.now - n * WEEK_S)) for n in reversed(range(weeks))
    ]
    used = water_of_supply(side, (first, field.now))
    try:
        pace = season_pace(weekly, used, season.volume_m3, (last - field.now) / WEEK_S)
    except CoreError:
        return None
    until = times.day_number(season.last)
    values = {"used_fraction": pace.used_share, "end_fraction": pace.end_share, "until_day": until}
    limits = {"low_fraction": pace.low_share, "high_fraction": pace.high_share}
    return AllowedOut(
        supply=side.row.name,
        until=season.last.isoformat(),
        used_share=pace.used_share,
        end_share=pace.end_share,
        low_share=pace.low_share,
        high_share=pace.high_share,
        words=say(Notice("season.allowed", supply=side.row.name, **values, **limits)),
    )
