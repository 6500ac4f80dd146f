"""Deleting records and devices so that they can be brought back."""

from embalse.services import times
from embalse.services.document.farm_document import RECORD_LISTS
from embalse.store import devices as device_store
from embalse.store import records as record_store
from embalse.store.database import transaction
from embalse.store.errors import Conflict, NotFound

PICKED = frozenset({"mark_choices", "retention_curves", "block_rules", "dry_windows", "orders", "forecasts"})


def delete(kind: str, key: str) -> None:
    """Delete a record of a kind, or a device; raises NotFound, and Conflict for a device in the ground."""
    _mark(kind, key, times.now_utc())


def restore(kind: str, key: str) -> None:
    """Bring a deleted record or device back; raises NotFound."""
    _mark(kind, key, None)


def _mark(kind: str, key: str, at: int | None) -> None:
    with transaction():
        if kind == "devices":
            device_store.set_deleted(key, at)
        elif kind in PICKED:
            raise Conflict("kind", "what was picked is not deleted: withdraw it, so that past advice stays as it was")
        elif kind in RECORD_LISTS:
            record_store.set_deleted(kind, key, at)
        else:
            raise NotFound("kind", f"'{kind}' is no list of records")
