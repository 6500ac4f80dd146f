"""Every planting's water on one list, and the farm's account of what stands now."""

from typing import Final, Literal

from embalse.core.season.farm_account import BlockLines, FarmAccount, Volume, together
from embalse.core.season.water_account import Line
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.plantings import plantings_of
from embalse.services.load.schemas import Content
from embalse.services.planning.plan_table import as_csv
from embalse.services.reader import Words
from embalse.services.readings.known_then import as_known_then
from embalse.services.season.account import AccountLineOut, PlantingOut, SeasonAccountContent, season_account
from embalse.store import farm as farm_store
from embalse.store.rows import BlockRow, FarmRows

HEAD: Final = (
    "block", "name", "crop", "variety", "first day", "last day", "area [ha]", "irrigation [mm]", "rain counted [mm]",
    "crop use [mm]", "below roots [mm]", "not accounted for [mm]", "error [mm]", "stress [days]", "volume [m3]",
    "money", "yield [t/ha]", "yield water allows", "kg per m3", "why no account",
)  # fmt: skip


class VolumeOut(Content):
    """A line of the farm's account [m³] with its error."""

    m3: float
    error_m3: float


class FarmAccountOut(Content):
    """What stands on the farm added up [m³]; ``below`` of the blocks that tell it."""

    blocks: int
    area_ha: float
    irrigation: VolumeOut
    lost_on_way: VolumeOut
    counted_rain: VolumeOut
    use: VolumeOut
    below: VolumeOut | None
    telling_ha: float
    below_fraction: float | None
    store_change: VolumeOut
    residual: VolumeOut
    money: float | None
    priced: int


class SeasonRowOut(Content):
    """A planting's water [mm over the block]; figures are null where ``why_not`` says so or nothing tells them."""

    block: str
    name: str
    planting: str
    crop: str
    variety: str
    first_day: str
    last_day: str | None
    begins: Literal["leaf-out", "planting"]
    stands: bool
    area_ha: float
    days: int | None
    given_mm: float | None
    rain_mm: float | None
    use_mm: float | None
    below_mm: float | None
    residual_mm: float | None
    error_mm: float | None
    stress_days: int | None
    volume_m3: float | None
    money: float | None
    yield_t_ha: float | None
    yield_share: float | None
    kg_m3: float | None
    why_not: Words


class FarmSeasonsContent(Content):
    """Plantings of every block by crop, variety and first day, and the account of those that stand."""

    as_of: str
    rows: list[SeasonRowOut]
    total: FarmAccountOut | None
    left_out: list[str]


@as_known_then
def farm_seasons(moment: str | None = None) -> FarmSeasonsContent:
    """Every planting's account at a farm-local moment, and the farm's.

    Raises
    ------
    Conflict
        If no farm is set up.
    ValueError
        If the moment cannot be read.
    """
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows()
    found = [pair for row in rows.blocks for pair in _of_block(row, rows, (now, farm.time_zone), moment)]
    listed = sorted((one for one, _ in found), key=lambda one: (one.crop, one.variety, one.first_day, one.block))
    standing = [season for one, season in found if one.stands and season.account is not None]
    return FarmSeasonsContent(
        as_of=times.iso(now, farm.time_zone) or "",
        rows=listed,
        total=_total(standing),
        left_out=[one.name for one, _ in found if one.stands and one.why_not],
    )


def _of_block(
    row: BlockRow, rows: FarmRows, at: tuple[int, str], moment: str | None
) -> list[tuple[SeasonRowOut, SeasonAccountContent]]:
    today = times.day_of(times.local_day(*at)).isoformat()
    seasons = []
    for one in plantings_of(row, rows, at):
        if times.day_of(one.first_day).isoformat() > today:
            continue
        seasons.append((one.key, season_account(row.key, moment, one.key)))
    found = []
    for place, (key, season) in enumerate(seasons):
        planting = next(p for p in season.plantings if p.key == key)
        stands = place == len(seasons) - 1 and (planting.last_day is None or planting.last_day >= today)
        found.append((_row(planting, season, stands), season))
    return found


def _row(planting: PlantingOut, season: SeasonAccountContent, stands: bool) -> SeasonRowOut:
    told = season.account
    return SeasonRowOut(
        block=season.key,
        name=season.name,
        planting=planting.key,
        crop=planting.crop,
        variety=planting.variety,
        first_day=planting.first_day,
        last_day=planting.last_day if planting.last_day or stands else season.last_day,
        begins=planting.begins,
        stands=stands,
        area_ha=season.area_ha,
        days=told.days if told else None,
        given_mm=told.irrigation.mm if told else None,
        rain_mm=told.counted_rain.mm if told else None,
        use_mm=told.use.mm if told else None,
        below_mm=told.below.mm if told and told.below else None,
        residual_mm=told.residual.mm if told else None,
        error_mm=told.residual.error_mm if told else None,
        stress_days=told.stress_days if told else None,
        volume_m3=told.volume_m3 if told else None,
        money=told.money if told else None,
        yield_t_ha=planting.yield_t_ha,
        yield_share=told.yield_share if told else None,
        kg_m3=told.kg_m3 if told else None,
        why_not=season.why_not,
    )


def _total(standing: list[SeasonAccountContent]) -> FarmAccountOut | None:
    added = together([_lines(one) for one in standing])
    if added is None:
        return None
    money = [one.account.money for one in standing if one.account is not None and one.account.money is not None]
    return _total_out(added, len(standing), money)


def _total_out(added: FarmAccount, blocks: int, money: list[float]) -> FarmAccountOut:
    return FarmAccountOut(
        blocks=blocks,
        area_ha=added.area_ha,
        irrigation=_volume(added.irrigation),
        lost_on_way=_volume(added.lost_on_way),
        counted_rain=_volume(added.counted_rain),
        use=_volume(added.use),
        below=_volume(added.below) if added.below else None,
        telling_ha=added.telling_ha,
        below_fraction=added.below_fraction,
        store_change=_volume(added.store_change),
        residual=_volume(added.residual),
        money=sum(money) if money else None,
        priced=len(money),
    )


def _volume(one: Volume) -> VolumeOut:
    return VolumeOut(m3=one.m3, error_m3=one.error_m3)


def _lines(season: SeasonAccountContent) -> BlockLines:
    told = season.account
    assert told is not None
    return BlockLines(
        season.area_ha, _line(told.irrigation), _line(told.lost_on_way), _line(told.counted_rain), _line(told.use),
        _line(told.below) if told.below else None, _line(told.store_change),
    )  # fmt: skip


def _line(one: AccountLineOut) -> Line:
    return Line(one.mm, one.error_mm)


def seasons_csv(moment: str | None = None) -> str:
    """The list as CSV; raises as :func:`farm_seasons` does."""
    return as_csv(HEAD, (_cells(one) for one in farm_seasons(moment).rows))


def _cells(one: SeasonRowOut) -> tuple[object, ...]:
    return (
        one.block, one.name, one.crop, one.variety, one.first_day, one.last_day or "", one.area_ha,
        _round(one.given_mm), _round(one.rain_mm), _round(one.use_mm), _round(one.below_mm), _round(one.residual_mm),
        _round(one.error_mm), _round(one.stress_days), _round(one.volume_m3), _round(one.money),
        _round(one.yield_t_ha), _round(one.yield_share), _round(one.kg_m3), one.why_not,
    )  # fmt: skip


def _round(value: float | None) -> float | str:
    return "" if value is None else round(value, 2)
