"""Practice in the field: stage names of a block, a sprinkler rate that fits, a basin of rain as a supply."""

from datetime import date

from pydantic import BaseModel, Field

from embalse.core.advice.decision_inputs import soil_intake_mm_h
from embalse.core.crop.stage_names import install_words, stage_names
from embalse.core.delivery.rain_basin import Basin, basin_days
from embalse.core.delivery.redesign import redesign, usual_gross_mm
from embalse.core.errors import CoreError
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.load import clock
from embalse.services.load.blocks import core_blocks
from embalse.services.load.in_force import stages_seen
from embalse.services.load.plantings import as_planted
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store
from embalse.store import readings as readings_store


class StageNameOut(Content):
    """A stage by the trade's name, and the stage of FAO-56 it belongs to."""

    name: str
    stage: str
    begins: bool
    source: Words


class SeenOut(Content):
    """A stage that was seen, with its day."""

    name: str
    on: str


class StagesContent(Content):
    """Names of a block's stages, what was seen of them, and whether sensors may still go in."""

    block: str
    name: str
    crop: str
    variety: str
    stage: str | None
    names: list[StageNameOut]
    seen: list[SeenOut]
    window_state: str
    window: Words


@as_known_then
def stages_content(key: str, moment: str | None = None) -> StagesContent:
    """Stages of a block as known at a farm-local moment; raises NotFound, Conflict, ValueError."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    rows = farm_store.farm_rows([key])
    row, block = as_planted(rows.blocks[0], rows, (now, farm.time_zone)), core_blocks(rows, now)[0]
    seen = stages_seen(row, rows, (now, farm.time_zone))
    window = install_words(row.crop, seen[-1][0].name) if seen else ("unknown", Notice("window.not_seen"))
    return StagesContent(
        block=key,
        name=row.name,
        crop=row.crop,
        variety=row.variety,
        stage=block.stage,
        names=[
            StageNameOut(name=n.name, stage=n.stage, begins=n.begins, source=n.source) for n in stage_names(row.crop)
        ],
        seen=[SeenOut(name=n.name, on=times.day_of(day).isoformat()) for n, day in seen],
        window_state=window[0],
        window=say(window[1]),
    )


class RedesignContent(Content):
    """A sprinkler rate that fits the soil and its slope."""

    rate_mm_h: float = Field(description="on the ground that is wetted")
    takes_mm_h: float
    fits: bool
    outlet_l_h: float | None
    set_h: float
    now_h: float
    gross_mm: float
    words: Words


def redesign_content(key: str) -> RedesignContent:
    """Which rate fits a block, and how long its usual set then takes; raises NotFound, CoreError where not known."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = farm_store.farm_rows([key])
    row, block = rows.blocks[0], core_blocks(rows, now)[0]
    if block.system is None or block.system.kind not in ("sprinkler", "micro", "pivot"):
        raise CoreError("system", Notice("redesign.not_from_above"))
    takes = block.rules.max_rate_mm_h or soil_intake_mm_h(block.horizons, block.slope_pct)
    if takes is None:
        raise CoreError("soil", Notice("redesign.no_intake"))
    sets = readings_store.sets(key, now - 90 * 86400, now)
    gross = usual_gross_mm([s.gross_mm for s in sets])
    share = block.limits.wetted_fraction
    system = rows.systems[row.system_id] if row.system_id is not None else None
    spacing = (
        system.spacing_m * system.line_spacing_m if system and system.spacing_m and system.line_spacing_m else None
    )
    found = redesign(gross / share, block.system.rate_mm_h / share, takes, spacing)
    values = {"rate_mm_h": found.rate_mm_h, "takes_mm_h": takes, "set_h": found.set_h, "now_h": found.now_h}
    words = Notice(
        "redesign.fits" if found.fits else "redesign.less",
        **values,
        less_fraction=found.less_share,
        taken_mm=None if sets else gross,
    )
    return RedesignContent(
        rate_mm_h=found.rate_mm_h,
        takes_mm_h=takes,
        fits=found.fits,
        outlet_l_h=found.outlet_l_h,
        set_h=found.set_h,
        now_h=found.now_h,
        gross_mm=gross,
        words=say(words),
    )


class BasinOut(BaseModel):
    """A year of a rain basin by the farm's own weather [m³]."""

    days: int
    caught_m3: float
    drawn_m3: float
    spilled_m3: float
    evaporated_m3: float
    short_days: int
    short_m3: float
    stored_m3: float
    first_day: str
    words: str


def basin_content(holds_m3: float, catchment_m2: float, runoff: float, surface_m2: float, weekly_m3: float) -> BasinOut:
    """What a basin would have given over the weather on record, a year at most; raises CoreError."""
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    today = times.local_day(now, farm.time_zone)
    known = {day: mm for day, mm, _ in readings_store.eto(today - 365, today - 1)}
    if not known:
        raise CoreError("weather", Notice("basin.no_weather"))
    days = sorted(known)
    rain = dict(readings_store.rain(days[0], days[-1]))
    basin = Basin(holds_m3, 0.0, catchment_m2, runoff, surface_m2)
    found = basin_days(basin, [rain.get(d, 0.0) for d in days], [known[d] for d in days], [weekly_m3 / 7] * len(days))
    short = [d for d in found if d.short_m3 > 0]
    drawn = sum(d.drawn_m3 for d in found)
    words = Notice("basin.gave", days=float(len(days)), drawn_m3=drawn, short_days=float(len(short)))
    return BasinOut(
        days=len(days),
        caught_m3=sum(d.caught_m3 for d in found),
        drawn_m3=drawn,
        spilled_m3=sum(d.spilled_m3 for d in found),
        evaporated_m3=sum(d.evaporated_m3 for d in found),
        short_days=len(short),
        short_m3=sum(d.short_m3 for d in short),
        stored_m3=found[-1].stored_m3,
        first_day=date.isoformat(times.day_of(days[0])),
        words=say(words),
    )
