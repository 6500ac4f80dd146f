"""The plan, and the sets that were planned and ran, as CSV tables: units in the head, nothing a spreadsheet runs."""

import csv
import io
from collections.abc import Iterable, Sequence
from typing import Any, Final

from embalse.services.load import clock
from embalse.services.planning.plan import PlanContent, PlannedSetOut, plan_content
from embalse.services.planning.planned import PlannedSet, planned_sets
from embalse.services.readings.known_then import as_known_then
from embalse.store import farm as farm_store

FORMULA_STARTS: Final = ("=", "+", "-", "@", "\t", "\r")
SETS_DAYS: Final = 400
DAY_S: Final = 86400
PLAN_HEAD: Final = (
    "state", "supply", "block", "part", "shift", "valve", "start", "end", "hours [h]", "flow [m³/h]", "water [m³]",
    "net [mm]", "gross [mm]", "cost", "due", "late [h]", "why",
)  # fmt: skip
SETS_HEAD: Final = (
    "key", "state", "supply", "block", "shift", "valve", "start", "end", "flow [m³/h]", "planned net [mm]",
    "planned gross [mm]", "on record from", "note",
)  # fmt: skip


def safe(value: Any) -> Any:
    """A cell that a spreadsheet does not take for a formula.

    Examples
    --------
    >>> safe("=1+1"), safe("Norte 1"), safe(-3.0)
    ("'=1+1", 'Norte 1', -3.0)
    """
    return f"'{value}" if isinstance(value, str) and value.startswith(FORMULA_STARTS) else value


def as_csv(head: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
    """A table as CSV text."""
    found = io.StringIO()
    writer = csv.writer(found)
    writer.writerow(head)
    writer.writerows([safe(cell) for cell in row] for row in rows)
    return found.getvalue()


def plan_csv(moment: str | None, days: int) -> str:
    """The plan as a table."""
    content: PlanContent = plan_content(moment, days)
    return as_csv(PLAN_HEAD, (_plan_row(s) for s in content.sets))


def _plan_row(one: PlannedSetOut) -> list[Any]:
    part = f"{one.part} of {one.parts}" if one.parts > 1 else ""
    return [
        one.state, one.supply, one.name, part, one.shift, one.valve, one.start, one.end, round(one.hours, 2),
        round(one.flow_m3_h, 1), round(one.volume_m3, 1), round(one.net_mm, 1), round(one.gross_mm, 1),
        round(one.cost, 2), one.due, round(one.late_h, 1), one.why,
    ]  # fmt: skip


@as_known_then
def sets_csv(moment: str | None) -> str:
    """Sets planned and run, of the last year and more, as a table."""
    farm = clock.the_farm()
    now = clock.as_of(farm, moment)
    names = {b.key: b.name for b in farm_store.farm_rows().blocks}
    kept = planned_sets(farm.time_zone, now - SETS_DAYS * DAY_S)
    return as_csv(SETS_HEAD, (_set_row(p, names) for p in kept))


def _set_row(one: PlannedSet, names: dict[str, str]) -> list[Any]:
    part = one.part
    logged = "" if part.logged is None else part.logged.isoformat()
    return [
        part.key, one.state, part.supply, names.get(part.block, part.block), part.shift, part.valve,
        part.start.isoformat(), part.end.isoformat(), round(part.flow_m3_h, 1), round(part.net_mm, 1),
        round(part.gross_mm, 1), logged, part.events[-1].note,
    ]  # fmt: skip
