"""Who changed what and when, as the pages show it."""

import json
from typing import Any

from embalse.services import times
from embalse.services.load.schemas import Content
from embalse.store import changes
from embalse.store import farm as farm_store

PAGE = 100
INSTANTS = ("at", "since", "until", "valid_from")


class ValueChange(Content):
    """One value before and after, as JSON text; null where there was none."""

    name: str
    before: str | None
    after: str | None


class ChangeOut(Content):
    """One line of who changed what."""

    id: int
    at: str
    who: str
    role: str
    kind: str
    subject: str
    what: str
    values: list[ValueChange]


class ChangesContent(Content):
    """Lines of the trail, newest first; ``more`` says there are older ones."""

    changes: list[ChangeOut]
    more: bool


def changes_content(before_id: int | None, about: str, who: str) -> ChangesContent:
    """A page of the trail, newest first."""
    farm = farm_store.farm()
    zone = farm.time_zone if farm else "UTC"
    rows = changes.changes(PAGE + 1, before_id, about, who)
    out = []
    for row in rows[:PAGE]:
        old, new = json.loads(row.before), json.loads(row.after)
        names = [*old, *(n for n in new if n not in old)]
        values = [ValueChange(name=n, before=_value(n, old, zone), after=_value(n, new, zone)) for n in names]
        at = times.iso(row.at, zone) or ""
        out.append(
            ChangeOut(id=row.id, at=at, who=row.who, role=row.role, kind=row.kind, subject=row.subject,
                      what=row.what, values=values)
        )  # fmt: skip
    return ChangesContent(changes=out, more=len(rows) > PAGE)


def _value(name: str, values: dict[str, Any], zone: str) -> str | None:
    if name not in values or values[name] is None:
        return None
    value = values[name]
    if name.endswith("_at") or name in ("at", "since", "until", "valid_from"):
        return times.iso(value, zone) if isinstance(value, int) else str(value)
    if isinstance(value, list) and all(isinstance(one, str) for one in value):
        return ", ".join(value)
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False, sort_keys=True)
