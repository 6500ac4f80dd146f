"""Picking what the audit offers: a dose, an efficiency or a wetted area, and how a block is audited."""

import logging
from typing import Annotated, Final, Literal

from pydantic import BaseModel, ConfigDict, Field

from embalse.core.audit.next_dose import MOST_SHARE, NOTHING_USED, moved
from embalse.core.errors import CoreError
from embalse.services import times
from embalse.services.advice.field_series import Field as FieldSeries
from embalse.services.advice.field_series import field_at
from embalse.services.audit.block_audit import AUDITED_DAYS, BlockAuditContent, audit_content
from embalse.services.audit.dose import dose_out, learning_of, received_out, received_words
from embalse.services.audit.gather import block_sets, used_at
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import FarmDocument
from embalse.services.load import clock
from embalse.services.load.in_force import audit_rules, set_choices
from embalse.services.reader import reading_as
from embalse.services.schema.auditing import AuditRulesPart, SetChoicePart
from embalse.services.schema.base import Note, Number
from embalse.services.schema.refused import DocumentErrors
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.changes import ITSELF, acting, actor
from embalse.store.database import FILE_TROUBLE, transaction
from embalse.store.errors import Conflict, StoreError

log = logging.getLogger("embalse")
NOTE_CHARS: Final = 500
What = Literal["dose", "efficiency", "wetted"]


class PickIn(BaseModel):
    """What is picked from a block's audit: the dose it offers, or the efficiency or wetted area it learned."""

    model_config = ConfigDict(extra="forbid")
    what: What
    drop: bool = False
    """Whether what is in force is withdrawn instead."""


class AuditRulesIn(BaseModel):
    """How a block's sets are audited from today on."""

    model_config = ConfigDict(extra="forbid")
    mode: Literal["offered", "applied"] = "offered"
    most_share: Annotated[Number, Field(gt=0, le=0.5)] = MOST_SHARE
    lower_delay_h: Annotated[Number, Field(ge=0, le=24)] | None = None
    note: Note = ""


def set_audit_rules(key: str, body: AuditRulesIn) -> BlockAuditContent:
    """Say how a block's sets are audited from today on; raises NotFound or DocumentErrors."""
    farm = clock.the_farm()
    farm_store.farm_rows([key])
    at = times.local(clock.farm_now(farm), farm.time_zone)
    part = AuditRulesPart(
        key=free_key("audit_rules", f"{key[:22]}-{at:%Y%m%d-%H%M}"), valid_from=at.date(), entered=at, who=actor().who,
        block=key, **body.model_dump(),
    )  # fmt: skip
    apply_document(FarmDocument(embalse=1, audit_rules=[part]))
    return audit_content(key)


def pick(key: str, body: PickIn) -> BlockAuditContent:
    """Take what the audit of a block offers now, in force from today; what was in force before is withdrawn.

    Efficiency and wetted area explain the same miss: where one is picked the other one, and a dose against it, go.

    Raises
    ------
    NotFound
        If there is no such block.
    Conflict
        If the audit offers nothing of the kind.
    """
    field = field_at(key, None, AUDITED_DAYS + 1)
    with transaction(), reading_as("metric"):
        held = set_choices(key, field.rows, (field.now, field.zone))
        gone = [held[body.what]] if body.what in held else []
        new = [] if body.drop else [_offered(field, body.what)]
        if new and body.what != "dose":
            gone += [one for what, one in held.items() if what != body.what]
        if body.drop and not gone:
            raise Conflict("what", "nothing of the kind is in force")
        _keep(field, gone, new)
    return audit_content(key)


def _offered(field: FieldSeries, what: What) -> SetChoicePart:
    found = block_sets(field, AUDITED_DAYS)
    told = learning_of(found)
    if what == "dose":
        if told.correction.factor == 1:
            raise Conflict("what", "the audit offers no correction now")
        words = " ".join(dose_out(found, told).why)
        return _choice(field, what, told.correction.factor, words, told.correction.useful)
    brought = received_out(found, told)
    band = None if brought is None else brought.efficiency if what == "efficiency" else brought.wetted
    if band is None:
        raise Conflict("what", "the audit has not learned it yet")
    return _choice(field, what, round(band.value, 3), received_words(found, told.received))


def _choice(field: FieldSeries, what: What, value: float, note: str, useful: float = 1.0) -> SetChoicePart:
    at = times.local(field.now, field.zone)
    return SetChoicePart(
        key=free_key("set_choices", f"{field.row.key[:22]}-{what}-{at:%Y%m%d-%H%M}"), valid_from=at.date(), entered=at,
        who=actor().who, block=field.row.key, what=what, value=value, useful=useful, note=note[:NOTE_CHARS],
    )  # fmt: skip


def free_key(kind: str, stem: str) -> str:
    """A key of a kind of record that is not taken yet."""
    taken = {r.key for r in record_store.records(kind)}
    return next(n for n in (stem, *(f"{stem}-{i}" for i in range(2, 10_000))) if n not in taken)


def _keep(field: FieldSeries, gone: list[SetChoicePart], new: list[SetChoicePart]) -> None:
    now = times.local(field.now, field.zone)
    ended = [one.model_copy(update={"withdrawn": now}) for one in gone]
    apply_document(FarmDocument(embalse=1, set_choices=[*ended, *new]))


def apply_corrections() -> int:
    """Take the audit's correction of every block whose manager chose that it is applied; returns how many changed.

    What moved by less than is worth setting a timer for is left.
    """
    farm = clock.the_farm()
    now = clock.farm_now(farm)
    rows = farm_store.farm_rows()
    changed = 0
    for row in rows.blocks:
        rules = audit_rules(row.key, rows, (now, farm.time_zone))
        if rules is None or rules.mode != "applied":
            continue
        try:
            changed += _applied(row.key)
        except (CoreError, StoreError, DocumentErrors, *FILE_TROUBLE) as trouble:  # one block's trouble is its own
            log.error("the next dose of %s was not looked at: %s", row.key, trouble)
    return changed


def _applied(key: str) -> bool:
    field = field_at(key, None, AUDITED_DAYS + 1)
    used = used_at(field, field.now)
    found = block_sets(field, AUDITED_DAYS)
    learnt = learning_of(found)
    most = found.rules.most_share if found.rules is not None else MOST_SHARE
    factor = moved(learnt.correction, used, most)
    if factor is None:
        return False
    held = set_choices(key, field.rows, (field.now, field.zone)).get("dose")
    with acting(ITSELF), reading_as("metric"), transaction():
        words = " ".join(dose_out(found, learnt).why)
        useful = learnt.correction.useful
        new = [] if factor == NOTHING_USED.factor else [_choice(field, "dose", factor, words, useful)]
        _keep(field, [held] if held else [], new)
    log.info("the next dose of %s is multiplied by %.2f", key, factor)
    return True
