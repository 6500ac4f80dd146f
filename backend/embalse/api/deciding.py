"""The profile, the ledger of demand, the skill of past calls, weather by table, and what a person orders."""

from datetime import datetime
from typing import Annotated

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field, StringConstraints

from embalse.api.answers import FAULTS, answer, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath, BlockQuery, In
from embalse.core.errors import CoreError
from embalse.core.weather.reference_et import Place
from embalse.services.advice import ledger, profile_page, skill
from embalse.services.intake import weather_columns, weather_import
from embalse.services.setup import overrides

deciding_api = APIBlueprint("deciding", __name__, url_prefix="/api")


class WeatherTableIn(In):
    """A CSV table of days or hours, and where it was measured."""

    table: Annotated[str, StringConstraints(max_length=weather_import.LARGEST_TABLE)]
    elevation_m: Annotated[float, Field(ge=-430, le=6000)]
    latitude: Annotated[float, Field(gt=-90, lt=90)] | None = None
    wind_height_m: Annotated[float, Field(gt=0, le=100)] = 2.0
    mapping: dict[str, str] | None = Field(None, description="our name → the table's; as remembered if absent")


class ForecastTableIn(In):
    """A CSV table of days and members, and when it was issued."""

    table: Annotated[str, StringConstraints(max_length=1_000_000)]
    issued: datetime
    elevation_m: Annotated[float, Field(ge=-430, le=6000)] | None = None
    note: Annotated[str, StringConstraints(max_length=200)] = ""


@deciding_api.get(
    "/blocks/<key>/profile", responses={"200": profile_page.ProfileContent, **FAULTS}, operation_id="profile"
)
def profile(path: BlockPath, query: BlockQuery) -> Response:
    """Wettings, uptake and diagnoses of a block."""
    return answer(profile_page.profile_content(path.key, checked_moment(query.as_of), query.days))


@deciding_api.get("/blocks/<key>/ledger", responses={"200": ledger.LedgerContent, **FAULTS}, operation_id="ledger")
def ledger_(path: BlockPath, query: AsOfQuery) -> Response:
    """The demand of a block day by day."""
    return answer(ledger.ledger_content(path.key, checked_moment(query.as_of)))


@deciding_api.get("/blocks/<key>/skill", responses={"200": skill.SkillContent, **FAULTS}, operation_id="skill")
def skill_(path: BlockPath, query: AsOfQuery) -> Response:
    """Refill dates as they were called, and what came of them."""
    return answer(skill.skill_content(path.key, checked_moment(query.as_of)))


@deciding_api.get("/blocks/<key>/rules", responses={"200": overrides.RulesContent, **FAULTS}, operation_id="blockRules")
def rules(path: BlockPath, query: AsOfQuery) -> Response:
    """Rules, dry windows and orders of a block."""
    return answer(overrides.rules_content(path.key, checked_moment(query.as_of)))


@deciding_api.post("/blocks/<key>/rules", responses={"200": overrides.RulesContent, **FAULTS}, operation_id="setRules")
def set_rules(path: BlockPath, body: overrides.RulesIn) -> Response:
    """Give a block rules that hold from today on."""
    return answer(overrides.set_rules(path.key, body))


@deciding_api.post(
    "/blocks/<key>/windows", responses={"200": overrides.RulesContent, **FAULTS}, operation_id="addWindow"
)
def add_window(path: BlockPath, body: overrides.WindowIn) -> Response:
    """Enter a dry window of a block."""
    return answer(overrides.add_window(path.key, body))


@deciding_api.post("/blocks/<key>/orders", responses={"200": overrides.RulesContent, **FAULTS}, operation_id="order")
def order(path: BlockPath, body: overrides.OrderIn) -> Response:
    """Order a hold or a set over the advice, with the reason."""
    return answer(overrides.give_order(path.key, body))


@deciding_api.post(
    "/blocks/<key>/withdraw", responses={"200": overrides.RulesContent, **FAULTS}, operation_id="withdrawRule"
)
def withdraw(path: BlockPath, body: overrides.WithdrawIn) -> Response:
    """Take back an order or a window; past advice stays as it was."""
    return answer(overrides.withdraw(path.key, body))


@deciding_api.post("/weather", responses={"200": weather_import.WeatherReport, **FAULTS}, operation_id="importWeather")
def import_weather(body: WeatherTableIn) -> Response:
    """Work out reference ET from a table of days or hours and keep it with the rain."""
    where = weather_import.farm_latitude() if body.latitude is None else body.latitude
    if where is None:
        raise CoreError("latitude", "no station has a place: give the latitude")
    return answer(
        weather_import.import_weather(body.table, Place(where, body.elevation_m, body.wind_height_m), body.mapping)
    )


@deciding_api.post(
    "/weather/columns",
    responses={"200": weather_columns.WeatherColumnsOut, **FAULTS},
    operation_id="weatherColumns",
)
def columns_of_weather(body: weather_columns.WeatherColumnsIn) -> Response:
    """What the columns of a weather table are taken for; nothing is stored."""
    return answer(weather_columns.weather_columns(body.table))


@deciding_api.post(
    "/weather/forecast", responses={"200": weather_import.WeatherReport, **FAULTS}, operation_id="importForecast"
)
def import_forecast(body: ForecastTableIn) -> Response:
    """Keep a forecast from a table of days and members."""
    where = weather_import.farm_latitude()
    place = None if body.elevation_m is None or where is None else Place(where, body.elevation_m)
    return answer(weather_import.import_forecast(body.table, body.issued, place, body.note))
