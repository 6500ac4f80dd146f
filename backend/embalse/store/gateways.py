"""Devices that send readings by themselves."""

import json
from typing import Any

from embalse.store import changes, models
from embalse.store.errors import Conflict, NotFound
from embalse.store.rows import GatewayRow
from embalse.store.select import select

_COLUMNS = "id, key, name, stations, created_at, revoked_at, last_seen_at, battery_v, signal_dbm"


def gateways() -> list[GatewayRow]:
    """All of them, revoked ones too."""
    return select(f"SELECT {_COLUMNS} FROM gateway ORDER BY id", GatewayRow)


def by_token_hash(token_hash: str) -> GatewayRow | None:
    """The one whose token has this hash and is not revoked."""
    sql = f"SELECT {_COLUMNS} FROM gateway WHERE token_hash = ? AND revoked_at IS NULL"
    found = select(sql, GatewayRow, (token_hash,))
    return found[0] if found else None


def create(key: str, name: str, token_hash: str, stations: list[str], now: int) -> None:
    """A new one; raises Conflict when the key is taken."""
    if models.Gateway.get_or_none(key=key) is not None:
        raise Conflict("key", f"there is a gateway '{key}' already")
    models.Gateway.create(key=key, name=name, token_hash=token_hash, stations=stations, created_at=now)
    changes.note("gateways", key, "created", {}, {"name": name, "stations": stations})


def revoke(key: str, now: int) -> None:
    """Its token opens nothing from now on; raises NotFound."""
    query = models.Gateway.update(revoked_at=now).where(models.Gateway.key == key, models.Gateway.revoked_at.is_null())
    if not query.execute():
        raise NotFound("gateway", f"there is no gateway '{key}' with a token in force")
    changes.note("gateways", key, "revoked")


def seen(gateway_id: int, values: dict[str, Any]) -> None:
    """Note when it was heard, and what it said of itself."""
    models.Gateway.update(**values).where(models.Gateway.id == gateway_id).execute()


def stations_of(row: GatewayRow) -> list[str]:
    """Stations it may send for; empty for all."""
    return list(json.loads(row.stations))
