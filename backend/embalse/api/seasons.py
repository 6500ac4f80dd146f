"""Seasons: the water account of a block, as a page and as a table."""

import threading
from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field

from embalse.api.answers import FAULTS, answer, as_json, as_table, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath
from embalse.api.signing import check_kinds
from embalse.services.advice.kept_round import kept_answer
from embalse.services.advice.what_was_said import SaidThenContent, said_then
from embalse.services.schema.base import Day
from embalse.services.season.account import SeasonAccountContent, season_account
from embalse.services.season.closing import (
    ClosingContent,
    FarmClosingContent,
    NextSeasonIn,
    closing_content,
    farm_closing,
)
from embalse.services.season.closing import start_next as start_next_season
from embalse.services.season.farm_seasons import FarmSeasonsContent, farm_seasons, seasons_csv
from embalse.services.season.table import account_csv
from embalse.services.season.taking_back import TakeBackIn, take_back
from embalse.services.season.water_used import WaterUsedContent, water_used, water_used_csv

seasons_api = APIBlueprint("seasons", __name__, url_prefix="/api")
_making = threading.Lock()


class SeasonQuery(AsOfQuery):
    """A moment, and a planting of the block."""

    planting: Annotated[str, Field(max_length=80)] | None = None


class WaterUsedQuery(AsOfQuery):
    """A moment, and the first and last day of a time; this year so far where they are not given."""

    first: Day | None = None
    last: Day | None = None


@seasons_api.get(
    "/blocks/<key>/season", responses={"200": SeasonAccountContent, **FAULTS}, operation_id="seasonAccount"
)
def season(path: BlockPath, query: SeasonQuery) -> Response:
    """The water account of a block's planting."""
    return answer(season_account(path.key, checked_moment(query.as_of), query.planting))


@seasons_api.get("/blocks/<key>/said-then", responses={"200": SaidThenContent, **FAULTS}, operation_id="saidThen")
def said(path: BlockPath) -> Response:
    """What was said of a block on past mornings, and what would be said now."""
    return answer(said_then(path.key))


@seasons_api.get("/blocks/<key>/season.csv", responses={"200": None, **FAULTS}, operation_id="seasonTable")
def season_table(path: BlockPath, query: SeasonQuery) -> Response:
    """The same account as a table."""
    found = account_csv(season_account(path.key, checked_moment(query.as_of), query.planting))
    return as_table(found, f"season-{path.key}.csv")


@seasons_api.get("/closing", responses={"200": FarmClosingContent, **FAULTS}, operation_id="farmClosing")
def closing_of_the_farm(query: AsOfQuery) -> Response:
    """How closing every block's season stands."""
    moment = checked_moment(query.as_of)
    return as_json(kept_answer("closing", moment, _making, lambda: farm_closing(moment)))


@seasons_api.get("/blocks/<key>/closing", responses={"200": ClosingContent, **FAULTS}, operation_id="closing")
def closing(path: BlockPath, query: AsOfQuery) -> Response:
    """How closing a block's season stands, and what is proposed to come next."""
    return answer(closing_content(path.key, checked_moment(query.as_of)))


@seasons_api.post("/blocks/<key>/next-season", responses={"200": ClosingContent, **FAULTS}, operation_id="nextSeason")
def start_next(path: BlockPath, body: NextSeasonIn) -> Response:
    """Enter a block's next planting, with the lessons that were picked."""
    if "efficiency" in body.lessons:
        check_kinds(["set_choices"])
    return answer(start_next_season(path.key, body))


@seasons_api.get("/seasons", responses={"200": FarmSeasonsContent, **FAULTS}, operation_id="farmSeasons")
def seasons(query: AsOfQuery) -> Response:
    """Every planting's water, and the farm's account of what stands."""
    moment = checked_moment(query.as_of)
    return as_json(kept_answer("seasons", moment, _making, lambda: farm_seasons(moment)))


@seasons_api.post("/blocks/<key>/take-back", responses={"200": SeasonAccountContent, **FAULTS}, operation_id="takeBack")
def taken_back(path: BlockPath, body: TakeBackIn) -> Response:
    """Take back a planting or a harvest that was entered wrongly."""
    check_kinds([body.kind])
    return answer(take_back(path.key, body))


@seasons_api.get("/water-used", responses={"200": WaterUsedContent, **FAULTS}, operation_id="waterUsed")
def used(query: WaterUsedQuery) -> Response:
    """Water used between two days: meters, blocks, and how it was worked out."""
    return answer(water_used(checked_moment(query.as_of), query.first, query.last))


@seasons_api.get("/water-used/table.csv", responses={"200": None, **FAULTS}, operation_id="waterUsedTable")
def used_table(query: WaterUsedQuery) -> Response:
    """The blocks of the same report as a table."""
    return as_table(water_used_csv(checked_moment(query.as_of), query.first, query.last), "water-used.csv")


@seasons_api.get("/seasons/table.csv", responses={"200": None, **FAULTS}, operation_id="farmSeasonsTable")
def seasons_table(query: AsOfQuery) -> Response:
    """The same list as a table."""
    return as_table(seasons_csv(checked_moment(query.as_of)), "seasons.csv")
