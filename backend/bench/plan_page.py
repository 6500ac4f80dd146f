"""The Plan page's answers on a farm of 60 blocks, and the look at a set that was moved."""

import json
import tempfile
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from bench import farms
from bench.timing import line, median_ms
from embalse.services.document.apply import apply_document
from embalse.services.document.farm_document import parse_document
from embalse.services.planning.approving import DraftIn, PlaceIn, check
from embalse.services.planning.plan import plan_content
from embalse.store.database import connection, database, open_database

BLOCKS, SUPPLIES, DAYS = 60, 6, 3


def main() -> None:
    """Print the medians."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "embalse.db"
        farms.farm(path, BLOCKS)
        farms.fill(60)
        supplies = [{"key": f"s{n}", "flow_m3_h": 160.0, "hours_per_day": 20.0} for n in range(SUPPLIES)]
        blocks = [
            {"key": f"b{n}", "area_ha": 5, "crop": "almond", "soil": "loam", "supply": f"s{n % SUPPLIES}"}
            for n in range(BLOCKS)
        ]
        apply_document(parse_document(json.dumps({"embalse": 1, "supplies": supplies, "blocks": blocks})))
        open_database(path)
        with connection():
            _measure()
        database.close()


def _measure() -> None:
    plan = plan_content(days=DAYS, quick=True)
    asked = len(plan.sets) + sum(u.left for u in plan.unfit)
    quick = median_ms(lambda: plan_content(days=DAYS, quick=True).model_dump_json())
    line(f"Plan at once, {BLOCKS} blocks, {asked} sets asked for", f"{quick:.0f} ms", "150 ms or less")
    moved: list[dict[str, Any]] = [s.model_dump() for s in plan.sets]
    places = [PlaceIn(key=s["key"], start=datetime.fromisoformat(s["start"])) for s in moved]
    places[0] = PlaceIn(key=places[0].key, start=places[0].start + timedelta(minutes=30))
    again = median_ms(lambda: check(DraftIn(plan=plan.id, sets=places)))
    line(f"  {len(places)} sets looked at again after a move", f"{again:.0f} ms", "50 ms or less")


if __name__ == "__main__":
    main()
