"""The plan, sets approved and told, the water side, controllers, and the calendar."""

from typing import Annotated, Literal

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field, StringConstraints

from embalse.api.answers import FAULTS, answer, as_table, checked_moment
from embalse.api.schemas import AsOfQuery, In, PlanQuery
from embalse.services.acting import doing, entering, seen, stepping, tonight
from embalse.services.planning import approving, arming, calendar, groups, plan_table, water_page
from embalse.services.planning.plan import PlanContent, plan_content
from embalse.store.changes import actor
from embalse.store.database import transaction

PAGE_WAITS_S = 8.0  # seconds a plan may be looked for while a person waits
planning_api = APIBlueprint("planning", __name__, url_prefix="/api")
Short = Annotated[str, StringConstraints(min_length=1, max_length=80)]


class NamedPath(In):
    """A key in the address."""

    key: Annotated[str, StringConstraints(max_length=80)]


class FeedPath(In):
    """The number of a calendar address."""

    feed: Annotated[int, Field(ge=1, le=2**31)]


class TokenPath(In):
    """The secret part of a calendar address."""

    token: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_-]{20,80}$")]


class ToldListIn(In):
    """What people told of sets, as a phone kept it."""

    entries: Annotated[list[doing.ToldIn], Field(min_length=1, max_length=500)]


class ToldListOut(tonight.Content):
    """What became of each."""

    entries: list[doing.ToldOut]


class SeenIn(In):
    """When a wetting began [s, UTC]."""

    start_at: Annotated[int, Field(ge=0, lt=2**37)]


class ArmIn(In):
    """Arm a supply or disarm it."""

    armed: bool
    cautions_read: bool = False


class FeedIn(In):
    """A name for a calendar address."""

    name: Short


class FeedsOut(tonight.Content):
    """Calendar addresses."""

    feeds: list[calendar.FeedOut]


class StopOut(tonight.Content):
    """Controllers that were not reached: their valves close at their longest time."""

    not_reached: list[str]


class OkOut(tonight.Content):
    """It is done."""

    ok: bool


class AnswersOut(tonight.Content):
    """Why a controller cannot be used; empty where it answers and knows its valves."""

    trouble: str


class TableQuery(PlanQuery):
    """Which table."""

    of: Literal["plan", "sets"] = "plan"


@planning_api.get("/plan", responses={"200": PlanContent, **FAULTS}, operation_id="plan")
def plan(query: PlanQuery) -> Response:
    """The sets that are approved and those the blocks ask for, on the farm's supplies; nothing is opened by it."""
    return answer(plan_content(checked_moment(query.as_of), query.days, query.quick, PAGE_WAITS_S))


@planning_api.post("/plan/check", responses={"200": approving.CheckOut, **FAULTS}, operation_id="checkPlan")
def check(body: approving.DraftIn) -> Response:
    """What sets break where somebody has moved them."""
    return answer(approving.check(body))


@planning_api.post("/plan/approve", responses={"200": PlanContent, **FAULTS}, operation_id="approvePlan")
def approve(body: approving.ApproveIn) -> Response:
    """Approve sets as they were shown; refused where the plan has changed since."""
    return answer(approving.approve(body))


@planning_api.post("/plan/sets/<key>", responses={"200": OkOut, **FAULTS}, operation_id="changePlannedSet")
def change(path: NamedPath, body: approving.ChangeIn) -> Response:
    """Move, lock or take back an approved set."""
    approving.change(path.key, body)
    return answer(OkOut(ok=True))


@planning_api.post("/plan/groups", responses={"200": groups.GroupContent, **FAULTS}, operation_id="layGroup")
def lay(body: groups.LayIn) -> Response:
    """Lay a group of blocks one after another on a day."""
    return answer(groups.lay(body))


@planning_api.get("/plan/calendar.ics", responses={"200": None, **FAULTS}, operation_id="planCalendar")
def calendar_file() -> Response:
    """Approved sets as a calendar."""
    return _calendar(calendar.calendar_text())


