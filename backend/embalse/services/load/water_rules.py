"""The rules of supplies that hold at a moment."""

import json

from embalse.services.load.in_force import in_force
from embalse.services.schema.water import WaterRulesPart
from embalse.store import records as record_store


def water_rules_at(now: float, zone: str) -> dict[str, WaterRulesPart]:
    """The rules in force for each supply, by its key, at an instant [s, UTC]; the latest holds, whole."""
    held = in_force([json.loads(r.body) for r in record_store.records("water_rules")], (now, zone))
    return {body["supply"]: WaterRulesPart.model_validate(body) for body in held}
