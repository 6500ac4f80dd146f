"""Closing the season of a block, and starting its next one from it."""

import json
from datetime import date
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.crop.crop_library import lacks
from embalse.core.install.take_out import take_out
from embalse.core.season.closing import ClosingStep, SeasonEnd, StationEnd, closing_steps, next_step
from embalse.core.season.lessons import Lesson
from embalse.core.season.plantings import Planting, begins_with, last_day_of
from embalse.core.season.rotation import Proposal, is_cut, propose, stays
from embalse.core.wording import Notice
from embalse.services import times
from embalse.services.audit.choosing import PickIn, free_key, pick
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.load import clock
from embalse.services.load.harvest import harvest_day
from embalse.services.load.in_force import choices_in_force
from embalse.services.load.plantings import plantings_of
from embalse.services.load.schemas import Content
from embalse.services.reader import Words, say
from embalse.services.readings.known_then import as_known_then
from embalse.services.schema.base import Day, Name
from embalse.services.schema.season import PlantingPart
from embalse.services.season.account import Stand, added_up, stand_of
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import actor
from embalse.store.database import transaction
from embalse.store.errors import Conflict
from embalse.store.rows import BlockRow, StationRow

WORTH = {"clean, put by for next season": "put_by", "to be repaired": "to_repair", "thrown out": "thrown_out"}
"""What becomes of a sensor at the step that asks, by the count it goes to."""


class ClosingStepOut(Content):
    """A step of closing a season."""

    code: str
    state: Literal["done", "now", "later", "not needed"]
    words: Words


class StationEndOut(Content):
    """A station at the season's end."""

    ref: str
    name: str
    stays: bool
    out_by: str | None
    out_on: str | None
    words: Words
    run: str | None = None
    run_state: Literal["none", "open", "closed"]


class LessonOut(Content):
    """Something the season taught; ``value`` is what would be put in force, where it can be."""

    what: Literal["trigger", "efficiency", "sensor"]
    words: Words
    value: float | None


class ProposalOut(Content):
    """A planting proposed to follow, which may be changed."""

    crop: str
    variety: str
    first_day: str
    begins: Literal["leaf-out", "planting"]
    why: Words
    lacks: list[Words]


class ClosingContent(Content):
    """A block's season on its way to its end, and what comes next."""

    key: str
    name: str
    crop: str
    variety: str
    as_of: str
    next_words: str
    steps: list[ClosingStepOut]
    stations: list[StationEndOut]
    lessons: list[LessonOut]
    proposal: ProposalOut | None
    entered: ProposalOut | None
    kept: list[str]


class ClosingLineOut(Content):
    """A block on the farm's list of seasons to close."""

    key: str
    name: str
    crop: str
    steps: list[ClosingStepOut]


class FarmClosingContent(Content):
    """Every block's season on its way to its end."""

    as_of: str
    blocks: list[ClosingLineOut]


class NextSeasonIn(BaseModel):
    """The next planting of a block, and which lessons are put in force with it."""

    model_config = ConfigDict(extra="forbid", str_strip_whitespace=True)
    crop: Name
    variety: Annotated[str, Field(max_length=80)] = ""
    first_day: Day
    lessons: list[Literal["trigger", "efficiency"]] = []


@as_known_then
def closing_content(key: str, moment: str | None = None) -> ClosingContent:
    """How closing a block's season stands at a farm-local moment; raises NotFound, Conflict, ValueError."""
    stand = stand_of(key, moment)
    at = (stand.field.now if moment is None else clock.as_of(stand.field.farm, moment), stand.field.zone)
    return _content(stand, at)


