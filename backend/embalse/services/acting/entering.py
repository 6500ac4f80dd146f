"""Controllers as a manager enters them: an address, a token, and the valves that are a supply's."""

import secrets
from typing import Annotated
from urllib.parse import urlsplit

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from embalse.core.errors import CoreError
from embalse.services.acting.broker_controller import SCHEME
from embalse.services.acting.controller import ControllerAway
from embalse.services.acting.reaching import controller_at
from embalse.services.schema.base import Key, Name
from embalse.store import changes
from embalse.store import controllers as store
from embalse.store import farm as farm_store
from embalse.store.database import transaction
from embalse.store.errors import NotFound

Valve = Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]


class ControllerIn(BaseModel):
    """A controller: where it is reached, its token (kept as it is if absent), its supply and valves."""

    model_config = ConfigDict(extra="forbid", defer_build=True)
    key: Key
    name: Name
    supply: Key
    url: Annotated[str, StringConstraints(max_length=300, strip_whitespace=True)]
    token: Annotated[str, StringConstraints(max_length=200)] = ""
    valves: list[Valve] = Field(min_length=1, max_length=500)


def enter(body: ControllerIn) -> None:
    """Enter a controller, or change it.

    Raises
    ------
    CoreError
        An address that is none, a valve given twice, a supply that has another controller, or no token.
    NotFound
        If there is no such supply.
    """
    parts = urlsplit(body.url)
    by_broker = parts.scheme == SCHEME and parts.path.strip("/")
    if not parts.hostname or not (parts.scheme in ("http", "https") or by_broker):
        raise CoreError("url", "must be an address like http://192.168.1.40:8600 or mqtt://192.168.1.5:1883/valves")
    if len(set(body.valves)) != len(body.valves):
        raise CoreError("valves", "a valve is given twice")
    if body.supply not in {s.key for s in farm_store.farm_rows().supplies.values()}:
        raise NotFound("supply", f"there is no supply '{body.supply}'")
    known = {row.key: row for row in store.controllers()}
    other = store.of_supply(body.supply)
    if other is not None and other.key != body.key:
        raise CoreError("supply", f"{other.name} opens its valves already: one controller a supply")
    token = body.token or (known[body.key].token if body.key in known else "")
    if not token:
        raise CoreError("token", "is needed: the controller shows it when it is set up")
    with transaction():
        store.put_controller(body.key, {**body.model_dump(include={"name", "supply", "url", "valves"}), "token": token})
        changes.note("controllers", body.key, "changed" if body.key in known else "created", {},
                     body.model_dump(exclude={"token"}))  # fmt: skip


def forget(key: str) -> None:
    """Take a controller out; its supply's valves are opened by hand from then on. Raises NotFound."""
    with transaction():
        store.delete_controller(key)
        changes.note("controllers", key, "deleted", {}, {"key": key})


def answers(key: str) -> str:
    """Why a controller cannot be used; empty where it answers and knows its valves. Raises NotFound."""
    row = next((r for r in store.controllers() if r.key == key), None)
    if row is None:
        raise NotFound("controller", f"there is no controller '{key}'")
    try:
        state = controller_at(row.url, row.token).state()
    except ControllerAway as away:
        return str(away)
    missing = sorted(set(row.valves) - {v.valve for v in state.valves})
    return f"it has no valve {', '.join(missing)}" if missing else ""


def new_token() -> str:
    """A token for a stand-in."""
    return secrets.token_urlsafe(24)
