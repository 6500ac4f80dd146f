"""The season as rows of a table: a block's account, and the farm's plantings."""

from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.plantings import plantings_of
from embalse.services.planning.plan_table import as_csv
from embalse.services.readings.known_then import as_known_then
from embalse.services.season.account import SeasonAccountContent
from embalse.store import farm as farm_store


def account_rows(content: SeasonAccountContent) -> list[tuple[str, float, float]]:
    """Lines of an account with their sign: in is more, out is less [mm over the block]; the last is what is left."""
    told = content.account
    if told is None:
        return []
    lines = [
        ("irrigation", 1, told.irrigation), ("lost on the way", -1, told.lost_on_way),
        ("rain that counted", 1, told.counted_rain), ("crop use, by the probes", -1, told.use),
        ("below the roots", -1, told.below), ("more in store at the end", -1, told.store_change),
        ("not accounted for", 1, told.residual),
    ]  # fmt: skip
    return [(name, round(sign * one.mm, 1), round(one.error_mm, 1)) for name, sign, one in lines if one is not None]


def account_csv(content: SeasonAccountContent) -> str:
    """The same as CSV text."""
    return as_csv(("line", "mm", "error_mm"), account_rows(content))


@as_known_then
def farm_plantings(moment: str | None = None) -> list[tuple[str, str, str, str, str, str, str]]:
    """Plantings of every block in order, as known at a farm-local moment."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    return [
        (
            row.key, one.key, one.crop, one.variety, times.day_of(one.first_day).isoformat(),
            "" if one.last_day is None else times.day_of(one.last_day).isoformat(),
            "" if one.yield_t_ha is None else f"{one.yield_t_ha:g}",
        )
        for row in rows.blocks
        for one in plantings_of(row, rows, (now, farm.time_zone))
    ]  # fmt: skip
