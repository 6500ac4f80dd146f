"""What the demonstration's manager decides by: forecasts, rules of blocks, a cutting and a lifting ahead."""

from datetime import date
from typing import Any

from embalse.standins.demo_farm import END, forecasts

Document = dict[str, Any]
FIRST_FORECAST = date(2026, 4, 1)
WHO = "Inés"


def deciding_parts() -> Document:
    """Forecasts, rules and windows as parts of the farm document."""
    return {
        "forecasts": forecasts(FIRST_FORECAST, END.date()),
        "block_rules": [
            {"key": "circulo-turn", "block": "circulo", "valid_from": "2026-06-25", "lead_days": 3.0, "who": WHO,
             "note": "a full turn takes two and a half days, and half a day to bring the pivot to its start"},
            {"key": "mesa-lifting", "block": "mesa", "valid_from": "2026-06-20", "last_day": "2026-07-17",
             "end_share": 0.75, "who": WHO, "note": "leaves yellow by mid July; lifting on the 28th"},
            {"key": "bajo-cautious", "block": "bajo", "valid_from": "2026-06-15", "cautious": True, "who": WHO,
             "note": "fruit set: do not be late"},
        ],
        "dry_windows": [
            {"key": "circulo-cut-4", "block": "circulo", "valid_from": "2026-07-08", "what": "cutting",
             "dry_by": "2026-07-24", "until": "2026-07-28", "top_cm": 20.0, "who": WHO,
             "note": "cut on the 24th, hay off by the 28th"},
            {"key": "mesa-lift", "block": "mesa", "valid_from": "2026-06-20", "what": "harvest",
             "dry_by": "2026-07-28", "until": "2026-08-01", "top_cm": 30.0, "ends_season": True, "who": WHO,
             "note": "lifting"},
        ],
        "orders": [],
    }  # fmt: skip
