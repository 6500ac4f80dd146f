"""Taking back a planting or a harvest that was entered wrongly: it is withdrawn, and past advice stays as it was."""

import json
from typing import Literal

from pydantic import BaseModel, ConfigDict

from embalse.services import times
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.load import clock
from embalse.services.schema.base import RecordKey
from embalse.services.season.account import SeasonAccountContent, season_account
from embalse.store import farm as farm_store
from embalse.store import records as record_store
from embalse.store.errors import Conflict, NotFound


class TakeBackIn(BaseModel):
    """What is taken back: a planting or a harvest by its key."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["plantings", "harvests"]
    key: RecordKey


def take_back(block: str, body: TakeBackIn) -> SeasonAccountContent:
    """Withdraw a planting or harvest of a block from now on.

    Raises
    ------
    NotFound
        If there is no such block, or the block has no such record.
    Conflict
        If it was taken back before.
    DocumentErrors
        If what is left cannot be: a harvest that would lie before every planting.
    """
    farm_store.farm_rows([block])
    kept = json.loads(record_store.record(body.kind, body.key).body)
    if kept["block"] != block:
        raise NotFound("key", f"'{body.key}' belongs to another block")
    if kept["withdrawn"] is not None:
        raise Conflict("key", "it was taken back before")
    farm = clock.the_farm()
    kept["withdrawn"] = times.local(clock.farm_now(farm), farm.time_zone).isoformat()
    apply_document(parse_document(json.dumps({"embalse": 1, body.kind: [kept]})))
    return season_account(block)