@planning_api.get("/plan/table.csv", responses={"200": None, **FAULTS}, operation_id="planTable")
def table(query: TableQuery) -> Response:
    """The plan, or what ran, as a table."""
    moment = checked_moment(query.as_of)
    text = plan_table.plan_csv(moment, query.days) if query.of == "plan" else plan_table.sets_csv(moment)
    return as_table(text, f"{query.of}.csv")


@planning_api.get("/plan/feeds", responses={"200": FeedsOut, **FAULTS}, operation_id="calendarFeeds")
def feeds() -> Response:
    """Calendar addresses."""
    return answer(FeedsOut(feeds=calendar.feeds()))


@planning_api.post("/plan/feeds", responses={"200": calendar.FeedOut, **FAULTS}, operation_id="makeCalendarFeed")
def make_feed(body: FeedIn) -> Response:
    """A new calendar address, shown this once."""
    return answer(calendar.make_feed(body.name))


@planning_api.post("/plan/feeds/<feed>/revoke", responses={"200": OkOut, **FAULTS}, operation_id="revokeCalendarFeed")
def revoke_feed(path: FeedPath) -> Response:
    """Take a calendar address back."""
    calendar.revoke_feed(path.feed)
    return answer(OkOut(ok=True))


@planning_api.get("/calendar/<token>.ics", responses={"200": None, **FAULTS}, operation_id="calendarFeed")
def feed(path: TokenPath) -> Response:
    """The calendar behind a secret address."""
    return _calendar(calendar.feed_text(path.token))


def _calendar(text: bytes) -> Response:
    found = Response(text, mimetype="text/calendar")
    found.headers["Content-Disposition"] = "attachment; filename=plan.ics"
    found.headers["Cache-Control"] = "no-store"
    return found


@planning_api.get("/tonight", responses={"200": tonight.TonightContent, **FAULTS}, operation_id="tonight")
def tonight_(query: AsOfQuery) -> Response:
    """Last night and tonight."""
    return answer(tonight.tonight_content(checked_moment(query.as_of)))


@planning_api.post("/sets/told", responses={"200": ToldListOut, **FAULTS}, operation_id="tellSets")
def told(body: ToldListIn) -> Response:
    """Sets started and stopped by hand, hours, depths and meters; sent once or often, it is the same."""
    return answer(ToldListOut(entries=doing.told(body.entries)))


@planning_api.post("/blocks/<key>/seen-sets", responses={"200": OkOut, **FAULTS}, operation_id="itWasASet")
def it_was_a_set(path: NamedPath, body: SeenIn) -> Response:
    """Put a wetting that the probes saw and nobody logged on record as a set."""
    seen.it_was_a_set(path.key, body.start_at)
    return answer(OkOut(ok=True))


@planning_api.get("/water", responses={"200": water_page.WaterContent, **FAULTS}, operation_id="water")
def water(query: AsOfQuery) -> Response:
    """The water side of the farm."""
    return answer(water_page.water_content(checked_moment(query.as_of)))


@planning_api.post("/supplies/<key>/arm", responses={"200": OkOut, **FAULTS}, operation_id="armSupply")
def arm(path: NamedPath, body: ArmIn) -> Response:
    """Arm a supply, or disarm it."""
    with transaction():
        arming.arm(path.key, body.armed, body.cautions_read)
    return answer(OkOut(ok=True))


@planning_api.post("/stop-all", responses={"200": StopOut, **FAULTS}, operation_id="stopAll")
def stop_all() -> Response:
    """Close every valve and disarm all supplies."""
    return answer(StopOut(not_reached=stepping.stop_all(actor().who)))


@planning_api.post("/controllers", responses={"200": AnswersOut, **FAULTS}, operation_id="enterController")
def enter(body: entering.ControllerIn) -> Response:
    """Enter a controller, or change it; says whether it answers."""
    entering.enter(body)
    return answer(AnswersOut(trouble=entering.answers(body.key)))


@planning_api.post("/controllers/<key>/forget", responses={"200": OkOut, **FAULTS}, operation_id="forgetController")
def forget(path: NamedPath) -> Response:
    """Take a controller out."""
    entering.forget(path.key)
    return answer(OkOut(ok=True))