@as_known_then
def farm_closing(moment: str | None = None) -> FarmClosingContent:
    """How closing every block's season stands, by block; raises Conflict, ValueError."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    found = []
    for row in farm_store.farm_rows().blocks:
        stand = stand_of(row.key, moment)
        steps = closing_steps(_end(stand, (now, farm.time_zone)))
        crop = stand.chosen.crop if stand.chosen else row.crop
        found.append(ClosingLineOut(key=row.key, name=row.name, crop=crop, steps=[_step(s) for s in steps]))
    return FarmClosingContent(as_of=times.iso(now, farm.time_zone) or "", blocks=found)


def start_next(key: str, body: NextSeasonIn) -> ClosingContent:
    """Enter a block's next planting from this one, with the lessons that were picked and nothing else.

    What the last planting of that crop had of its own (stages, Kc, root depth, allowable depletion) goes with it. A
    lesson about the trigger goes into the new planting; one about the efficiency is in force from today.

    Raises
    ------
    NotFound
        If there is no such block.
    Conflict
        If a lesson that is picked is not there any more.
    DocumentErrors
        If the planting is refused: another one begins that day.
    """
    stand = stand_of(key)
    lessons = {one.what: one for one in added_up(stand).lessons if one.value is not None}
    gone = [what for what in body.lessons if what not in lessons]
    if gone:
        raise Conflict("lessons", f"this is not taught any more: {', '.join(gone)}")
    at = times.local(clock.farm_now(stand.field.farm), stand.field.zone)
    like = next((p for p in reversed(stand.planted) if p.crop == body.crop), None)
    allowed = like.allowable_fraction if like else None
    if "trigger" in body.lessons:
        allowed = lessons["trigger"].value
    part = PlantingPart(
        key=free_key("plantings", f"{key[:24]}-{body.first_day:%Y%m%d}"), valid_from=body.first_day, entered=at,
        who=actor().who, block=key, crop=body.crop, variety=body.variety, purpose=like.purpose if like else "",
        crop_values=dict(like.values) if like else {}, root_depth_cm=_root_depth(stand, like),
        allowable_depletion_fraction=allowed, yield_aim_t_ha=like.yield_aim_t_ha if like else None,
        note="; ".join(say(lessons[what].notice) for what in body.lessons)[:400],
    )  # fmt: skip
    with transaction():
        apply_document(FarmDocument(embalse=1, plantings=[part]))
        if "efficiency" in body.lessons:
            pick(key, PickIn(what="efficiency"))
    return closing_content(key)


def _root_depth(stand: Stand, like: Planting | None) -> float | None:
    if like is None:
        return None
    return stand.field.rows.blocks[0].root_depth_cm if like.key == "" else like.root_depth_cm


def _content(stand: Stand, at: tuple[int, str]) -> ClosingContent:
    field = stand.field
    end = _end(stand, at)
    steps = closing_steps(end)
    now = next_step(steps)
    rows = field.rows
    others = [plantings_of(row, rows_of_farm, at) for rows_of_farm in [farm_store.farm_rows()]
              for row in rows_of_farm.blocks if row.key != field.row.key]  # fmt: skip
    coming = next((p for p in stand.planted if p.first_day > end.today), None)
    after = max(end.today, end.ended_day or end.today)
    proposal = None if coming else propose([p for p in stand.planted if p.first_day <= end.today], others, after)
    marks = len(choices_in_force(field.row.key, rows, at))
    out = tuple(s.name for s in end.stations if s.out_on is not None)
    kept = [Notice("closing.stays_as_is", marks=marks or None)]
    kept += [Notice("closing.reinstall", names=out)] if out else []
    return ClosingContent(
        key=field.row.key,
        name=field.row.name,
        crop=stand.chosen.crop if stand.chosen else field.row.crop,
        variety=stand.chosen.variety if stand.chosen else "",
        as_of=times.iso(at[0], at[1]) or "",
        next_words="" if now is None else say(now.words),
        steps=[_step(s) for s in steps],
        stations=[_station_out(s) for s in end.stations],
        lessons=[_lesson(one) for one in added_up(stand).lessons],
        proposal=_proposal(proposal) if proposal else None,
        entered=_entered(coming) if coming else None,
        kept=[say(one) for one in kept],
    )


def _end(stand: Stand, at: tuple[int, str]) -> SeasonEnd:
    field, chosen = stand.field, stand.chosen
    now, zone = at
    today = times.local_day(now, zone)
    block = field.block
    crop = chosen.crop if chosen else field.row.crop
    season = field.analysis.inputs.season if field.analysis.inputs else None
    share = block.limits.wetted_fraction
    stands = stays(crop)
    ended = last_day_of(stand.planted, chosen) if chosen else None
    if stands and ended is None and chosen is not None:
        picked = [h.day for h in chosen.harvests if h.kind == "harvest" and h.day <= today]
        ended = max(picked, default=None)
    harvest = harvest_day(block)
    rows = farm_store.farm_rows([field.row.key])
    return SeasonEnd(
        stays=stands,
        cut=is_cut(crop),
        harvest_day=harvest,
        ended_day=ended if ended is not None and ended <= today else None,
        finishes=bool(season and season.finishes),
        short_mm=None if season is None else max(0.0, season.short_mm * share),
        stations=tuple(
            _station(rows.blocks[0], station, (crop, harvest, chosen.first_day if chosen else 0), at)
            for station in rows.stations.get(rows.blocks[0].id, [])
        ),
        next_day=next((p.first_day for p in stand.planted if p.first_day > today), None),
        today=today,
    )


def _station(
    block: BlockRow, station: StationRow, season: tuple[str, int | None, int], at: tuple[int, str]
) -> StationEnd:
    crop, harvest, first = season
    now, zone = at
    told = take_out(crop, harvest, times.local_day(now, zone))
    ref = f"{block.key}/{station.key}"
    run, counts = _run_of(ref, first)
    gone = station.removed_at is not None and station.removed_at <= now
    return StationEnd(
        ref=ref,
        name=station.name,
        stays=told.state == "stays",
        out_by=told.day,
        out_on=times.local_day(station.removed_at, zone) if gone and station.removed_at is not None else None,
        run=run,
        **counts,
    )


def _run_of(ref: str, first: int) -> tuple[Literal["none", "open", "closed"], dict[str, int]]:
    """How pulling and cleaning a station stands since a day number, and what became of its sensors."""
    counts = dict.fromkeys(WORTH.values(), 0)
    state: Literal["none", "open", "closed"] = "none"
    for row in record_store.records("procedure_runs", ref):
        body = json.loads(row.body)
        closed = body["closed"]
        if body["procedure"] != "remove" or (
            closed is not None and times.day_number(date.fromisoformat(closed[:10])) < first
        ):
            continue
        state = "open" if closed is None else "closed"
        for name, entry in body["done"].items():
            if name.split(":")[-1] == "worth" and entry["value"] in WORTH:
                counts[WORTH[entry["value"]]] += 1
    return state, counts


def open_run(ref: str) -> str | None:
    """The key of the open run that takes a station out, None where there is none."""
    for row in record_store.records("procedure_runs", ref):
        body = json.loads(row.body)
        if body["procedure"] == "remove" and body["closed"] is None:
            return row.key
    return None


def _step(step: ClosingStep) -> ClosingStepOut:
    return ClosingStepOut(code=step.code, state=step.state, words=say(step.words))


def _station_out(one: StationEnd) -> StationEndOut:
    def day(number: int | None) -> str | None:
        return None if number is None else times.day_of(number).isoformat()

    if one.out_on is not None:
        words = Notice("closing.station_out", on_day=one.out_on)
    elif one.stays:
        words = Notice("closing.station_stays")
    elif one.out_by is None:
        words = Notice("closing.station_unknown")
    else:
        words = Notice("closing.station_by", on_day=one.out_by)
    return StationEndOut(
        ref=one.ref, name=one.name, stays=one.stays, out_by=day(one.out_by), out_on=day(one.out_on), words=say(words),
        run=open_run(one.ref), run_state=one.run,
    )  # fmt: skip


def _lesson(one: Lesson) -> LessonOut:
    return LessonOut(what=one.what, words=say(one.notice), value=one.value)


def _proposal(one: Proposal) -> ProposalOut:
    return ProposalOut(
        crop=one.like.crop,
        variety=one.like.variety,
        first_day=times.day_of(one.first_day).isoformat(),
        begins=begins_with(one.like.crop),
        why=say(one.why),
        lacks=lacks(one.like.crop),
    )


def _entered(one: Planting) -> ProposalOut:
    return ProposalOut(
        crop=one.crop,
        variety=one.variety,
        first_day=times.day_of(one.first_day).isoformat(),
        begins=begins_with(one.crop),
        why="",
        lacks=lacks(one.crop),
    )
