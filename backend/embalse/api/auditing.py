"""The audit of sets: of a block and of the farm, what is picked from it, and faults somebody went to see."""

import threading
from typing import Annotated, Final

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import Field

from embalse.api.answers import FAULTS, answer, as_json, as_table, checked_moment
from embalse.api.schemas import AsOfQuery, BlockPath, In
from embalse.services.advice.kept_round import kept_answer
from embalse.services.audit import audit_table, choosing, following_up
from embalse.services.audit.block_audit import AUDITED_DAYS, BlockAuditContent, audit_content
from embalse.services.audit.farm_audit import FARM_DAYS, FarmAuditContent, farm_audit

MOST_DAYS: Final = 400  # days back that may be asked for (ours: a season and the one before)
auditing_api = APIBlueprint("auditing", __name__, url_prefix="/api")
_making = threading.Lock()


class BlockAuditQuery(AsOfQuery):
    """Which moment, and how far back."""

    days: Annotated[int, Field(ge=1, le=MOST_DAYS)] = AUDITED_DAYS


class FarmAuditQuery(AsOfQuery):
    """Which moment, and how far back."""

    days: Annotated[int, Field(ge=1, le=MOST_DAYS)] = FARM_DAYS


class FollowedUpIn(In):
    """What people found, as a phone kept it."""

    entries: Annotated[list[following_up.FollowedUp], Field(min_length=1, max_length=200)]


@auditing_api.get("/audit", responses={"200": FarmAuditContent, **FAULTS}, operation_id="farmAudit")
def audit_of_the_farm(query: FarmAuditQuery) -> Response:
    """Sets of all blocks held against their probes, newest first."""
    moment = checked_moment(query.as_of)
    return as_json(kept_answer(("audit", query.days), moment, _making, lambda: farm_audit(moment, query.days)))


@auditing_api.get("/audit/table.csv", responses={"200": None, **FAULTS}, operation_id="auditTable")
def table(query: FarmAuditQuery) -> Response:
    """The same as a table."""
    return as_table(audit_table.audit_csv(checked_moment(query.as_of), query.days), "audit.csv")


@auditing_api.post(
    "/audit/visits", responses={"200": following_up.FollowedUpContent, **FAULTS}, operation_id="followedUp"
)
def followed_up(body: FollowedUpIn) -> Response:
    """Tick off faults of sets with what was found; one that is known already is taken once."""
    return answer(following_up.follow_up(body.entries))


@auditing_api.get("/blocks/<key>/audit", responses={"200": BlockAuditContent, **FAULTS}, operation_id="blockAudit")
def audit_of_a_block(path: BlockPath, query: BlockAuditQuery) -> Response:
    """Sets of a block held against its probes, the next dose, and what its sets teach."""
    return answer(audit_content(path.key, checked_moment(query.as_of), query.days))


@auditing_api.post(
    "/blocks/<key>/audit/picks", responses={"200": BlockAuditContent, **FAULTS}, operation_id="pickAudit"
)
def pick(path: BlockPath, body: choosing.PickIn) -> Response:
    """Take what the audit offers from today on, or withdraw what is in force."""
    return answer(choosing.pick(path.key, body))


@auditing_api.post(
    "/blocks/<key>/audit/rules", responses={"200": BlockAuditContent, **FAULTS}, operation_id="auditRules"
)
def set_rules(path: BlockPath, body: choosing.AuditRulesIn) -> Response:
    """Say how a block's sets are audited from today on."""
    return answer(choosing.set_audit_rules(path.key, body))
